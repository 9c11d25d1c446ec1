"""A frame made ready for coding: what each pixel is held to, and what an error counts there."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled
from ...dither.pixel import channels, square
from ...quality.visible import SCALE

MUST = 1e6
"""The weight of a pixel that may add no error at all."""


@dataclass(frozen=True)
class Ready:
    """A frame made ready for coding; planes of shape (height, width)."""

    target: NDArray[np.uint32]
    """The colour each pixel is held to, alpha highest: its source, or, dithered, what dither chose."""
    fresh: NDArray[np.uint8]
    miss: NDArray[np.int32]
    """The squared error of the fresh choice."""
    still: NDArray[np.bool_]
    weight: NDArray[np.float32]
    source: NDArray[np.uint8]


@compiled
def aim(
    words: NDArray[np.uint32],
    fresh: NDArray[np.uint8],
    visible: NDArray[np.uint16],
    palette: NDArray[np.int32],
    dithered: bool,
    exact: NDArray[np.uint32],
    target: NDArray[np.uint32],
    miss: NDArray[np.int32],
    weight: NDArray[np.float32],
) -> None:
    for y in range(words.shape[0]):
        for x in range(words.shape[1]):
            pixel = words[y, x]
            target[y, x] = pixel
            weight[y, x] = np.float32(visible[y, x]) * np.float32(1 / SCALE)
            miss[y, x] = 0
            if pixel >> np.uint32(24) == 0:
                continue
            for colour in exact:
                if pixel & np.uint32(0xFFFFFF) == colour:
                    weight[y, x] = np.float32(MUST)
            p = np.uint64(fresh[y, x])
            if dithered:
                shown = np.uint32(palette[p, 0] | (palette[p, 1] << 8) | (palette[p, 2] << 16))
                target[y, x] = shown | np.uint32(0xFF000000)
            else:
                r, g, b = channels(pixel)
                miss[y, x] = square(r, g, b, palette, int(p))


@compiled
def needed(
    target: NDArray[np.uint32],
    miss: NDArray[np.int32],
    still: NDArray[np.bool_],
    weight: NDArray[np.float32],
    canvas: NDArray[np.uint32],
    saved: float,
) -> tuple[int, int, int, int]:
    """The edges of what cannot be left as it is on show for less than ``saved``, what a pixel costs.

    ``canvas``: the colours on show, alpha highest, 0 where there is none.
    """
    height, width = target.shape
    left, right, top, bottom = width, -1, height, -1
    for y in range(height):
        for x in range(width):
            pixel = target[y, x]
            if pixel >> np.uint32(24) == 0:
                continue
            over = canvas[y, x]
            if over != 0:
                if still[y, x]:
                    continue
                r, g, b = channels(pixel)
                r0, g0, b0 = channels(over)
                error = (r - r0) * (r - r0) + (g - g0) * (g - g0) + (b - b0) * (b - b0)
                if weight[y, x] * np.float32(error - miss[y, x]) <= saved:
                    continue
            left, right = min(left, x), max(right, x)
            top, bottom = min(top, y), y
    return left, top, right + 1, bottom + 1


@compiled
def sum_up(
    shown: NDArray[np.uint8], source: NDArray[np.uint8], visible: NDArray[np.float32], sums: NDArray[np.float64]
) -> None:
    for y in range(shown.shape[0]):
        for x in range(shown.shape[1]):
            p = np.uint64(shown[y, x])
            w = np.float64(min(visible[y, x], np.float32(1024)))
            sums[p, 0] += w * source[y, x, 0]
            sums[p, 1] += w * source[y, x, 1]
            sums[p, 2] += w * source[y, x, 2]
            sums[p, 3] += w


@compiled
def added(
    target: NDArray[np.uint32],
    miss: NDArray[np.int32],
    still: NDArray[np.bool_],
    weight: NDArray[np.float32],
    shown: NDArray[np.uint8],
    palette: NDArray[np.int32],
) -> float:
    """The weighted error that ``shown`` has beyond that of the fresh choices."""
    total = 0.0
    for y in range(target.shape[0]):
        for x in range(target.shape[1]):
            pixel = target[y, x]
            if still[y, x] or pixel >> np.uint32(24) == 0:
                continue
            r, g, b = channels(pixel)
            error = square(r, g, b, palette, int(shown[y, x])) - miss[y, x]
            total += np.float64(weight[y, x]) * np.float64(error)
    return total
