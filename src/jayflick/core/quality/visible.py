"""How much an error shows at each pixel of a picture.

Structural similarity (see :mod:`.ssim`) falls with the square of an error that has no mean by 1/(2σ² + C2), and
of one that is a mean by 1/(2µ² + C1), where µ and σ² are mean and variance of the window: errors show where a
picture is smooth, and more where it is dark. The squared error of PSNR counts the same everywhere. What is
weighed here lies between the two.
"""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from .ssim import C1, C2, WINDOW

SCALE = 64
"""The weight of a pixel in a flat part of middling brightness."""


_HALF = WINDOW // 2


@compiled
def _shows(words: NDArray[np.uint32], out: NDArray[np.float32]) -> None:
    """By each pixel's own window, at an edge by what there is of it: the mean over the channels of
    1/(2µ² + C1) + 1/(2σ² + C2), in units of 1/C2.

    What is clear counts as grey, as it is when likeness is measured.
    """
    height, width = words.shape
    sums = np.zeros((3, width), np.int32)
    squares = np.zeros((3, width), np.int32)
    # Running totals along a row, with as many more at either end as a window reaches over it.
    total = np.zeros(width + WINDOW, np.int32)
    square = np.zeros(width + WINDOW, np.int32)
    shares = np.zeros(width, np.float32)
    for y in range(-_HALF, height):
        for step in range(2):
            row = y + _HALF if step == 0 else y - _HALF - 1
            if row < 0 or row >= height:
                continue
            sign = np.int32(1 - 2 * step)
            for c in range(3):
                shift = np.uint32(8 * c)
                for x in range(width):
                    pixel = words[row, x] if words[row, x] >> np.uint32(24) != 0 else np.uint32(0x808080)
                    level = np.int32((pixel >> shift) & np.uint32(255))
                    sums[c, x] += sign * level
                    squares[c, x] += sign * level * level
        if y < 0:
            continue
        rows = min(y + _HALF, height - 1) - max(y - _HALF, 0) + 1
        for x in range(width):
            across = min(x + _HALF, width - 1) - max(x - _HALF, 0) + 1
            shares[x] = np.float32(1) / np.float32(rows * across)
        for c in range(3):
            for x in range(width):
                total[x + _HALF + 1] = np.int32(total[x + _HALF] + sums[c, x])
                square[x + _HALF + 1] = np.int32(square[x + _HALF] + squares[c, x])
            for x in range(width + _HALF + 1, width + WINDOW):
                total[x], square[x] = total[width + _HALF], square[width + _HALF]
            for x in range(width):
                part = shares[x]
                mean = np.float32(np.int32(total[x + WINDOW] - total[x])) * part
                spread = np.float32(np.int32(square[x + WINDOW] - square[x])) * part - mean * mean
                dark = mean * mean * np.float32(2) + np.float32(C1)
                busy = max(spread, np.float32(0)) * np.float32(2) + np.float32(C2)
                out[y, x] += np.float32(C2 / 3) * (dark + busy) / (dark * busy)


@compiled
def _spread(values: NDArray[np.float32], out: NDArray[np.float32]) -> None:
    """The mean over the windows that hold a pixel."""
    height, width = values.shape
    columns = np.zeros(width, np.float64)
    total = np.zeros(width + WINDOW, np.float64)
    for y in range(-_HALF, height):
        if y + _HALF < height:
            for x in range(width):
                columns[x] += values[y + _HALF, x]
        if y - _HALF - 1 >= 0:
            for x in range(width):
                columns[x] -= values[y - _HALF - 1, x]
        if y < 0:
            continue
        rows = min(y + _HALF, height - 1) - max(y - _HALF, 0) + 1
        for x in range(width):
            total[x + _HALF + 1] = total[x + _HALF] + columns[x]
        for x in range(width + _HALF + 1, width + WINDOW):
            total[x] = total[width + _HALF]
        for x in range(width):
            across = min(x + _HALF, width - 1) - max(x - _HALF, 0) + 1
            out[y, x] = np.float32((total[x + WINDOW] - total[x]) / (rows * across))


@compiled
def _between(shows: NDArray[np.float32], out: NDArray[np.uint16]) -> None:
    for y in range(shows.shape[0]):
        for x in range(shows.shape[1]):
            root = np.sqrt(max(shows[y, x], np.float32(0)))
            out[y, x] = np.uint16(
                max(root * np.sqrt(root) * np.float32(SCALE) + np.float32(0.5), np.float32(1))
            )


def visibility(frame: NDArray[np.uint8]) -> NDArray[np.uint16]:
    """Weights of squared errors, shape (height, width), in parts of :data:`SCALE`; none is 0.

    ``frame``: shape (height, width, 4). A pixel counts by all windows that hold it.
    """
    height, width = frame.shape[:2]
    words = np.ascontiguousarray(frame).reshape(height, width * 4).view("<u4")
    own, held = np.zeros((2, height, width), np.float32)
    _shows(words, own)
    _spread(own, held)
    out = np.empty((height, width), np.uint16)
    _between(held, out)
    return out
