"""Colours that count by their alpha, as whatever mixes pixels needs them (Porter and Duff, 1984)."""

import numpy as np
from numpy.typing import NDArray


def weighted(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Straight RGBA, shape (height, width, 4), with each colour multiplied by its alpha; 0 to 255."""
    made = picture.astype(np.float32)
    made[:, :, :3] *= made[:, :, 3:] / 255
    return made


def straight(mixed: NDArray[np.float32]) -> NDArray[np.uint8]:
    """What :func:`weighted` undone is: straight RGBA. What overshoots is cut, what is clear is black."""
    colour = mixed[:, :, :3] * (255 / np.maximum(mixed[:, :, 3:], 0.5))  # before alpha is cut: both overshoot
    out: NDArray[np.uint8] = np.clip(np.rint(np.dstack([colour, mixed[:, :, 3]])), 0, 255).astype(np.uint8)
    out[out[:, :, 3] == 0] = 0
    return out
