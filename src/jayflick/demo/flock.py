"""Terns from above: eight directions, three motions, as a game's figures are rendered."""

import numpy as np
from numpy.typing import NDArray

from .draw import Point, cut_out, light, smooth

SIDE = 96
DIRECTIONS = ("N", "NE", "E", "SE", "S", "SW", "W", "NW")
MOTIONS = {"glide": 4, "fly": 8, "dive": 6}
"""How many frames each has."""


def draw_from_above(direction: str, motion: str, index: int) -> NDArray[np.uint8]:
    """One frame, shape (96, 96, 4), straight alpha. The bird flies towards ``direction``."""
    phase = 2 * np.pi * index / MOTIONS[motion] + 0.4  # no two frames of a beat are alike
    span = {
        "glide": 1.0 + 0.04 * np.sin(phase),
        "fly": 0.72 + 0.28 * np.cos(phase),
        "dive": 0.42 - 0.1 * np.sin(phase),
    }[motion]
    sweep = {"glide": 6.0, "fly": 6.0 + 7 * np.sin(phase), "dive": 20.0 + 3 * np.sin(phase)}[motion]
    heading = DIRECTIONS.index(direction) * np.pi / 4
    cosine, sine = float(np.cos(heading)), float(np.sin(heading))

    def at(*points: Point) -> list[Point]:
        """From the bird's own axes (beak towards negative y) to the canvas."""
        return [(SIDE / 2 + x * cosine - y * sine, SIDE / 2 + x * sine + y * cosine) for x, y in points]

    reach = float(38 * span)
    back = float(sweep)
    parts: list[tuple[list[Point], str]] = [
        (at((-3, 12), (-6, 30), (0, 20), (6, 30), (3, 12)), "#e9eef2"),
    ]
    for side in (-1, 1):
        wing = [
            (0, -9),
            (reach * 0.5 * side, -12 + back * 0.3),
            (reach * side, back),
            (reach * 0.5 * side, 2 + back * 0.5),
        ]
        parts.append((smooth(at(*wing, (0, 7)), 8), "#c6d0d9"))
        tip = [
            (reach * 0.78 * side, -4 + back * 0.75),
            (reach * side, back),
            (reach * 0.74 * side, 1 + back * 0.8),
        ]
        parts.append((at(*tip), "#2f3742"))
    parts += [
        (at((-1.6, -23), (0, -31), (1.6, -23)), "#d8442c"),
        (smooth(at((0, -24), (5.5, -14), (5, 6), (0, 17), (-5, 6), (-5.5, -14)), 8), "#fbfcfd"),
        (smooth(at((0, -24), (4.5, -19), (3.5, -13), (-3.5, -13), (-4.5, -19)), 8), "#171b22"),
    ]
    return cut_out(SIDE, [([shape], light(paint)) for shape, paint in parts])
