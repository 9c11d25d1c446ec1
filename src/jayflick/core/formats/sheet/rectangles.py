"""Placing rectangles one by one on a sheet.

Source: J. Jylänki, "A thousand ways to pack the bin" (2010), section 2.4 (maximal rectangles).
"""

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled

SHORT_SIDE, LONG_SIDE, AREA, LOW, CONTACT = range(5)
"""By what a place is chosen: the shorter side that is left, the longer, the area, how low it ends, and how much
of the edge touches others."""


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
def pack(
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
            looked += there * (1 + count) if rule == CONTACT else there
            for f in range(there):
                across, down = free[f, 2] - free[f, 0] - w, free[f, 3] - free[f, 1] - h
                if across < 0 or down < 0:
                    continue
                x, y = free[f, 0], free[f, 1]
                low, high = min(across, down), max(across, down)
                if rule == SHORT_SIDE:
                    one, two = np.int64(low), np.int64(high)
                elif rule == LONG_SIDE:
                    one, two = np.int64(high), np.int64(low)
                elif rule == AREA:
                    one = np.int64(free[f, 2] - x) * np.int64(free[f, 3] - y)
                    two = np.int64(low)
                elif rule == LOW:
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
