"""The order in which an ordered dither lights the pixels of a square."""

import numpy as np
from numpy.typing import NDArray


def _order() -> NDArray[np.int64]:
    order = np.zeros((1, 1), np.int64)
    for _ in range(3):
        order = np.block([[4 * order, 4 * order + 2], [4 * order + 3, 4 * order + 1]])
    return order


ORDER = _order()
"""0 to 63, shape (8, 8).

Source: B. Bayer, "An optimum method for two-level rendition of continuous-tone pictures" (1973).
"""
