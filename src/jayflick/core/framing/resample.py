"""Bringing a picture to another size in linear light.

Colours are added up as light, not as levels: levels follow the sRGB transfer function (IEC 61966-2-1), and a
mean of levels darkens fine detail. They count by their alpha, so that what is hidden under clear pixels never
bleeds into an edge (Porter and Duff, Compositing Digital Images, 1984).
"""

from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from ..srgb import LINEAR, to_levels
from .alpha import is_opaque

Filter = Literal["area", "lanczos", "nearest"]
_STEPS = 1 << 16
"""Steps of linear light that have a level each: the error is at most a fortieth of a level."""
_LOBES = 3
"""Of the Lanczos filter, as most programs have it."""


_LIGHT = LINEAR.astype(np.float32)
_LEVELS = np.round(to_levels(np.arange(_STEPS + 1) / _STEPS) * 255).astype(np.uint8)


def resample(picture: NDArray[np.uint8], width: int, height: int, by: Filter) -> NDArray[np.uint8]:
    """A picture, straight RGBA, shape (rows, columns, 4), as one of ``width`` × ``height``.

    ``area``: each pixel is the mean of all that it covers. ``lanczos``: a windowed sinc of three lobes, which
    is sharper, with a slight halo along hard edges. ``nearest``: the pixel at its centre, unmixed.
    """
    rows, columns = picture.shape[:2]
    if (columns, rows) == (width, height):
        return np.ascontiguousarray(picture)
    if by == "nearest":
        return np.ascontiguousarray(picture[_centres(rows, height)][:, _centres(columns, width)])
    out = np.empty((height, width, 4), np.uint8)
    across, down = _weights(columns, width, by), _weights(rows, height, by)
    picture = np.ascontiguousarray(picture)
    _resample(picture, out, *across, *down, _LIGHT, _LEVELS, is_opaque(picture))
    return out


def _centres(side: int, wanted: int) -> NDArray[np.int64]:
    """The source pixel under the centre of each wanted one."""
    return (2 * np.arange(wanted) + 1) * side // (2 * wanted)


@lru_cache(maxsize=16)
def _weights(side: int, wanted: int, by: Filter) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For each wanted pixel the first source pixel that counts, and the weights from there on."""
    each = side / wanted
    begins = np.arange(wanted) * each
    if by == "area":
        first = np.floor(begins + 1e-9).astype(np.int64)
        taps = int(np.ceil(each)) + 1
        at = first[:, None] + np.arange(taps)
        share = np.minimum(at + 1, (begins + each)[:, None]) - np.maximum(at, begins[:, None])
        weights = np.maximum(share, 0.0)
    else:
        widened = max(each, 1.0)
        reach = _LOBES * widened
        centres = begins + each / 2
        first = np.maximum(np.ceil(centres - reach - 0.5), 0).astype(np.int64)
        taps = int(np.ceil(2 * reach)) + 1
        at = first[:, None] + np.arange(taps)
        off = (at + 0.5 - centres[:, None]) / widened
        weights = np.where(np.abs(off) < _LOBES, np.sinc(off) * np.sinc(off / _LOBES), 0.0)
    weights[at >= side] = 0.0
    weights /= weights.sum(axis=1, keepdims=True)
    used = int(np.flatnonzero((np.abs(weights) > 1e-9).any(axis=0))[-1]) + 1
    first = np.minimum(first, side - 1)
    return first, np.ascontiguousarray(weights[:, :used], dtype=np.float32)


@compiled
def _resample(
    picture: NDArray[np.uint8],
    out: NDArray[np.uint8],
    lefts: NDArray[np.int64],
    across: NDArray[np.float32],
    tops: NDArray[np.int64],
    down: NDArray[np.float32],
    linear: NDArray[np.float32],
    levels: NDArray[np.uint8],
    opaque: bool,
) -> None:
    rows, columns = picture.shape[:2]
    channels = 3 if opaque else 4
    ring = np.empty((down.shape[1] + 1, columns * channels), np.float32)
    held = -1  # rows up to this one are in the ring
    total = np.empty(columns * channels, np.float32)
    steps = np.float32(levels.shape[0] - 1)
    for y in range(out.shape[0]):
        total[:] = 0
        for tap in range(down.shape[1]):
            row = tops[y] + tap
            weight = down[y, tap]
            if row >= rows:
                continue
            slot = ring[row % ring.shape[0]]
            if row > held:
                held = row
                if opaque:
                    for x in range(columns):
                        for c in range(3):
                            slot[3 * x + c] = linear[picture[row, x, c]]
                else:
                    for x in range(columns):
                        alpha = np.float32(picture[row, x, 3])
                        for c in range(3):
                            slot[4 * x + c] = linear[picture[row, x, c]] * alpha
                        slot[4 * x + 3] = alpha
            for i in range(columns * channels):
                total[i] += weight * slot[i]
        for x in range(out.shape[1]):
            red = green = blue = alpha = np.float32(0)
            for tap in range(across.shape[1]):
                weight = across[x, tap]
                at = (lefts[x] + tap) * channels
                if weight == 0 or at >= columns * channels:
                    continue
                red += weight * total[at]
                green += weight * total[at + 1]
                blue += weight * total[at + 2]
                if not opaque:
                    alpha += weight * total[at + 3]
            if opaque:
                whole = np.float32(1)
                out[y, x, 3] = 255
            else:
                alpha = min(max(alpha, np.float32(0)), np.float32(255))
                out[y, x, 3] = np.uint8(alpha + np.float32(0.5))
                whole = alpha
                if out[y, x, 3] == 0:
                    out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = 0
                    continue
            scale = steps / whole
            out[y, x, 0] = levels[int(min(max(red * scale, np.float32(0)), steps) + np.float32(0.5))]
            out[y, x, 1] = levels[int(min(max(green * scale, np.float32(0)), steps) + np.float32(0.5))]
            out[y, x, 2] = levels[int(min(max(blue * scale, np.float32(0)), steps) + np.float32(0.5))]
