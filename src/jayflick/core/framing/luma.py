"""How bright each pixel of a picture is, for comparing pictures."""

import cv2
import numpy as np
from numpy.typing import NDArray

from ..srgb import LUMA
from .alpha import is_opaque

Luma = NDArray[np.float32]


def luma(picture: NDArray[np.uint8]) -> Luma:
    """Luma (ITU-R BT.709) of straight RGBA over middle grey, 0 to 255, shape (height, width)."""
    levels: Luma = cv2.transform(picture[:, :, :3].astype(np.float32), np.array([LUMA], np.float32))
    if is_opaque(picture):
        return levels
    share = picture[:, :, 3].astype(np.float32) / 255
    mixed: Luma = (levels * share + 128 * (1 - share)).astype(np.float32)
    return mixed
