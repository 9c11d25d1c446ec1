"""What a file costs: its bytes, and how far its pictures are from their sources."""

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled
from ...quality.visible import SCALE, visibility
from .lossy import price
from .reader import read_gif
from .runs import steps_of
from .side_by_side import Frames

_LEAST_LOSS = 20
"""Below this loss a byte is not taken to be worth less than at it: bytes count where none is allowed, too."""


@compiled
def _error(source: NDArray[np.uint8], shown: NDArray[np.uint8], weights: NDArray[np.uint16]) -> float:
    total = 0.0
    for y in range(source.shape[0]):
        for x in range(source.shape[1]):
            square = np.int64(0)
            for channel in range(3):
                apart = np.int64(source[y, x, channel]) - np.int64(shown[y, x, channel])
                square += apart * apart
            total += np.float64(weights[y, x]) * np.float64(square)
    return total


def cost(data: bytes, frames: Frames, loss: int) -> float:
    """A GIF's cost, as squared error: that of its pictures by how much it shows, and its bits at their price.

    ``data``: as it was coded, without its time. ``frames``: what it was made of, wholly opaque.
    """
    total = 8 * len(data) * price(max(loss, _LEAST_LOSS)) * SCALE
    for index, shown in enumerate(steps_of(read_gif(data))):
        frame = frames[index]
        total += _error(frame, shown, visibility(frame))
    return float(total)
