"""What a dither by place compares with."""

import numpy as np
from numpy.typing import NDArray

from .kinds import Dither, Matrix
from .noise import blue_noise
from .ordered import order_of


def thresholds(dither: Dither, matrix: Matrix) -> NDArray[np.uint8] | None:
    """The square of thresholds, 0 to 255, that a dither compares with; ``None`` if it is not by place."""
    if dither == "ordered":
        ranks = order_of(matrix)
    elif dither == "noise":
        ranks = blue_noise()
    else:
        return None
    return ((2 * ranks + 1) * 128 // ranks.size).astype(np.uint8)
