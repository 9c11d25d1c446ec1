"""Structural similarity of two pictures.

Source: Z. Wang, A. C. Bovik, H. R. Sheikh and E. P. Simoncelli, "Image quality assessment: from error
visibility to structural similarity" (2004), with a flat window of 7 × 7 pixels.
"""

import numpy as np
from numpy.typing import NDArray

WINDOW = 7
C1, C2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2


def ssim(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> float:
    """From 1 for equal pictures downwards; both of shape (height, width, channels), 7 × 7 or larger."""
    x, y = a.astype(np.float64), b.astype(np.float64)
    count = WINDOW * WINDOW
    unbiased = count / (count - 1)
    mean_x, mean_y = _means(x), _means(y)
    spread_x = (_means(x * x) - mean_x * mean_x) * unbiased
    spread_y = (_means(y * y) - mean_y * mean_y) * unbiased
    shared = (_means(x * y) - mean_x * mean_y) * unbiased
    alike = (2 * mean_x * mean_y + C1) * (2 * shared + C2)
    scale = (mean_x * mean_x + mean_y * mean_y + C1) * (spread_x + spread_y + C2)
    return float((alike / scale).mean())


def _means(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """The mean of each whole window."""
    sums = values.cumsum(axis=0).cumsum(axis=1)
    sums = np.pad(sums, ((1, 0), (1, 0), (0, 0)))
    w = WINDOW
    total = sums[w:, w:] - sums[:-w, w:] - sums[w:, :-w] + sums[:-w, :-w]
    means: NDArray[np.float64] = total / (w * w)
    return means
