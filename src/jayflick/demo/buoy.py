"""The harbour buoy: on one wide picture as a camera with three lenses takes it, and taken by hand."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from .draw import Picture, Point, cover, levels, light, mask, smooth

SIZE = (360, 270)
GUTTER = 8
LENSES = ((0.0, 0.0, 1.0), (-5.0, 2.0, 0.87), (4.0, -3.0, 1.1))
"""How each lens is off: pixels to the right and down, and its exposure. Beside that it stands elsewhere."""
_APART = 14.0
"""Pixels by which what is near moves from one lens to the next."""


def draw_lenses() -> NDArray[np.uint8]:
    """Three views with a gutter between them, shape (270, 1096, 3)."""
    width, height = SIZE
    wide = np.full((height, 3 * width + 2 * GUTTER, 3), 24, np.uint8)
    for number, (right, down, exposure) in enumerate(LENSES):
        begin = number * (width + GUTTER)
        wide[:, begin : begin + width] = levels(_view((number - 1) * _APART, right, down, 1.0) * exposure)
    return wide


def draw_by_hand(index: int, count: int) -> NDArray[np.uint8]:
    """Frame ``index`` of ``count``, shape (270, 360, 3).

    The lamp goes on and off. No frame stands where the one before stood, up to 8 pixels off, and the light is
    never quite the same, by up to 8 %.
    """
    random = np.random.default_rng(index + 11)
    right, down, exposure = *random.uniform(-8, 8, 2), random.uniform(0.92, 1.08)
    if index == 0:
        right, down, exposure = 0.0, 0.0, 1.0
    lit = 0.5 + 0.5 * np.cos(2 * np.pi * index / count)
    return levels(_view(0.0, float(right), float(down), float(lit)) * float(exposure))


def _view(aside: float, right: float, down: float, lit: float) -> Picture:
    """The scene from so many pixels to the side, the camera off by some, its lamp lit from 0 to 1."""
    width, height = SIZE
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    rows = ((y - down) / height)[:, :, None]
    picture: Picture = light("#dce6dd") * (1 - rows) + light("#f0d2b0") * rows

    def at(depth: float, points: Sequence[Point]) -> list[Point]:
        """Points as this lens sees them: what is nearer is shifted more."""
        return [(px + right + aside * depth, py + down) for px, py in points]

    hills = smooth(
        [(-60, 150), (30, 112), (96, 128), (170, 96), (250, 126), (330, 108), (430, 150), (180, 190)]
    )
    cover(picture, mask(SIZE, at(0.1, hills)), light("#9db3ad"))
    house = [(212, 104), (226, 92), (240, 104), (240, 128), (212, 128)]
    cover(picture, mask(SIZE, at(0.12, house)), light("#c8533f"))
    for depth, level, paint in ((0.25, 146, "#7fa3a6"), (0.5, 178, "#56868f"), (0.9, 222, "#2f6470")):
        crest = level + down + 3 * np.sin((x[0] - right - aside * depth) / (30 - 12 * depth) + 4 * depth)
        cover(picture, np.clip(y - crest[None, :] + 0.5, 0, 1), light(paint))
        if depth == 0.25:
            hull = [(60, 140), (132, 140), (122, 158), (70, 158)]
            cover(picture, mask(SIZE, at(0.3, hull)), light("#22455e"))
            cover(picture, mask(SIZE, at(0.3, [(92, 86), (96, 86), (96, 140), (92, 140)])), light("#4a3b33"))
            cover(picture, mask(SIZE, at(0.3, [(97, 90), (128, 132), (97, 132)])), light("#f5eee0"))
    body = [(172, 214), (186, 122), (206, 122), (220, 214), (196, 232)]
    cover(picture, mask(SIZE, at(0.8, body)), light("#c9372c"))
    cover(picture, mask(SIZE, at(0.8, [(179, 168), (183, 144), (209, 144), (213, 168)])), light("#f5eee0"))
    cover(picture, mask(SIZE, at(0.8, [(186, 100), (206, 100), (206, 122), (186, 122)])), light("#3a3f45"))
    lamp = light("#ffe9a8") * lit + light("#5c5a50") * (1 - lit)
    cover(picture, mask(SIZE, at(0.8, [(190, 104), (202, 104), (202, 118), (190, 118)])), lamp)
    return picture
