"""What is seen of a picture with alpha."""

import numpy as np
from numpy.typing import NDArray

GREY = (128, 128, 128)
"""What clear pixels are laid over where there is no page colour: both pictures lose the same by it."""


def over(picture: NDArray[np.uint8], colour: tuple[int, int, int]) -> NDArray[np.uint8]:
    """Straight RGBA of shape (height, width, 4) laid over a colour; shape (height, width, 3)."""
    alpha = picture[:, :, 3:]
    if (alpha == 255).all():
        return np.ascontiguousarray(picture[:, :, :3])
    share = alpha.astype(np.uint32)
    seen = (picture[:, :, :3] * share + np.array(colour, np.uint32) * (255 - share) + 127) // 255
    return seen.astype(np.uint8)
