"""sRGB to OKLab and back to numbers a compiled loop can compare quickly.

Source: Björn Ottosson, "A perceptual color space for image processing" (2020), with its published matrices;
the transfer curve is that of sRGB (``core/srgb.py``).
"""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled, inlined

SCALE = 2048
"""OKLab units per 1.0 when stored as integers: fine enough to tell neighbouring 8-bit colours apart, and
small enough that a squared distance and a palette index fit one signed 32-bit key."""


@inlined
def cube_root(value: float) -> float:
    """Cube root of a number from 0 to about 1, to the last digits: a guess from the exponent, two Halley steps.

    Plain arithmetic, so that every machine gets the same digits, and several times faster than the library's.
    """
    root = np.float64(
        np.uint32(np.float32(value).view(np.uint32) // np.uint32(3) + np.uint32(709921077)).view(np.float32)
    )
    cube = root * root * root
    root = root * (cube + 2.0 * value) / (2.0 * cube + value)
    cube = root * root * root
    return root * (cube + 2.0 * value) / (2.0 * cube + value)


@inlined
def oklab(red: float, green: float, blue: float) -> tuple[float, float, float]:
    """OKLab (L 0 to 1, a, b) of a colour given in linear light, each channel 0 to 1."""
    long = cube_root(0.4122214708 * red + 0.5363325363 * green + 0.0514459929 * blue)
    middle = cube_root(0.2119034982 * red + 0.6806995451 * green + 0.1073969566 * blue)
    short = cube_root(0.0883024619 * red + 0.2817188376 * green + 0.6299787005 * blue)
    return (
        0.2104542553 * long + 0.7936177850 * middle - 0.0040720468 * short,
        1.9779984951 * long - 2.4285922050 * middle + 0.4505937099 * short,
        0.0259040371 * long + 0.7827717662 * middle - 0.8086757660 * short,
    )


@compiled
def oklab_of_srgb(colours: NDArray[np.float64], linear: NDArray[np.float64]) -> NDArray[np.float64]:
    """OKLab of sRGB colours.

    ``colours``: shape (n, 3), levels 0 to 255, fractions allowed. ``linear``: pass ``srgb.LINEAR``.
    Returns shape (n, 3): L, a, b.
    """
    result = np.empty((colours.shape[0], 3), np.float64)
    light = np.empty(3, np.float64)
    for i in range(colours.shape[0]):
        for c in range(3):
            level = min(max(colours[i, c], 0.0), 255.0)
            low = min(int(level), 254)
            light[c] = linear[low] + (linear[low + 1] - linear[low]) * (level - low)
        result[i, 0], result[i, 1], result[i, 2] = oklab(light[0], light[1], light[2])
    return result
