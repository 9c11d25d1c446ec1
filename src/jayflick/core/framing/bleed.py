"""Colour under what is clear, so that coding with loss leaves no dark rim.

Source: the pull and push of Gortler, Grzeszczuk, Szeliski and Cohen, "The Lumigraph" (1996), section 3.4.
"""

import numpy as np
from numpy.typing import NDArray


def bled(frame: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The frame, shape (height, width, 4), with the colours of its art spread into all clear pixels.

    Alpha stays, and so does every pixel that is not wholly clear. A frame without a clear pixel, or of nothing
    else, is returned as it is.
    """
    clear = frame[:, :, 3] == 0
    if not clear.any() or clear.all():
        return frame
    weight = frame[:, :, 3].astype(np.float32)
    sums = [np.dstack([frame[:, :, :3] * weight[:, :, None], weight])]
    while max(sums[-1].shape[:2]) > 1:
        sums.append(_halved(sums[-1]))
    colour = sums[-1][:, :, :3] / np.maximum(sums[-1][:, :, 3:], 1e-6)
    for level in reversed(sums[:-1]):
        height, width = level.shape[:2]
        below = colour.repeat(2, axis=0).repeat(2, axis=1)[:height, :width]
        there = level[:, :, 3:] > 0
        colour = np.where(there, level[:, :, :3] / np.maximum(level[:, :, 3:], 1e-6), below)
    out = frame.copy()
    out[:, :, :3][clear] = np.round(colour[clear]).astype(np.uint8)
    return out


def _halved(level: NDArray[np.float32]) -> NDArray[np.float32]:
    """Sums of two by two pixels."""
    height, width = level.shape[:2]
    even = np.pad(level, ((0, height & 1), (0, width & 1), (0, 0)))
    quads = even.reshape(even.shape[0] // 2, 2, even.shape[1] // 2, 2, 4)
    total: NDArray[np.float32] = quads.sum(axis=(1, 3))
    return total
