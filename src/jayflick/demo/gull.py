"""Gull across: a transition of full frames. A gull's wing sweeps over the picture, and covers all of it."""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from .draw import Point, smooth

WIDTH, HEIGHT = 1920, 1080
COUNT = 60
LAST = 560.0
"""How far behind the leading edge the shoulder begins."""
_FINE = 2  # drawn this many times larger, then averaged down


def _edge(at: float, bulge: float, feathers: int, depth: float, turn: float) -> list[Point]:
    """A feathered edge from above to below the picture: ``at`` its middle, bent by ``bulge`` pixels."""
    points: list[Point] = []
    steps = feathers * 12
    for step in range(steps + 1):
        down = step / steps
        y = -160 + down * (HEIGHT + 320)
        bent = bulge * (1 - (2 * down - 1) ** 2)
        tip = depth * abs(math.sin(math.pi * (down * feathers + turn)))
        points.append((at + bent + tip, y))
    return points


def draw_gull(index: int, count: int = COUNT) -> NDArray[np.uint8]:
    """Frame ``index`` of ``count``, shape (1080, 1920, 4), straight alpha."""
    t = index / (count - 1)
    # The leading edge crosses in the first half, the trailing edge in the second; both slow down in the middle.
    lead = -500 + 3700 * _eased(t / 0.52)
    trail = -1100 + 3360 * _eased((t - 0.44) / 0.56)
    canvas = Image.new("RGBA", (WIDTH * _FINE, HEIGHT * _FINE), (0, 0, 0, 0))
    pen = ImageDraw.Draw(canvas)

    def paint(points: list[Point], colour: str) -> None:
        pen.polygon([(x * _FINE, y * _FINE) for x, y in points], fill=colour)

    turn = 0.4 * math.sin(2 * math.pi * t)
    layers = (  # tips, flight feathers, coverts, shoulder: how far behind the leading edge each begins
        (0.0, 13, 120.0, "#1c2530"),
        (110.0, 13, 105.0, "#f6f4ee"),
        (330.0, 11, 90.0, "#c9d3db"),
        (LAST, 9, 70.0, "#97a8b6"),
    )
    for behind, feathers, depth, colour in layers:
        front = _edge(lead - behind, 260, feathers, depth, turn)
        back = _edge(trail - 0.75 * (LAST - behind), 260, feathers, -depth, -turn)
        paint([*front, *reversed(back)], colour)
    for quill in range(9):  # so that something moves while all is covered
        middle = trail + 130 + quill * (lead - LAST - trail - 260) / 8
        thin = _edge(middle, 260, 3, 0, 0)
        paint([*thin, *[(x + 16, y) for x, y in reversed(thin)]], "#8798a7")
    _head(paint, lead, t)
    picture = np.array(canvas.convert("RGBa").reduce(_FINE).convert("RGBA"))
    picture[picture[:, :, 3] == 0] = 0
    return picture


def _eased(part: float) -> float:
    """From 0 to 1, fast at both ends of the picture and slower over its middle."""
    part = min(max(part, 0.0), 1.0)
    return part + 0.09 * math.sin(2 * math.pi * part)


def _head(paint: Callable[[list[Point], str], None], lead: float, t: float) -> None:
    """The gull's head before its wing."""
    x, y = lead + 300, 500 + 60 * math.sin(2 * math.pi * t)

    def at(*points: Point) -> list[Point]:
        return [(x + dx, y + dy) for dx, dy in points]

    crown = at((-260, -120), (-60, -150), (110, -110), (190, -10), (120, 90), (-60, 130), (-260, 110))
    paint(smooth(crown), "#fbfaf6")
    paint(smooth(at((170, -40), (250, -30), (352, 12), (330, 34), (240, 30), (168, 44)), 6), "#e0a83a")
    paint(smooth(at((300, 4), (352, 12), (330, 34), (296, 26)), 6), "#c8452f")
    paint(smooth(at((92, -52), (116, -72), (140, -52), (116, -32)), 6), "#1c2530")
