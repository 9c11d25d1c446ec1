"""Kite over the pier: small frames that are quickly drawn, for a folder that shows what gathering finds."""

import numpy as np
from numpy.typing import NDArray

from .draw import Point, cover, levels, light, mask, smooth

SIZE = (400, 260)


def draw_kite(index: int, count: int) -> NDArray[np.uint8]:
    """Frame ``index`` of one swing of ``count`` frames, shape (260, 400, 3)."""
    width, height = SIZE
    turn = 2 * np.pi * index / count
    rows = np.mgrid[0:height, 0:width][0][:, :, None] / height
    picture = light("#8fbcd6") * (1 - rows) + light("#f3e3c6") * rows
    water = rows[:, :, 0] > 0.78
    picture[water] = light("#5b8a94")
    for row in range(5):  # low waves, drifting by one whole wave in the loop
        y = height * 0.81 + row * 11
        wave = y + 2.2 * np.sin(np.arange(width) / 21 + row * 1.7 + turn)
        crest = np.clip(1.4 - np.abs(np.mgrid[0:height, 0:width][0] - wave[None, :]), 0, 1)
        cover(picture, crest * 0.5, light("#bcd8d6"))
    posts = [[(p, 205), (p + 7, 205), (p + 7, height), (p, height)] for p in range(18, 150, 34)]
    cover(picture, mask(SIZE, *posts, [(0, 196), (168, 196), (168, 207), (0, 207)]), light("#6a5546"))
    x = 255 + 62 * float(np.sin(turn))
    y = 82 + 20 * float(np.sin(2 * turn + 0.6))
    lean = 0.5 * float(np.cos(turn))
    cosine, sine = float(np.cos(lean)), float(np.sin(lean))

    def at(dx: float, dy: float) -> Point:
        return x + dx * cosine - dy * sine, y + dx * sine + dy * cosine

    top, right, bottom, left, middle = at(0, -46), at(30, -8), at(0, 52), at(-30, -8), at(0, -8)
    string = [(150.0, 197.0), (x * 0.5 + 80, y * 0.4 + 130), bottom]
    line = smooth([*string, (string[1][0], string[1][1] + 1.6)], 12)
    cover(picture, mask(SIZE, line), light("#f7f4ec"))
    for corners, paint in (
        ([top, right, middle], "#d9503a"),
        ([top, left, middle], "#e98052"),
        ([bottom, right, middle], "#f2c14b"),
        ([bottom, left, middle], "#c9402f"),
    ):
        cover(picture, mask(SIZE, corners), light(paint))
    for step in range(1, 5):  # the tail trails behind the swing
        sway = 9 * float(np.sin(turn - 0.9 * step))
        bow = [at(sway - 6, 50 + 13 * step), at(sway + 6, 54 + 13 * step), at(sway + 6, 50 + 13 * step)]
        cover(picture, mask(SIZE, [*bow, at(sway - 6, 54 + 13 * step)]), light("#f2c14b"))
    return levels(picture)
