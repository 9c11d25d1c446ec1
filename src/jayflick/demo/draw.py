"""Small drawing helpers: smooth shapes, anti-aliased masks, light added as light."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from ..core.srgb import to_levels, to_linear

Point = tuple[float, float]
Picture = NDArray[np.float64]
"""Linear light, shape (height, width, 3)."""

FINE = 4  # shapes are drawn this many times larger, then averaged down


_STEPS = 1 << 14


def _curve() -> NDArray[np.uint8]:
    """sRGB levels of the squares of evenly spaced numbers from 0 to 1: dense where the curve is steep."""
    linear = (np.arange(_STEPS + 1) / _STEPS) ** 2
    result: NDArray[np.uint8] = np.clip(np.rint(to_levels(linear) * 255), 0, 255).astype(np.uint8)
    return result


_CURVE = _curve()


def light(colour: str) -> NDArray[np.float64]:
    """Linear light of ``#rrggbb``, shape (3,)."""
    return to_linear(np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255.0)


def levels(picture: Picture) -> NDArray[np.uint8]:
    """sRGB levels of linear light, highlights bent rather than cut."""
    bent = np.where(picture > 0.8, 0.8 + 0.2 * np.tanh((picture - 0.8) / 0.2), picture)
    # Looked up rather than raised to a power for each pixel: 16 steps to a level are fine enough.
    steps: NDArray[np.uint8] = _CURVE[
        np.clip(np.sqrt(np.maximum(bent, 0)) * _STEPS, 0, _STEPS).astype(np.int64)
    ]
    return steps


def smooth(points: Sequence[Point], steps: int = 10) -> list[Point]:
    """A closed Catmull-Rom curve through the points."""
    p = np.array(points)
    out: list[Point] = []
    for i in range(len(p)):
        a, b, c, d = p[i - 1], p[i], p[(i + 1) % len(p)], p[(i + 2) % len(p)]
        for t in np.arange(steps) / steps:
            q = 0.5 * (
                2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3
            )
            out.append((float(q[0]), float(q[1])))
    return out


def mask(size: tuple[int, int], *shapes: Sequence[Point]) -> NDArray[np.float64]:
    """How far each pixel is covered by any of the polygons, 0 to 1, shape (height, width)."""
    width, height = size
    corners = np.array([point for shape in shapes for point in shape])
    left, top = np.maximum(np.floor(corners.min(axis=0)).astype(int), 0)
    right, bottom = np.minimum(np.ceil(corners.max(axis=0)).astype(int) + 1, (width, height))
    canvas = Image.new("L", ((right - left) * FINE, (bottom - top) * FINE))
    pen = ImageDraw.Draw(canvas)
    for shape in shapes:
        pen.polygon([((x - left) * FINE, (y - top) * FINE) for x, y in shape], fill=255)
    fine = np.asarray(canvas, np.float64).reshape(bottom - top, FINE, right - left, FINE)
    result = np.zeros((height, width))
    result[top:bottom, left:right] = fine.mean(axis=(1, 3)) / 255.0
    return result


def cover(picture: Picture, coverage: NDArray[np.float64], colour: NDArray[np.float64]) -> None:
    """Paint ``colour`` (broadcast to the picture) over the picture, in place, as far as it is covered."""
    rows, columns = np.flatnonzero(coverage.any(axis=1)), np.flatnonzero(coverage.any(axis=0))
    if not len(rows):
        return
    window = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    paint = colour[window] if colour.ndim == 3 else colour
    picture[window] += coverage[window][:, :, None] * (paint - picture[window])


def cut_out(
    side: int, parts: Sequence[tuple[Sequence[Sequence[Point]], NDArray[np.float64]]]
) -> NDArray[np.uint8]:
    """Parts laid over each other on nothing, from the back; shape (side, side, 4), straight alpha."""
    colour = np.zeros((side, side, 3))
    coverage = np.zeros((side, side))
    for shapes, paint in parts:
        part = mask((side, side), *shapes)
        cover(colour, np.where(coverage > 0, part, (part > 0) * 1.0), paint)
        coverage = coverage + part * (1 - coverage)
    alpha = np.clip(np.rint(coverage * 255), 0, 255).astype(np.uint8)
    picture = np.dstack([levels(colour), alpha])
    picture[alpha == 0] = 0
    return picture
