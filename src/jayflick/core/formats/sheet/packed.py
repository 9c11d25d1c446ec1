"""Packing trimmed pictures onto sheets.

Source: J. Jylänki, "A thousand ways to pack the bin" (2010), section 2.4 (maximal rectangles). Many orders,
rules and widths are tried, always the same ones, so that a busy machine lays out as an idle one does.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled
from .even import even
from .layout import Cell, Layout, Space

Size = tuple[int, int]
"""Width and height in pixels."""
_SHORT_SIDE, _LONG_SIDE, _AREA, _LOW, _CONTACT = range(5)
_EFFORT = 300_000, 800
"""About how many rectangles are looked at in all, at least and for each picture."""


@compiled
def _overlap(a: int, a_end: int, b: int, b_end: int) -> int:
    """How much two lengths have in common."""
    return max(0, min(a_end, b_end) - max(a, b))


@compiled
def _touching(
    x: int, y: int, w: int, h: int, width: int, height: int, placed: NDArray[np.int32], count: int
) -> int:
    """How much of a rectangle's edge lies at the sheet's or at another's."""
    total = 0
    if x == 0 or x + w == width:
        total += h
    if y == 0 or y + h == height:
        total += w
    for i in range(count):
        left, top, right, bottom = placed[i, 0], placed[i, 1], placed[i, 2], placed[i, 3]
        if left == x + w or right == x:
            total += _overlap(top, bottom, y, y + h)
        if top == y + h or bottom == y:
            total += _overlap(left, right, x, x + w)
    return total


@compiled
def _pack(
    sizes: NDArray[np.int32],
    order: NDArray[np.int64],
    width: int,
    height: int,
    rule: int,
    turning: bool,
    strict: bool,
    out: NDArray[np.int32],
) -> tuple[int, int, int, int]:
    """Place rectangles one by one where the rule likes them best.

    ``sizes``: shape (n, 2). ``out``: shape (n, 3): x, y, and 1 if turned; x is -1 where one was not placed.
    With ``strict`` it ends at the first that finds no place. Returns how many were placed, the width and height
    used, and how many rectangles were looked at.
    """
    n = order.shape[0]
    free = np.empty((256, 4), np.int32)  # left, top, right, bottom
    free[0, 0], free[0, 1], free[0, 2], free[0, 3] = 0, 0, width, height
    there = 1
    placed = np.empty((n, 4), np.int32)
    count, used_w, used_h, looked = 0, 0, 0, 0
    out[:, 0] = -1
    far = np.int64(1) << np.int64(60)
    for k in range(n):
        i = order[k]
        best, second, at_x, at_y, at_w, at_h, how = far, far, -1, -1, 0, 0, 0
        for way in range(2 if turning and sizes[i, 0] != sizes[i, 1] else 1):
            w, h = (sizes[i, 1], sizes[i, 0]) if way else (sizes[i, 0], sizes[i, 1])
            looked += there * (1 + count) if rule == 4 else there
            for f in range(there):
                across, down = free[f, 2] - free[f, 0] - w, free[f, 3] - free[f, 1] - h
                if across < 0 or down < 0:
                    continue
                x, y = free[f, 0], free[f, 1]
                low, high = min(across, down), max(across, down)
                if rule == 0:
                    one, two = np.int64(low), np.int64(high)
                elif rule == 1:
                    one, two = np.int64(high), np.int64(low)
                elif rule == 2:
                    one = np.int64(free[f, 2] - x) * np.int64(free[f, 3] - y)
                    two = np.int64(low)
                elif rule == 3:
                    one, two = np.int64(y + h), np.int64(x)
                else:
                    one = -np.int64(_touching(x, y, w, h, width, height, placed, count))
                    two = np.int64(y + h)
                if one < best or (one == best and two < second):
                    best, second, at_x, at_y, at_w, at_h, how = one, two, x, y, w, h, way
        if at_x < 0:
            if strict:
                break
            continue
        out[i, 0], out[i, 1], out[i, 2] = at_x, at_y, how
        right, bottom = at_x + at_w, at_y + at_h
        placed[count, 0], placed[count, 1], placed[count, 2], placed[count, 3] = at_x, at_y, right, bottom
        count += 1
        used_w, used_h = max(used_w, right), max(used_h, bottom)
        # What is free and overlaps the new one becomes what is left of it on each side.
        if free.shape[0] < 5 * there + 8:
            wider = np.empty((10 * there + 16, 4), np.int32)
            wider[:there] = free[:there]
            free = wider
        kept, fresh = 0, there
        for f in range(there):
            x0, y0, x1, y1 = free[f, 0], free[f, 1], free[f, 2], free[f, 3]
            if x0 >= right or x1 <= at_x or y0 >= bottom or y1 <= at_y:
                free[kept, 0], free[kept, 1], free[kept, 2], free[kept, 3] = x0, y0, x1, y1
                kept += 1
                continue
            if at_x > x0:
                free[fresh, 0], free[fresh, 1], free[fresh, 2], free[fresh, 3] = x0, y0, at_x, y1
                fresh += 1
            if right < x1:
                free[fresh, 0], free[fresh, 1], free[fresh, 2], free[fresh, 3] = right, y0, x1, y1
                fresh += 1
            if at_y > y0:
                free[fresh, 0], free[fresh, 1], free[fresh, 2], free[fresh, 3] = x0, y0, x1, at_y
                fresh += 1
            if bottom < y1:
                free[fresh, 0], free[fresh, 1], free[fresh, 2], free[fresh, 3] = x0, bottom, x1, y1
                fresh += 1
        # Only a new one can lie within another: the old ones were none within each other.
        end = kept
        for f in range(there, fresh):
            x0, y0, x1, y1 = free[f, 0], free[f, 1], free[f, 2], free[f, 3]
            inside = False
            for g in range(kept):
                if free[g, 0] <= x0 and free[g, 1] <= y0 and free[g, 2] >= x1 and free[g, 3] >= y1:
                    inside = True
                    break
            if not inside:
                for g in range(there, fresh):
                    if g == f:
                        continue
                    within = free[g, 0] <= x0 and free[g, 1] <= y0 and free[g, 2] >= x1 and free[g, 3] >= y1
                    same = free[g, 0] == x0 and free[g, 1] == y0 and free[g, 2] == x1 and free[g, 3] == y1
                    if within and (not same or g < f):
                        inside = True
                        break
            if not inside:
                placed_at = end
                end += 1
                # Kept ones end before the new ones begin, so nothing unread is written over.
                free[placed_at, 0], free[placed_at, 1] = x0, y0
                free[placed_at, 2], free[placed_at, 3] = x1, y1
        there = end
    return count, used_w, used_h, looked


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
        count, used_w, used_h, looked = _pack(self.sizes, order, width, height, rule, self.turning, strict, out)
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
    for rule in (_SHORT_SIDE, _AREA, _LOW, _LONG_SIDE):
        for order in orders:
            yield order, rule
    if len(pieces.sizes) <= 400:  # it looks at all that lie already
        for order in orders:
            yield order, _CONTACT


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
        tried = pieces.attempt(orders[0], width, space.open, _LOW, True)
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
