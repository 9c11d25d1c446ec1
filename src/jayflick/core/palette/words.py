"""Colours as words of 32 bits: red lowest, alpha highest."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from .choose import Colour


def packed(colours: Sequence[Colour]) -> NDArray[np.uint32]:
    """Colours as words, red lowest, alpha 0."""
    return np.array([red | green << 8 | blue << 16 for red, green, blue in colours], np.uint32)


def words_of(colours: NDArray[np.uint8]) -> NDArray[np.uint32]:
    """The entries of a palette, shape (n, 3), as words, alpha highest; shape (256,), 0 beyond the last."""
    words = np.zeros(256, np.uint32)
    red, green, blue = colours.astype(np.uint32).T
    words[: len(colours)] = red | green << 8 | blue << 16 | np.uint32(0xFF000000)
    return words


def as_words(frame: NDArray[np.uint8]) -> NDArray[np.uint32]:
    """The pixels of a frame, shape (height, width, 4), as words, shape (height, width)."""
    height, width = frame.shape[:2]
    words: NDArray[np.uint32] = np.ascontiguousarray(frame).reshape(height, width * 4).view("<u4")
    return words
