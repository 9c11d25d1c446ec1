"""Which palette entry is nearest to a colour: found once for each colour met, then looked up.

Nearest in sRGB levels, squared and summed: what PSNR sums up, and what SSIM of the channels follows. Chosen in
a perceptual space, a palette and its nearest entries are off by one to two decibels more.
"""

import contextlib
import mmap
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled, inlined
from .levels import Levels

T = TypeVar("T", bound=np.generic)
MOST_CANDIDATES = 31
"""Entries a neighbourhood may list; one that would list more is searched in full."""
EXACT = 256
"""A cell that holds an entry has this, plus its number among such cells, in the table."""
_COLOURS = 64
"""The most colours a cell has that is told apart: four levels a channel."""


@inlined
def _distance(entries: NDArray[np.int32], i: int, red: int, green: int, blue: int) -> int:
    r, g, b = entries[0, i] - red, entries[1, i] - green, entries[2, i] - blue
    return r * r + g * g + b * b


@compiled
def _list_candidates(cell: int, entries: NDArray[np.int32], candidates: NDArray[np.uint8]) -> None:
    """List the entries that can be nearest to any colour of a cell of 8 × 8 × 8 colours.

    An entry can win only if it is nowhere in the cell farther than the one that is nearest at its farthest: the
    cell is a box, so the least and the most distance of an entry from it are those of its sides.
    """
    low = (cell >> 10) << 3, ((cell >> 5) & 31) << 3, (cell & 31) << 3
    limit = np.int64(1 << 40)
    for i in range(entries.shape[1]):
        most = np.int64(0)
        for c in range(3):
            side = max(abs(entries[c, i] - low[c]), abs(entries[c, i] - low[c] - 7))
            most += side * side
        limit = min(limit, most)
    count = 0
    for i in range(entries.shape[1]):
        least = np.int64(0)
        for c in range(3):
            side = max(low[c] - entries[c, i], entries[c, i] - low[c] - 7, 0)
            least += side * side
        if least <= limit:
            count += 1
            if count > MOST_CANDIDATES:
                break
            candidates[cell, count] = i
    candidates[cell, 0] = count if count <= MOST_CANDIDATES else 255


@compiled
def find_nearest(
    red: int,
    green: int,
    blue: int,
    entries: NDArray[np.int32],
    candidates: NDArray[np.uint8],
) -> int:
    """Index of the nearest entry, the lowest of equals; ``candidates`` grows as cells are met."""
    cell = ((red >> 3) << 10) | ((green >> 3) << 5) | (blue >> 3)
    if candidates[cell, 0] == 0:
        _list_candidates(cell, entries, candidates)
    count = np.int64(candidates[cell, 0])
    best = np.int64(0)
    closest = np.int64(1 << 40)
    if count == 255:
        for i in range(entries.shape[1]):
            distance = _distance(entries, i, red, green, blue)
            if distance < closest:
                closest, best = distance, i
    else:
        for j in range(1, count + 1):
            i = np.int64(candidates[cell, j])
            distance = _distance(entries, i, red, green, blue)
            if distance < closest:
                closest, best = distance, i
    return best


@compiled
def fill_cell(
    red: int,
    green: int,
    blue: int,
    entries: NDArray[np.int32],
    candidates: NDArray[np.uint8],
    table: NDArray[np.uint16],
    exact: NDArray[np.uint8],
    index: NDArray[np.uint32],
    middle: NDArray[np.uint8],
) -> int:
    """The entry for a colour whose place in the tables is still empty; it is filled in.

    Kept apart from the look-up, which is written out in each caller's loop: as a function, even an inlined
    one, it made plain quantising take 1.8 times as long and diffusion 1.5 times, since arrays that are handed
    over are counted.
    """
    place = index[0, red] + index[1, green] + index[2, blue]
    cell = np.int64(table[place])
    if cell >= EXACT:
        found = find_nearest(red, green, blue, entries, candidates)
        exact[cell - EXACT, among(red, green, blue)] = found + 1
        return found
    red, green, blue = np.int64(middle[red]), np.int64(middle[green]), np.int64(middle[blue])
    found = find_nearest(red, green, blue, entries, candidates)
    table[place] = found + 1
    return found


@inlined
def bucket(pixel: int) -> int:
    """A number of 12 bits that few colours share; ``pixel``: red lowest, alpha highest."""
    return np.uint64((np.uint32(pixel) << np.uint32(8)) * np.uint32(2654435769)) >> np.uint64(20) & np.uint64(
        4095
    )


@inlined
def among(red: int, green: int, blue: int) -> int:
    """A colour's place among those of its cell."""
    return ((red & 3) << 4) | ((green & 3) << 2) | (blue & 3)


def empty_table(size: int, kind: type[T]) -> NDArray[T]:
    """Zeros that cost memory only where they are touched: 4 KB at a time, not a huge page of 2 MB."""
    memory = mmap.mmap(-1, np.dtype(kind).itemsize * size)
    if hasattr(mmap, "MADV_NOHUGEPAGE"):
        with contextlib.suppress(OSError):  # a kernel without huge pages needs no advice
            memory.madvise(mmap.MADV_NOHUGEPAGE)
    return np.frombuffer(memory, kind)


@dataclass(frozen=True)
class Nearest:
    """A palette with its memory of nearest entries.

    ``levels`` decide which colours share a cell of ``table`` and so an entry: the one nearest to the cell's
    middle. In a cell that holds an entry each colour is looked up by itself, so that every colour of the
    palette gives its own entry. A place holds 0 until first met, then one more than the index; those of the
    palette's own colours are filled from the first. Threads may share it: whoever fills a place fills in the
    same answer.
    """

    palette: NDArray[np.uint8]
    entries: NDArray[np.int32]
    """Shape (3, n): the palette, a channel after the other."""
    candidates: NDArray[np.uint8]
    """Shape (32768, 32): how many entries can win in a cell of 8 × 8 × 8 colours, then which."""
    table: NDArray[np.uint16]
    exact: NDArray[np.uint8]
    """Shape (cells, 64): the colours of each cell that holds an entry."""
    marked: NDArray[np.bool_]
    """Shape (4096,): the buckets that palette colours fall in, by which most other colours are told."""
    levels: Levels

    @classmethod
    def of(cls, palette: NDArray[np.uint8], levels: Levels) -> "Nearest":
        """``palette``: shape (n, 3), at most 255 entries."""
        entries = palette.T.astype(np.int32)
        table = empty_table(levels.size, np.uint16)
        red, green, blue = palette[:, 0].astype(int), palette[:, 1].astype(int), palette[:, 2].astype(int)
        places = levels.index[0, red] + levels.index[1, green] + levels.index[2, blue]
        cells, which = np.unique(places, return_inverse=True)
        table[cells] = EXACT + np.arange(len(cells), dtype=np.uint16)
        exact = np.zeros((len(cells), _COLOURS), np.uint8)
        exact[which, (red & 3) << 4 | (green & 3) << 2 | blue & 3] = np.arange(1, len(palette) + 1)
        marked = np.zeros(1 << 12, np.bool_)
        for colour in red | green << 8 | blue << 16:
            marked[bucket(colour)] = True
        return cls(
            palette,
            np.ascontiguousarray(entries),
            np.zeros((1 << 15, MOST_CANDIDATES + 1), np.uint8),
            table,
            exact,
            marked,
            levels,
        )
