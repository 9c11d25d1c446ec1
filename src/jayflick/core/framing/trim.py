"""What of the pictures is used: where there is art, where anything moves, what lies between bars."""

from collections.abc import Iterable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

By = Literal["alpha", "change", "bars"]
"""What is kept: all that is not clear in any frame; all that changes; all but bars, of one colour and still."""
Box = tuple[int, int, int, int]
"""Left, top, width, height."""
GRAIN = 8
"""Levels of 255 that a still picture may differ by, from grain or from coding with loss."""
BAR = 3
"""The fewest rows or columns that are taken for a bar."""


def used_box(pictures: Iterable[NDArray[np.uint8]], by: By, tolerance: int = 0) -> Box | None:
    """The smallest box that holds what any of the pictures uses; ``None`` when nothing is, or nothing else.

    ``pictures``: straight RGBA of one size. ``tolerance``: how many levels of 255 count as no difference (for
    alpha: as clear).
    """
    least = most = alpha = None
    for picture in pictures:
        if by == "alpha":
            alpha = picture[:, :, 3].copy() if alpha is None else np.maximum(alpha, picture[:, :, 3])
            continue
        seen = _seen(picture)
        if least is None or most is None:
            least, most = seen.copy(), seen.copy()
        else:
            np.minimum(least, seen, out=least)
            np.maximum(most, seen, out=most)
    if alpha is not None:
        return _box(alpha > tolerance)
    if least is None or most is None:
        return None
    if by == "change":
        return _box((most - least).max(axis=2) > tolerance)
    return _between_bars(least, most, tolerance)


def with_margin(box: Box, margin: int, width: int, height: int) -> Box:
    """A box with so many pixels around it, as far as there are any."""
    left, top = max(0, box[0] - margin), max(0, box[1] - margin)
    right, bottom = min(width, box[0] + box[2] + margin), min(height, box[1] + box[3] + margin)
    return left, top, right - left, bottom - top


def _seen(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture for comparison: colours that nobody sees are all the same."""
    if (picture[:, :, 3] == 255).all():
        return picture
    return np.where(picture[:, :, 3:] > 0, picture, np.uint8(0))


def _box(used: NDArray[np.bool_]) -> Box | None:
    """The box of what is used; ``None`` when that is nothing, or everything."""
    rows, columns = np.flatnonzero(used.any(axis=1)), np.flatnonzero(used.any(axis=0))
    if len(rows) == 0:
        return None
    top, left = int(rows[0]), int(columns[0])
    box = left, top, int(columns[-1]) - left + 1, int(rows[-1]) - top + 1
    return None if box == (0, 0, used.shape[1], used.shape[0]) else box


def _between_bars(least: NDArray[np.uint8], most: NDArray[np.uint8], tolerance: int) -> Box | None:
    """What is left when from each side the rows, then the columns, go that have one colour and never change."""

    def bar(low: NDArray[np.uint8], high: NDArray[np.uint8]) -> int:
        """How many of the first lines are of the colour of the first."""
        first = low[0].min(axis=0).astype(int)
        count = 0
        for one, other in zip(low, high, strict=True):
            if np.abs(one.astype(int) - first).max() > tolerance or np.abs(other - first).max() > tolerance:
                break
            count += 1
        return count if count >= BAR else 0

    height, width = least.shape[:2]
    top, bottom = bar(least, most), bar(least[::-1], most[::-1])
    if top + bottom >= height:
        return None  # all of one colour
    low, high = (side[top : height - bottom].swapaxes(0, 1) for side in (least, most))
    left, right = bar(low, high), bar(low[::-1], high[::-1])
    if top == bottom == left == right == 0 or left + right >= width:
        return None
    return left, top, width - left - right, height - top - bottom
