"""A picture between two others, each moved part of the way to the other.

How far every pixel moves is found by dense inverse search (Kroeger and others, Fast Optical Flow using Dense
Inverse Search, 2016; OpenCV's), forward and backward. Seen from between, the two are put together as Jiang and
others do (Super SloMo, 2018, equation 4). Where the two pictures, moved, fit each other worse than as they
stand, or the ways there and back disagree, what moves is torn: there they are blended instead.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from .luma import luma
from .weighted import straight, weighted

Flow = NDArray[np.float32]
"""Pixels to the right and down, shape (height, width, 2)."""
SMALLEST = 16
"""Pictures with a shorter side than this are blended."""
_AROUND = 4.0
"""How far around a pixel, in pixels, it is looked at whether the pictures fit."""
_FITS = 12.0
"""Levels by which two pictures differ that do not show the same."""
_SOFT = 2.0
"""Levels over which a torn area begins, and pixels over which it is faded in."""


class Between(NamedTuple):
    """A picture that was made between two others."""

    picture: NDArray[np.uint8]
    """Straight RGBA, shape (height, width, 4)."""
    torn: NDArray[np.float32]
    """Where nothing could be followed, 0 to 1, shape (height, width)."""


def between(one: NDArray[np.uint8], other: NDArray[np.uint8], share: float) -> Between:
    """What lies between two pictures of one size, straight RGBA, at ``share`` of the way (0 to 1)."""
    first, second = weighted(one), weighted(other)
    still = _mixed(first, second, share)
    height, width = one.shape[:2]
    if min(height, width) < SMALLEST:
        return Between(straight(still), np.ones((height, width), np.float32))
    forward, backward = _flows(luma(one), luma(other))
    rest = 1 - share
    to_first = -rest * share * forward + share * share * backward
    to_second = rest * rest * forward - share * rest * backward
    here, there = _moved(first, to_first), _moved(second, to_second)
    misfit = _around(np.abs(here - there).mean(axis=2))
    usual = _around(np.abs(first - second).mean(axis=2))
    torn = np.clip((misfit - usual) / _SOFT, 0, 1)
    lost = np.minimum(_moved(_lost(forward, backward), to_first), _moved(_lost(backward, forward), to_second))
    torn = np.maximum(torn, np.clip(lost, 0, 1) * np.clip((misfit - _FITS) / _FITS, 0, 1))
    torn[np.maximum(misfit, usual) < 0.5] = 0  # nothing moves
    torn = cv2.GaussianBlur(torn, (0, 0), _SOFT)
    made = _mixed(here, there, share) * (1 - torn[:, :, None]) + still * torn[:, :, None]
    return Between(straight(made), torn)


def _flows(one: NDArray[np.float32], other: NDArray[np.float32]) -> tuple[Flow, Flow]:
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    first, second = (np.clip(np.rint(picture), 0, 255).astype(np.uint8) for picture in (one, other))
    return finder.calc(first, second, None), finder.calc(second, first, None)


def _lost(there: Flow, back: Flow) -> NDArray[np.float32]:
    """Where the way there and the way back do not end where they began: 1, elsewhere 0.

    Source: Sundaram and others, Dense Point Trajectories by GPU-accelerated Large Displacement Optical Flow
    (2010), equation 5.
    """
    returned = _moved(back, there)
    apart = np.square(there + returned).sum(axis=2)
    far = np.square(there).sum(axis=2) + np.square(returned).sum(axis=2)
    lost: NDArray[np.bool_] = apart > 0.01 * far + 0.5
    return lost.astype(np.float32)


def _moved(picture: NDArray[np.float32], by: Flow) -> NDArray[np.float32]:
    """A picture's pixels fetched from as far away as ``by`` says."""
    y, x = np.indices(picture.shape[:2], np.float32)
    moved: NDArray[np.float32] = cv2.remap(
        picture, x + by[:, :, 0], y + by[:, :, 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )
    return moved


def _around(values: NDArray[np.float32]) -> NDArray[np.float32]:
    mean: NDArray[np.float32] = cv2.GaussianBlur(values, (0, 0), _AROUND)
    return mean


def _mixed(one: NDArray[np.float32], other: NDArray[np.float32], share: float) -> NDArray[np.float32]:
    return one * np.float32(1 - share) + other * np.float32(share)
