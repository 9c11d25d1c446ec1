"""The sRGB transfer function (IEC 61966-2-1) and the luma of ITU-R BT.709."""

import numpy as np
from numpy.typing import NDArray

LUMA = (0.2126, 0.7152, 0.0722)
"""What red, green and blue count for in luma (ITU-R BT.709, section 3.2)."""


def to_linear(levels: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear light, 0 to 1, of levels from 0 to 1."""
    return np.where(levels <= 0.04045, levels / 12.92, ((levels + 0.055) / 1.055) ** 2.4)


def to_levels(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """Levels, 0 to 1, of linear light from 0 to 1."""
    root = np.maximum(light, 0.0031308) ** (1 / 2.4)
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * root - 0.055)


LINEAR = to_linear(np.arange(256, dtype=np.float64) / 255.0)
"""Linear light, 0 to 1, of each of the 256 levels."""
