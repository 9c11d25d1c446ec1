"""How far colours are apart in chroma and hue.

Sources: IEC 61966-2-1 (sRGB), CIE 15 (L*a*b*, white point D65, 2°), CIE 142-2001 (CIEDE2000), its terms as
G. Sharma, W. Wu and E. N. Dalal give them, "The CIEDE2000 color-difference formula: implementation notes,
supplementary test data, and mathematical observations" (2005).
"""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

_TO_XYZ = np.array(
    [[0.412453, 0.357580, 0.180423], [0.212671, 0.715160, 0.072169], [0.019334, 0.119193, 0.950227]]
)
_WHITE = np.array([0.95047, 1.0, 1.08883])
_25_7 = 25.0**7


def lab(rgb: Floats) -> Floats:
    """sRGB levels, 0 to 255, of shape (…, 3), as L*, a*, b*."""
    share = rgb / 255
    light = np.where(share > 0.04045, ((share + 0.055) / 1.055) ** 2.4, share / 12.92)
    xyz = light @ _TO_XYZ.T / _WHITE
    roots = np.where(xyz > 0.008856, np.cbrt(xyz), 7.787 * xyz + 16 / 116)
    x, y, z = roots[..., 0], roots[..., 1], roots[..., 2]
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def hue_difference(first: Floats, second: Floats) -> Floats:
    """CIEDE2000 without its term of lightness, of sRGB levels of shape (…, 3); shape (…)."""
    one, two = lab(first), lab(second)
    chroma = [np.hypot(value[..., 1], value[..., 2]) for value in (one, two)]
    mean = ((chroma[0] + chroma[1]) / 2) ** 7
    stretch = 1.5 - 0.5 * np.sqrt(mean / (mean + _25_7))
    a1, a2 = one[..., 1] * stretch, two[..., 1] * stretch
    b1, b2 = one[..., 2], two[..., 2]
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    turn = (h2 - h1 + 180) % 360 - 180
    turn = np.where(grey, 0.0, turn)
    apart = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    c_mean = (c1 + c2) / 2
    h_mean = np.where(grey, h1 + h2, (h1 + turn / 2) % 360)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    c7 = c_mean**7
    twist = -np.sin(np.radians(60 * np.exp(-(((h_mean - 275) / 25) ** 2)))) * 2 * np.sqrt(c7 / (c7 + _25_7))
    in_chroma = (c2 - c1) / (1 + 0.045 * c_mean)
    in_hue = apart / (1 + 0.015 * c_mean * t)
    difference: Floats = np.sqrt(np.maximum(in_chroma**2 + in_hue**2 + twist * in_chroma * in_hue, 0))
    return difference
