"""Packing trimmed pictures onto sheets.

Many orders, rules and widths are tried, always the same ones, so that a busy machine lays out as an idle one
does.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .even import even
from .layout import Cell, Layout, Space
from .rectangles import AREA, CONTACT, LONG_SIDE, LOW, SHORT_SIDE, pack

Size = tuple[int, int]
"""Width and height in pixels."""
_EFFORT = 300_000, 800
"""About how many rectangles are looked at in all, at least and for each picture."""


@dataclass(frozen=True)
class _Try:
    """One way to place all of them."""

    places: NDArray[np.int32]
    used: Size
    count: int
    looked: int


@dataclass(frozen=True)
class _Pieces:
    """What is to be packed: pictures with the room around them."""

    sizes: NDArray[np.int32]
    turning: bool

    @property
    def effort(self) -> int:
        return _EFFORT[0] + _EFFORT[1] * len(self.sizes)

    def orders(self) -> list[NDArray[np.int64]]:
        """Largest first: by height, by the longer side, by area, by width, by circumference."""
        w, h = self.sizes[:, 0].astype(np.int64), self.sizes[:, 1].astype(np.int64)
        long, short = np.maximum(w, h), np.minimum(w, h)
        keys = [(h, w), (long, short), (w * h, long), (w, h), (w + h, long)]
        orders: dict[bytes, NDArray[np.int64]] = {}
        for first, second in keys:
            order = np.lexsort((np.arange(len(w)), -second, -first))
            orders.setdefault(order.tobytes(), order)
        return list(orders.values())

    def attempt(self, order: NDArray[np.int64], width: int, height: int, rule: int, strict: bool) -> _Try:
        out = np.empty((len(self.sizes), 3), np.int32)
        count, used_w, used_h, looked = pack(self.sizes, order, width, height, rule, self.turning, strict, out)
        return _Try(out, (used_w, used_h), count, looked)


def packed(sizes: Sequence[Size], space: Space, *, turning: bool = False, split: bool = False) -> Layout:
    """Lay out pictures of these sizes on the smallest sheet that is found; on more with ``split``.

    Pictures that find no room lie below the sheet, side by side.
    """
    pieces = _Pieces(np.array(sizes, np.int32).reshape(-1, 2) + np.int32(space.around), turning)
    best = _smallest(pieces, sizes, space)
    if turning and best is not None:  # what is never worse: none of them turned
        upright = _smallest(replace(pieces, turning=False), sizes, space)
        best = min((one for one in (best, upright) if one), key=lambda one: math.prod(_sides(one.used, space)))
    best = best or _filling(pieces, space)
    if best is not None:
        return _on_one(best, space)
    if split:
        return _on_many(pieces, sizes, space)
    return _overfull(pieces, sizes, space)


def fits(sizes: Sequence[Size], space: Space, *, turning: bool = False) -> bool:
    """Whether pictures of these sizes are sure to fit on one sheet: a packing is found."""
    pieces = _Pieces(np.array(sizes, np.int32).reshape(-1, 2) + np.int32(space.around), turning)
    if len({tuple(size) for size in sizes}) == 1 and not even([len(sizes)], sizes[0], "square", space).off:
        return True
    return _filling(pieces, space) is not None


def _filling(pieces: _Pieces, space: Space) -> _Try | None:
    """The first packing that is found on a sheet of the largest size, however much of it that leaves."""
    side = space.open
    area = int((pieces.sizes[:, 0].astype(np.int64) * pieces.sizes[:, 1]).sum())
    if area > side * side:
        return None
    left = pieces.effort
    for order, rule in _ways(pieces):
        tried = pieces.attempt(order, side, side, rule, True)
        left -= tried.looked
        if tried.count == len(pieces.sizes):
            return tried
        if left <= 0:
            break
    return None


def _ways(pieces: _Pieces) -> Iterator[tuple[NDArray[np.int64], int]]:
    """Orders and rules, the most promising first."""
    orders = pieces.orders()
    for rule in (SHORT_SIDE, AREA, LOW, LONG_SIDE):
        for order in orders:
            yield order, rule
    if len(pieces.sizes) <= 400:  # it looks at all that lie already
        for order in orders:
            yield order, CONTACT


def _widths(pieces: _Pieces, space: Space) -> list[int]:
    """Widths of sheets to try, with the gap behind their last cell, the squarest first."""
    w, h = pieces.sizes[:, 0].astype(np.int64), pieces.sizes[:, 1].astype(np.int64)
    least = int(np.minimum(w, h).max() if pieces.turning else w.max())
    area = float((w * h).sum())
    if space.sides == "pot":
        sides = [1 << power for power in range(4, space.most.bit_length())]
        choices = {side - 2 * space.margin + space.spacing for side in sides}
    else:
        root = math.sqrt(area)
        choices = {round(root * 2 ** (step / 16)) for step in range(-16, 25)} | {space.open}
        common = int(np.median(w))
        choices |= {common * count for count in range(1, max(2, space.open // common) + 1)[:64]}
    square = math.sqrt(area)
    choices = {min(max(choice, least), space.open) for choice in choices}
    return sorted(choices, key=lambda choice: (abs(math.log(choice / (square * 1.02))), choice))


def _smallest(pieces: _Pieces, sizes: Sequence[Size], space: Space) -> _Try | None:
    """The packing of the least area among many; ``None`` if none holds all."""
    w, h = pieces.sizes[:, 0].astype(np.int64), pieces.sizes[:, 1].astype(np.int64)
    short = np.minimum(w, h).max() if pieces.turning else max(w.max(), h.max())
    if max(short, 1) > space.open or int((w * h).sum()) > space.open * space.open:
        return None
    best: _Try | None = None
    least = (1 << 62, 0)

    def consider(tried: _Try) -> None:
        nonlocal best, least
        if tried.count < len(sizes):
            return
        width, height = (side + 2 * space.margin - space.spacing for side in tried.used)
        if not space.holds(width, height):
            return
        sides = space.rounded(width, height)
        # Of equal areas the squarest, and then that which leaves the most room at its sides.
        score = (sides[0] * sides[1], max(sides))
        if score < least:
            best, least = tried, score

    if len({tuple(size) for size in sizes}) == 1:
        for grid in _grids(pieces, space):
            consider(grid)
        return best
    left = pieces.effort
    # Each width by a quick rule first; then those that came out best by all.
    orders = pieces.orders()
    found: list[tuple[int, int]] = []
    for width in _widths(pieces, space):
        tried = pieces.attempt(orders[0], width, space.open, LOW, True)
        left -= tried.looked
        consider(tried)
        if tried.count == len(sizes):
            found.append((tried.used[0] * tried.used[1], width))
        if left < pieces.effort // 2:
            break
    promising = [width for _, width in sorted(found)] or _widths(pieces, space)
    for width in promising:
        for order, rule in _ways(pieces):
            if left <= 0:
                return best
            # A sheet no higher than the best so far leaves: what fits is smaller.
            height = space.open
            if best is not None and space.sides in ("free", "four"):
                height = min(height, (least[0] - 1) // max(width + 2 * space.margin - space.spacing, 1))
                height += space.spacing - 2 * space.margin
            tried = pieces.attempt(order, width, max(height, 1), rule, True)
            left -= tried.looked
            consider(tried)
    return best


def _grids(pieces: _Pieces, space: Space) -> Iterator[_Try]:
    """Pictures of one size side by side, in every number of columns."""
    n = len(pieces.sizes)
    width, height = (int(side) for side in pieces.sizes[0])
    for columns in range(1, min(n, space.open // width) + 1):
        lines = -(-n // columns)
        if lines * height > space.open:
            continue
        at = np.arange(n)
        places = np.stack([at % columns * width, at // columns * height, np.zeros(n)], axis=1)
        yield _Try(places.astype(np.int32), (columns * width, lines * height), n, 0)


def _cells(places: NDArray[np.int32], space: Space, sheet: int = 0) -> list[Cell]:
    return [Cell(sheet, int(x) + space.first, int(y) + space.first, bool(turn)) for x, y, turn in places]


def _sides(used: Size, space: Space) -> Size:
    width, height = (side + 2 * space.margin - space.spacing for side in used)
    return space.rounded(max(width, 1), max(height, 1))


def _on_one(tried: _Try, space: Space) -> Layout:
    return Layout((_sides(tried.used, space),), tuple(_cells(tried.places, space)))


def _fullest(pieces: _Pieces, space: Space) -> _Try:
    """As much as fits on a sheet of the largest size."""
    side = space.open
    weights = pieces.sizes[:, 0].astype(np.int64) * pieces.sizes[:, 1]
    best: _Try | None = None
    least, left = -1, pieces.effort // 2
    for order, rule in _ways(pieces):
        tried = pieces.attempt(order, side, side, rule, False)
        left -= tried.looked
        area = int(weights[tried.places[:, 0] >= 0].sum())
        if area > least:
            best, least = tried, area
        if left <= 0:
            break
    assert best is not None
    return best


def _on_many(pieces: _Pieces, sizes: Sequence[Size], space: Space) -> Layout:
    """As many sheets as are needed; a picture larger than a sheet runs off the first."""
    cells: dict[int, Cell] = {}
    sheets: list[Size] = []
    left = np.arange(len(sizes))
    while len(left):
        some = _Pieces(np.ascontiguousarray(pieces.sizes[left]), pieces.turning)
        last = _smallest(some, [sizes[int(i)] for i in left], space) if sheets else None
        tried = last or _fullest(some, space)
        there = tried.places[:, 0] >= 0
        if not there.any():
            break
        here = dict(enumerate(_cells(tried.places, space, len(sheets))))
        cells |= {int(left[i]): here[int(i)] for i in np.flatnonzero(there)}
        sheets.append(_sides(tried.used, space))
        left = left[~there]
    off = frozenset(int(i) for i in left)
    return _with_rest(cells, off, sizes, sheets or [(space.most, space.most)], space)


def _overfull(pieces: _Pieces, sizes: Sequence[Size], space: Space) -> Layout:
    tried = _fullest(pieces, space)
    placed = dict(enumerate(_cells(tried.places, space)))
    cells = {i: placed[i] for i in range(len(sizes)) if tried.places[i, 0] >= 0}
    off = frozenset(i for i in range(len(sizes)) if tried.places[i, 0] < 0)
    return _with_rest(cells, off, sizes, [(space.most, space.most)], space)


def _with_rest(
    cells: dict[int, Cell], off: frozenset[int], sizes: Sequence[Size], sheets: list[Size], space: Space
) -> Layout:
    """What found no room, in lines below the first sheet."""
    x, y, high = space.first, sheets[0][1] + space.first, 0
    for index in sorted(off):
        width, height = sizes[index]
        if x > space.first and x + width > space.most:
            x, y, high = space.first, y + high + space.around, 0
        cells[index] = Cell(0, x, y)
        x, high = x + width + space.around, max(high, height)
    return Layout(tuple(sheets), tuple(cells[i] for i in range(len(sizes))), off)
