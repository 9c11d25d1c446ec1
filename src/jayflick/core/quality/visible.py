"""How much an error shows at each pixel of a picture.

Structural similarity (see :mod:`.ssim`) falls with the square of an error that has no mean by 1/(2σ² + C2), and
of one that is a mean by 1/(2µ² + C1), where µ and σ² are mean and variance of the window: errors show where a
picture is smooth, and more where it is dark. The squared error of PSNR counts the same everywhere. What is
weighed here lies between the two.
"""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled, inlined
from ..palette.words import as_words
from .ssim import C1, C2

SCALE = 64
"""The weight of a pixel in a flat part of middling brightness."""


@compiled
def _sum_up(words: NDArray[np.uint32], sums: NDArray[np.int32]) -> None:
    """Sums over blocks of 2 × 2 pixels, shape (6, rows, columns): of the channels' levels and of their squares.

    A last row or column by itself counts twice. What is clear counts as grey, as it does when likeness is
    measured.
    """
    height, width = words.shape
    for row in range(sums.shape[1]):
        upper, lower = words[2 * row], words[min(2 * row + 1, height - 1)]
        for at in range(sums.shape[2]):
            left, right = 2 * at, min(2 * at + 1, width - 1)
            r = g = b = np.int32(0)
            r2 = g2 = b2 = np.int32(0)
            for pixel in (upper[left], upper[right], lower[left], lower[right]):
                seen = pixel if pixel >> np.uint32(24) != 0 else np.uint32(0x808080)
                one = np.int32(seen & np.uint32(255))
                two = np.int32((seen >> np.uint32(8)) & np.uint32(255))
                three = np.int32((seen >> np.uint32(16)) & np.uint32(255))
                r, g, b = np.int32(r + one), np.int32(g + two), np.int32(b + three)
                r2, g2, b2 = np.int32(r2 + one * one), np.int32(g2 + two * two), np.int32(b2 + three * three)
            sums[0, row, at], sums[1, row, at], sums[2, row, at] = r, g, b
            sums[3, row, at], sums[4, row, at], sums[5, row, at] = r2, g2, b2


@inlined
def _here(at: int, length: int) -> int:
    """How many of the three around a place there are."""
    return 3 - (1 if at == 0 else 0) - (1 if at == length - 1 else 0)


@compiled
def _shows(sums: NDArray[np.int32], out: NDArray[np.float32]) -> None:
    """By the window of each block, of 3 × 3 blocks, the mean over the channels of 1/(2µ² + C1) + 1/(2σ² + C2),
    in units of 1/C2. At an edge a window is what there is of it.
    """
    _, rows, columns = sums.shape
    held = np.zeros((6, columns + 2), np.int32)
    shares = np.empty(columns, np.float32)
    for y in range(rows):
        for plane in range(6):
            for x in range(columns):
                held[plane, x + 1] = sums[plane, y, x]
            if y > 0:
                for x in range(columns):
                    held[plane, x + 1] += sums[plane, y - 1, x]
            if y + 1 < rows:
                for x in range(columns):
                    held[plane, x + 1] += sums[plane, y + 1, x]
        for x in range(columns):
            out[y, x] = 0
            shares[x] = np.float32(0.25) / np.float32(_here(y, rows) * _here(x, columns))
        for c in range(3):
            for x in range(columns):
                level = np.int32(held[c, x] + held[c, x + 1] + held[c, x + 2])
                square = np.int32(held[c + 3, x] + held[c + 3, x + 1] + held[c + 3, x + 2])
                mean = np.float32(level) * shares[x]
                spread = max(np.float32(square) * shares[x] - mean * mean, np.float32(0))
                dark = mean * mean * np.float32(2) + np.float32(C1)
                busy = spread * np.float32(2) + np.float32(C2)
                out[y, x] += np.float32(C2 / 3) * (dark + busy) / (dark * busy)


@compiled
def _between(shows: NDArray[np.float32], out: NDArray[np.uint16]) -> None:
    """The weights of pixels, each that of its block: by the mean over the windows that hold it."""
    rows, columns = shows.shape
    height, width = out.shape
    held = np.zeros(columns + 2, np.float32)
    weights = np.zeros(columns, np.uint16)
    for y in range(rows):
        for x in range(columns):
            held[x + 1] = shows[y, x]
        if y > 0:
            for x in range(columns):
                held[x + 1] += shows[y - 1, x]
        if y + 1 < rows:
            for x in range(columns):
                held[x + 1] += shows[y + 1, x]
        for x in range(columns):
            total = held[x] + held[x + 1] + held[x + 2]
            root = np.sqrt(total / np.float32(_here(y, rows) * _here(x, columns)))
            weight = root * np.sqrt(root) * np.float32(SCALE) + np.float32(0.5)
            weights[x] = np.uint16(max(weight, np.float32(1)))
        for j in range(2 * y, min(2 * y + 2, height)):
            for x in range(width // 2):
                out[j, 2 * x] = weights[x]
                out[j, 2 * x + 1] = weights[x]
            out[j, width - 1] = weights[columns - 1]


def visibility(frame: NDArray[np.uint8]) -> NDArray[np.uint16]:
    """Weights of squared errors, shape (height, width), in parts of :data:`SCALE`; none is 0.

    ``frame``: shape (height, width, 4). Windows are of 6 × 6 pixels, and a pixel counts by all that hold it.
    """
    height, width = frame.shape[:2]
    words = as_words(frame)
    blocks = (height + 1) // 2, (width + 1) // 2
    sums = np.empty((6, *blocks), np.int32)
    _sum_up(words, sums)
    shows = np.empty(blocks, np.float32)
    _shows(sums, shows)
    out = np.empty((height, width), np.uint16)
    _between(shows, out)
    return out
