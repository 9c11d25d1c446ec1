"""The bell on the pier and a bobbing boat, sixty frames a second: quick movement shows every dropped frame."""

import numpy as np
from numpy.typing import NDArray

from .draw import Point, cover, levels, light, mask, smooth

SIZE = (420, 280)
RATE = 60


def draw_pier(index: int, count: int) -> NDArray[np.uint8]:
    """Frame ``index`` of one loop of ``count`` frames, shape (280, 420, 3)."""
    width, height = SIZE
    turn = 2 * np.pi * index / count
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    rows = (y / height)[:, :, None]
    picture = light("#f4d8b4") * (1 - rows) + light("#c9dde0") * rows
    cover(picture, mask(SIZE, _round(318, 96, 30)), light("#fbeecb"))
    for depth, (level, paint) in enumerate([(176, "#8fb6b8"), (200, "#5f959c"), (228, "#38707a")]):
        crest = level + (3 + 2 * depth) * np.sin(x[0] / (26 - 5 * depth) + depth * 2 + turn * (2 - depth % 2))
        cover(picture, np.clip(y - crest[None, :] + 0.5, 0, 1), light(paint))
        if depth == 0:
            _boat(picture, turn)
    for post in (28, 96, 164):
        cover(
            picture,
            mask(SIZE, [(post, 186), (post + 12, 186), (post + 12, height), (post, height)]),
            light("#4a3b33"),
        )
    cover(picture, mask(SIZE, [(0, 176), (196, 176), (196, 190), (0, 190)]), light("#6d5849"))
    cover(picture, mask(SIZE, [(0, 190), (196, 190), (196, 194), (0, 194)]), light("#4a3b33"))
    _bell(picture, turn)
    return levels(picture)


def _round(x: float, y: float, radius: float) -> list[Point]:
    around = np.arange(48) * 2 * np.pi / 48
    return [(x + radius * float(np.cos(a)), y + radius * float(np.sin(a))) for a in around]


def _turned(points: list[Point], about: Point, angle: float) -> list[Point]:
    cosine, sine = float(np.cos(angle)), float(np.sin(angle))
    return [
        (
            about[0] + (px - about[0]) * cosine - (py - about[1]) * sine,
            about[1] + (px - about[0]) * sine + (py - about[1]) * cosine,
        )
        for px, py in points
    ]


def _boat(picture: NDArray[np.float64], turn: float) -> None:
    """The ferry's boat, rocking once as the waves pass twice."""
    lift = 4 * float(np.sin(2 * turn))
    rock = 0.09 * float(np.sin(turn + 0.8))
    middle = (308.0, 176.0 + lift)

    def shape(points: list[Point]) -> list[Point]:
        return _turned([(px, py + lift) for px, py in points], middle, rock)

    hull = [(246.0, 162.0), (372.0, 162.0), (354.0, 194.0), (264.0, 194.0)]
    cover(picture, mask(SIZE, shape(hull)), light("#b6432f"))
    cover(picture, mask(SIZE, shape([(246, 162), (372, 162), (369, 168), (249, 168)])), light("#f7efe0"))
    cover(picture, mask(SIZE, shape([(282, 134), (336, 134), (340, 162), (278, 162)])), light("#f3ead8"))
    for left in (288, 306, 322):
        cover(
            picture,
            mask(SIZE, shape([(left, 140), (left + 10, 140), (left + 10, 150), (left, 150)])),
            light("#47708a"),
        )
    cover(picture, mask(SIZE, shape([(307, 88), (310, 88), (310, 134), (307, 134)])), light("#4a3b33"))
    wind = 5 * float(np.sin(3 * turn))
    flag = smooth(
        [(310, 90), (330, 93 + wind), (350, 97 - wind), (348, 108 - wind), (328, 106 + wind), (310, 104)], 6
    )
    cover(picture, mask(SIZE, shape(flag)), light("#1f5f8b"))


def _bell(picture: NDArray[np.float64], turn: float) -> None:
    """The bell on its post, struck twice in the loop."""
    cover(picture, mask(SIZE, [(118, 66), (126, 66), (126, 176), (118, 176)]), light("#4a3b33"))
    cover(picture, mask(SIZE, [(86, 66), (126, 66), (126, 73), (86, 73)]), light("#4a3b33"))
    hung = (92.0, 73.0)
    swing = 0.62 * float(np.sin(2 * turn))
    clapper = _turned(_round(92, 124, 5), hung, 0.62 * float(np.sin(2 * turn - 0.7)) * 1.25)
    cover(picture, mask(SIZE, clapper), light("#3a2d27"))
    body = smooth([(87, 76), (97, 76), (103, 96), (111, 116), (73, 116), (81, 96)], 8)
    cover(picture, mask(SIZE, _turned(body, hung, swing)), light("#d9a441"))
    cover(
        picture,
        mask(SIZE, _turned([(72, 111), (112, 111), (113, 117), (71, 117)], hung, swing)),
        light("#a97a24"),
    )
