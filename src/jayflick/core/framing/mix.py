"""Pictures laid into each other by weight: dissolves, in-betweens, empty frames."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray


def mix(parts: Sequence[tuple[NDArray[np.uint8], int]], height: int, width: int) -> NDArray[np.uint8]:
    """The weighted mean of pictures, straight RGBA, shape (height, width, 4), taken of sRGB levels.

    Weights are of 256; what they lack to that is empty. Colours count by their alpha, so that an edge never
    takes on the colour that a clear pixel happens to have.
    """
    alpha = np.zeros((height, width, 1), np.uint32)
    colour = np.zeros((height, width, 3), np.uint32)
    for picture, weight in parts:
        weighted = picture[:, :, 3:].astype(np.uint32) * weight
        alpha += weighted
        colour += picture[:, :, :3] * weighted
    out = np.empty((height, width, 4), np.uint8)
    out[:, :, :3] = (colour + alpha // 2) // np.maximum(alpha, 1)
    out[:, :, 3:] = (alpha + 128) // 256
    return out
