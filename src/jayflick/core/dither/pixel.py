"""Pixels as words: red lowest, alpha highest."""

import numpy as np
from numpy.typing import NDArray

from ..compiled import inlined


@inlined
def channels(pixel: np.uint32) -> tuple[int, int, int]:
    return np.int64(pixel & 255), np.int64((pixel >> 8) & 255), np.int64((pixel >> 16) & 255)


@inlined
def is_still(pixel: np.uint32, before: np.uint32, reach: int) -> bool:
    if pixel == before:
        return True
    if reach == 0:
        return False
    r, g, b = channels(pixel)
    r0, g0, b0 = channels(before)
    return abs(r - r0) <= reach and abs(g - g0) <= reach and abs(b - b0) <= reach


@inlined
def square(red: int, green: int, blue: int, palette: NDArray[np.int32], index: int) -> int:
    """The squared error that an entry of a palette, shape (n, 3), has for a colour."""
    i = np.uint64(index)
    r, g, b = red - palette[i, 0], green - palette[i, 1], blue - palette[i, 2]
    return r * r + g * g + b * b
