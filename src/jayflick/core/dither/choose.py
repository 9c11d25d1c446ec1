"""Whether pictures are better dithered, found by trying."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from ..formats.gif.encoder import encode_gif
from ..formats.gif.reader import read_gif
from ..formats.gif.runs import steps_of
from ..formats.gif.shared import share_palette
from ..quality.ssim import WINDOW, ssim

MOST_BYTES = 1.25
"""Dither may cost so many times the bytes of none: a sequence can cost a little more than a sample."""
REPEATED = 0.4
"""So many lines are as the one before in art of blocks: half where each pixel became four."""
LEAST_LIKENESS = -0.005
"""And change the structural similarity by no less than this."""


def suits_dither(frames: Sequence[NDArray[np.uint8]], colours: int, amount: int) -> bool:
    """Whether error diffusion serves these pictures. On smooth, dark or flat art its noise is worse than bands,
    and enlarged pixel by pixel, the pixels would be speckled.

    ``frames``: some of a sequence, neighbours among them, shape (height, width, 4), alpha 0 or 255.
    """
    shared = share_palette(frames, colours)
    if shared.lossless or min(frames[0].shape[:2]) < WINDOW:
        return False
    if all(_is_of_blocks(frame) for frame in frames):
        return False
    plain, dithered = encode_gif(frames, shared), encode_gif(frames, shared, amount=amount)
    if len(dithered) > MOST_BYTES * len(plain):
        return False
    with ThreadPoolExecutor(2) as pool:
        undithered, likeness = pool.map(lambda file: _likeness(frames, file), (plain, dithered))
    return likeness - undithered >= LEAST_LIKENESS


def _is_of_blocks(frame: NDArray[np.uint8]) -> bool:
    """Whether a picture repeats columns and rows, as one does that was enlarged by the nearest pixel."""
    return all(_repeated(lines) >= REPEATED for lines in (frame, frame.swapaxes(0, 1)))


def _repeated(lines: NDArray[np.uint8]) -> float:
    """The share of lines of more than one colour that are as the one before."""
    telling = (lines != lines[:, :1]).any(axis=(1, 2))[1:]
    again = (lines[1:] == lines[:-1]).all(axis=(1, 2))
    return float(again[telling].mean()) if telling.any() else 1.0


def _likeness(frames: Sequence[NDArray[np.uint8]], file: bytes) -> float:
    each = [
        ssim(frame[:, :, :3], shown[:, :, :3])
        for frame, shown in zip(frames, steps_of(read_gif(file)), strict=True)
    ]
    return float(np.mean(each))
