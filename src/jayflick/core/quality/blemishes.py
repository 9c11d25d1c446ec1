"""What eyes complain of in a picture that was made of another, each a measure of its own.

- *Bands*: in smooth areas, steps between plateaus that the source has not. The root of the sum of their squares
  over the smooth area: a slope of s levels a pixel in steps of k has one every k/s pixels, and so √(s·k).
- *Crawling*: of the pixels whose source stands still the share that changes all the same.
- *Edges*: ringing, fringes and streaks beside hard edges, where a mean over the picture hides them. The root of
  the mean squared error of what lies near them, as in the edge PSNR of ITU-T J.144 (from memory), in levels.
- *Hue*: colours that are off as a whole, not by the grain of a dither: the root mean square, over squares of
  8 × 8 pixels, of the difference of their means by CIEDE2000 (CIE 142-2001), lightness left out.

The first three are counted in tiles, so that it can be said where they are worst. The limits of what counts as
smooth, still or hard, and from where each is taken to stand out, are ours.
"""

from dataclasses import dataclass
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled, inlined
from .ciede2000 import hue_difference

SMOOTH = 2
"""Levels up to which neighbours differ in a smooth area."""
STEP = 2
"""Levels from which a step that the source has not is one."""
PLATEAU = 3
"""Pixels alike on both sides of a step between plateaus."""
NOTICED = 2
"""Levels up to which a change of a pixel that ought to stand still is none: rounding makes as much."""
HARD = 48
"""Levels from which neighbours make a hard edge."""
NEAR = 2
"""Pixels from an edge within which an error is one of it."""
TILE = 32
SQUARE = 8

_SMOOTH_PAIRS, _STEPS, _STILL, _CHANGED, _NEAR, _ERRORS = range(6)


@dataclass(frozen=True)
class Blemishes:
    """What was found in a picture; ``None`` where there is nothing of the kind to look at."""

    bands: float | None
    """In levels."""
    crawling: float | None
    """A share, 0 to 1."""
    edges: float | None
    """In levels."""
    hue: float
    """In units of CIEDE2000."""
    tiles: NDArray[np.float64]
    """Shape (6, rows, columns): what each tile adds to the first three."""

    def where(self, name: str) -> tuple[int, int]:
        """Row and column of the tile that adds most to bands, crawling or edges."""
        part = {"bands": _STEPS, "crawling": _CHANGED, "edges": _ERRORS}[name]
        row, column = np.unravel_index(int(self.tiles[part].argmax()), self.tiles[part].shape)
        return int(row), int(column)


