"""Structural similarity of two pictures.

Source: Z. Wang, A. C. Bovik, H. R. Sheikh and E. P. Simoncelli, "Image quality assessment: from error
visibility to structural similarity" (2004), with a flat window of 7 × 7 pixels.
"""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled

WINDOW = 7
C1, C2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
_SHARE = 1 / WINDOW**2
_UNBIASED = WINDOW**2 / (WINDOW**2 - 1)


@compiled
def _add_row(row: NDArray[np.uint8], other: NDArray[np.uint8], sign: int, columns: NDArray[np.int32]) -> None:
    for x in range(row.shape[0]):
        for channel in range(row.shape[1]):
            a, b = np.int32(row[x, channel]), np.int32(other[x, channel])
            at = x * row.shape[1] + channel
            columns[0, at] += sign * a
            columns[1, at] += sign * b
            columns[2, at] += sign * (a * a)
            columns[3, at] += sign * (b * b)
            columns[4, at] += sign * (a * b)


@compiled
def _row(
    a: NDArray[np.int32],
    b: NDArray[np.int32],
    a_a: NDArray[np.int32],
    b_b: NDArray[np.int32],
    a_b: NDArray[np.int32],
    out: NDArray[np.float64],
) -> None:
    for x in range(out.shape[0]):
        mean_a, mean_b = a[x] * _SHARE, b[x] * _SHARE
        spread_a = (a_a[x] * _SHARE - mean_a * mean_a) * _UNBIASED
        spread_b = (b_b[x] * _SHARE - mean_b * mean_b) * _UNBIASED
        shared = (a_b[x] * _SHARE - mean_a * mean_b) * _UNBIASED
        alike = (2.0 * mean_a * mean_b + C1) * (2.0 * shared + C2)
        out[x] = alike / ((mean_a * mean_a + mean_b * mean_b + C1) * (spread_a + spread_b + C2))


@compiled
def _mean_ssim(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> float:
    height, width, channels = a.shape
    columns = np.zeros((5, width * channels), np.int32)  # sums over the window's height
    places = (width - WINDOW + 1) * channels
    sums = np.zeros((5, places), np.int32)  # over all of it
    row = np.empty(places, np.float64)
    total = 0.0
    for y in range(height):
        _add_row(a[y], b[y], 1, columns)
        if y >= WINDOW:
            _add_row(a[y - WINDOW], b[y - WINDOW], -1, columns)
        if y < WINDOW - 1:
            continue
        for i in range(5):
            column, across = columns[i], sums[i]
            across[:] = column[:places]
            for step in range(1, WINDOW):
                later = column[step * channels :]
                for x in range(places):
                    across[x] += later[x]
        _row(sums[0], sums[1], sums[2], sums[3], sums[4], row)
        total += row.sum()
    return np.float64(total / ((height - WINDOW + 1) * places))


def ssim(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> float:
    """From 1 for equal pictures downwards; both of shape (height, width, channels), 7 × 7 or larger."""
    likeness: float = _mean_ssim(np.ascontiguousarray(a), np.ascontiguousarray(b))
    return likeness
