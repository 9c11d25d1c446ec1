"""What of a picture is not clear, as a box."""

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray


class Box(NamedTuple):
    """A part of a canvas, in pixels."""

    left: int
    top: int
    width: int
    height: int


NOTHING = Box(0, 0, 0, 0)


def box_of(picture: NDArray[np.uint8]) -> Box:
    """The smallest box with all that is not clear of a picture, shape (height, width, 4); one of no size where
    all is."""
    seen = picture[:, :, 3] > 0
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    if len(rows) == 0:
        return NOTHING
    left, top = int(columns[0]), int(rows[0])
    return Box(left, top, int(columns[-1]) - left + 1, int(rows[-1]) - top + 1)


def union(boxes: Iterable[Box]) -> Box:
    """The smallest box that holds all of them; those of no size count for nothing."""
    some = [box for box in boxes if box.width]
    if not some:
        return NOTHING
    left, top = min(box.left for box in some), min(box.top for box in some)
    right = max(box.left + box.width for box in some)
    return Box(left, top, right - left, max(box.top + box.height for box in some) - top)
