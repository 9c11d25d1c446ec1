"""The order in which an ordered dither lights the pixels of a square.

Source: B. Bayer, "An optimum method for two-level rendition of continuous-tone pictures" (1973).
"""

import numpy as np
from numpy.typing import NDArray


def order_of(side: int) -> NDArray[np.int64]:
    """0 to side² - 1, shape (side, side); ``side``: a power of two."""
    order = np.zeros((1, 1), np.int64)
    while len(order) < side:
        order = np.block([[4 * order, 4 * order + 2], [4 * order + 3, 4 * order + 1]])
    return order


ORDER = order_of(8)
"""0 to 63, shape (8, 8)."""