@inlined
def _apart(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> int:
    """The most that two pixels differ in a channel."""
    r = abs(np.int64(one[0]) - np.int64(other[0]))
    g = abs(np.int64(one[1]) - np.int64(other[1]))
    b = abs(np.int64(one[2]) - np.int64(other[2]))
    return int(max(r, g, b))


@inlined
def _alike(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> bool:
    return bool(one[0] == other[0] and one[1] == other[1] and one[2] == other[2])


@compiled
def _edges(source: NDArray[np.uint8], out: NDArray[np.bool_]) -> None:
    """Pixels near a hard edge."""
    height, width = out.shape
    out[:] = False
    for y in range(height):
        for x in range(width):
            across = x + 1 < width and _apart(source[y, x], source[y, x + 1]) >= HARD
            down = y + 1 < height and _apart(source[y, x], source[y + 1, x]) >= HARD
            if across or down:
                for v in range(max(0, y - NEAR), min(height, y + NEAR + 1 + down)):
                    for u in range(max(0, x - NEAR), min(width, x + NEAR + 1 + across)):
                        out[v, u] = True


@compiled
def _between_plateaus(shown: NDArray[np.uint8], y: int, x: int, v: int, u: int) -> bool:
    """Whether what lies behind a pixel, and behind its neighbour at v, u, is like either."""
    down, across = v - y, u - x
    far = PLATEAU - 1
    if y < far * down or x < far * across:
        return False
    if v + far * down >= shown.shape[0] or u + far * across >= shown.shape[1]:
        return False
    for i in range(1, PLATEAU):
        if not _alike(shown[y, x], shown[y - i * down, x - i * across]):
            return False
        if not _alike(shown[v, u], shown[v + i * down, u + i * across]):
            return False
    return True


@compiled
def _count(
    source: NDArray[np.uint8],
    shown: NDArray[np.uint8],
    before: NDArray[np.uint8],
    shown_before: NDArray[np.uint8],
    moving: bool,
    edges: NDArray[np.bool_],
    tiles: NDArray[np.float64],
) -> None:
    height, width, _ = source.shape
    for y in range(height):
        for x in range(width):
            row, column = y // TILE, x // TILE
            if edges[y, x]:
                error = np.int64(0)
                for c in range(3):
                    far = np.int64(source[y, x, c]) - np.int64(shown[y, x, c])
                    error += far * far
                tiles[_NEAR, row, column] += 1
                tiles[_ERRORS, row, column] += error / 3
            if moving and _alike(source[y, x], before[y, x]):
                tiles[_STILL, row, column] += 1
                tiles[_CHANGED, row, column] += _apart(shown[y, x], shown_before[y, x]) > NOTICED
            for v, u in ((y, x + 1), (y + 1, x)):
                if v < height and u < width and _apart(source[y, x], source[v, u]) <= SMOOTH:
                    tiles[_SMOOTH_PAIRS, row, column] += 1
                    if not _alike(shown[y, x], shown[v, u]) and _between_plateaus(shown, y, x, v, u):
                        step = _apart(shown[y, x], shown[v, u]) - _apart(source[y, x], source[v, u])
                        tiles[_STEPS, row, column] += step * step if step >= STEP else 0


def blemishes(
    source: NDArray[np.uint8],
    shown: NDArray[np.uint8],
    before: tuple[NDArray[np.uint8], NDArray[np.uint8]] | None = None,
) -> Blemishes:
    """Look for them in ``shown``, made of ``source``; both of shape (height, width, 3).

    ``before``: what both were when the picture before was shown.
    """
    height, width = source.shape[:2]
    tiles = np.zeros((6, -(-height // TILE), -(-width // TILE)))
    edges = np.empty((height, width), np.bool_)
    _edges(source, edges)
    last, shown_last = before or (source, shown)
    _count(source, shown, last, shown_last, before is not None, edges, tiles)
    sums = tiles.sum(axis=(1, 2))

    def share(part: int, whole: int) -> float | None:
        return float(sums[part] / sums[whole]) if sums[whole] else None

    bands, errors = share(_STEPS, _SMOOTH_PAIRS), share(_ERRORS, _NEAR)
    return Blemishes(
        bands=None if bands is None else sqrt(bands),
        crawling=share(_CHANGED, _STILL),
        edges=None if errors is None else sqrt(errors),
        hue=_hue(source, shown),
        tiles=tiles,
    )


def _hue(source: NDArray[np.uint8], shown: NDArray[np.uint8]) -> float:
    differences = hue_difference(_means(source), _means(shown))
    return float(np.sqrt(np.mean(np.square(differences))))


@compiled
def _sum_squares(picture: NDArray[np.uint8], sums: NDArray[np.int64]) -> None:
    for y in range(picture.shape[0]):
        row = sums[y // SQUARE]
        for x in range(picture.shape[1]):
            for c in range(picture.shape[2]):
                row[x // SQUARE, c] += picture[y, x, c]


def _means(picture: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Means of squares, shape (rows, columns, 3); those at the right and below are of what there is of them."""
    height, width, channels = picture.shape
    down, across = np.arange(0, height, SQUARE), np.arange(0, width, SQUARE)
    sums = np.zeros((len(down), len(across), channels), np.int64)
    _sum_squares(np.ascontiguousarray(picture), sums)
    sizes = np.outer(np.diff(np.append(down, height)), np.diff(np.append(across, width)))
    means: NDArray[np.float64] = sums / sizes[:, :, None]
    return means
