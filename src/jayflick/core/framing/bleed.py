"""Colour under what is clear, so that coding with loss leaves no dark rim.

Source: the pull and push of Gortler, Grzeszczuk, Szeliski and Cohen, "The Lumigraph" (1996), section 3.4.
"""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled


def bled(frame: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The frame, shape (height, width, 4), with the colours of its art spread into all clear pixels.

    Alpha stays, and so does every pixel that is not wholly clear. A frame without a clear pixel, or of nothing
    else, is returned as it is.
    """
    alpha = frame[:, :, 3]
    if alpha.all() or not alpha.any():
        return frame
    sums = [_halved_frame(frame)]
    while max(sums[-1].shape[:2]) > 1:
        sums.append(_halved(sums[-1]))
    colour = np.zeros((1, 1, 3), np.float32)  # there is art, so the coarsest level takes nothing of it
    for level in reversed(sums):
        colour = _pushed(level, colour)
    return _filled(frame, colour)


@compiled
def _halved_frame(frame: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Sums of two by two pixels: colours by their alpha, and alpha."""
    height, width = frame.shape[0], frame.shape[1]
    out = np.zeros(((height + 1) // 2, (width + 1) // 2, 4), np.float32)
    for y in range(height):
        for x in range(width):
            alpha = np.float32(frame[y, x, 3])
            for c in range(3):
                out[y >> 1, x >> 1, c] += np.float32(frame[y, x, c]) * alpha
            out[y >> 1, x >> 1, 3] += alpha
    return out


@compiled
def _halved(level: NDArray[np.float32]) -> NDArray[np.float32]:
    """Sums of two by two."""
    height, width = level.shape[0], level.shape[1]
    out = np.zeros(((height + 1) // 2, (width + 1) // 2, 4), np.float32)
    for y in range(height):
        for x in range(width):
            for c in range(4):
                out[y >> 1, x >> 1, c] += level[y, x, c]
    return out


@compiled
def _pushed(level: NDArray[np.float32], below: NDArray[np.float32]) -> NDArray[np.float32]:
    """The mean colours of a level; where there is no art those of the level below it, half as fine."""
    height, width = level.shape[0], level.shape[1]
    out = np.empty((height, width, 3), np.float32)
    for y in range(height):
        for x in range(width):
            weight = level[y, x, 3]
            for c in range(3):
                out[y, x, c] = level[y, x, c] / weight if weight > 0 else below[y >> 1, x >> 1, c]
    return out


@compiled
def _filled(frame: NDArray[np.uint8], colour: NDArray[np.float32]) -> NDArray[np.uint8]:
    out = frame.copy()
    for y in range(frame.shape[0]):
        for x in range(frame.shape[1]):
            if frame[y, x, 3] == 0:
                for c in range(3):
                    out[y, x, c] = np.uint8(np.round(colour[y >> 1, x >> 1, c]))
    return out
