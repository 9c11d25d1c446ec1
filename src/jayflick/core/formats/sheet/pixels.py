"""Pixels with fewer levels, as textures hold them.

A channel of n bits holds the parts k / (2ⁿ − 1) (OpenGL 4.6, section 2.3.5.1). What is written is that part of
255, so that reading the file and dropping bits gives k again.
"""

from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled
from ...dither.diffused import hand_on
from ...dither.ordered import ORDER
from ..picture import with_pixels

BITS: dict[str, tuple[int, int, int, int]] = {
    "8888": (8, 8, 8, 8),
    "4444": (4, 4, 4, 4),
    "5551": (5, 5, 5, 1),
    "565": (5, 6, 5, 0),
}
BYTES: dict[str, int] = {"8888": 4, "4444": 2, "5551": 2, "565": 2, "256": 1, "grey": 2}
"""What a pixel takes in memory."""
Dither = Literal["none", "ordered", "diffusion"]
DITHERS: tuple[Dither, ...] = get_args(Dither)


THRESHOLDS: NDArray[np.float32] = ((ORDER + 0.5) / 64).astype(np.float32)
"""From 0 to 1, each once in a square of 8 × 8."""


def texture_bytes(width: int, height: int, pixels: str, mip_levels: bool) -> int:
    """The memory that a sheet takes once it is loaded: 2048 × 2048 × 4 are 16 MiB.

    With ``mip_levels`` each half as wide and high as the one before, down to one pixel, beside it.
    """
    total = width * height
    while mip_levels and (width > 1 or height > 1):
        width, height = max(1, width // 2), max(1, height // 2)
        total += width * height
    palette = 4 * 256 if pixels == "256" else 0
    return total * BYTES[pixels] + palette


@compiled
def _reduced(
    frame: NDArray[np.uint8],
    most: NDArray[np.int64],
    added: NDArray[np.float32],
    left: int,
    top: int,
    diffuse: bool,
    out: NDArray[np.uint8],
) -> None:
    height, width = frame.shape[:2]
    here, below = np.zeros((width + 2, 4), np.float32), np.zeros((width + 2, 4), np.float32)
    for y in range(height):
        for x in range(width):
            clear = frame[y, x, 3] == 0
            for c in range(4):
                levels = most[c]
                if levels == 255 or levels == 0:
                    out[y, x, c] = frame[y, x, c]
                    continue
                value = np.float32(frame[y, x, c])
                if diffuse and not clear:
                    value = min(np.float32(255), max(np.float32(0), value + here[x + 1, c]))
                exact = value * np.float32(levels) / np.float32(255)
                rounding = np.float32(0.5) if diffuse else added[(y + top) & 7, (x + left) & 7]
                near = min(np.int64(exact + np.float32(0.5)), levels)
                shown = np.uint8((near * 255 * 2 + levels) // (2 * levels))
                if np.float32(shown) != value:  # otherwise it can be held as it is
                    level = min(np.int64(exact + rounding), levels)
                    shown = np.uint8((level * 255 * 2 + levels) // (2 * levels))
                out[y, x, c] = shown
                if diffuse and not clear:
                    hand_on(value - np.float32(shown), here, below, x, c)
        here, below = below, here
        below[:] = 0


def reduced(
    frame: NDArray[np.uint8], pixels: str, dither: Dither, left: int = 0, top: int = 0
) -> NDArray[np.uint8]:
    """A picture, straight RGBA, with the levels it keeps as ``pixels``; not for ``256``, which needs a palette.

    ``left`` and ``top``: where it lies on its canvas, so that an ordered pattern lies still.
    Levels that can be held stay as they are, dithered or not. 565 has no alpha: the frame has to be opaque.
    """
    if pixels == "grey":
        grey = with_pixels(frame, "grey")
        return np.dstack([grey, grey, grey, frame[:, :, 3]])
    bits = BITS[pixels]
    if bits == (8, 8, 8, 8):
        return frame
    out = np.empty(frame.shape, np.uint8)
    most = np.array([(1 << count) - 1 for count in bits], np.int64)
    _reduced(np.ascontiguousarray(frame), most, _added(dither), left, top, dither == "diffusion", out)
    return out


def _added(dither: Dither) -> NDArray[np.float32]:
    """What is added before a level is cut down to a whole one, shape (8, 8)."""
    if dither != "ordered":
        return np.full((8, 8), 0.5, np.float32)
    return THRESHOLDS
