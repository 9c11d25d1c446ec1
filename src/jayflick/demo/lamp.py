"""Dusk lamp: the Saltmarsh light sweeps over the sound while the last boat waits."""

from functools import cache

import numpy as np
from numpy.typing import NDArray

from .draw import Picture, Point, cover, levels, light, mask

WIDTH, HEIGHT = 960, 540
HORIZON = 342
LAMP = (668.0, 178.0)

_SKY = (
    (0.00, "#141d40"),
    (0.30, "#33306a"),
    (0.55, "#7d4a7c"),
    (0.76, "#cf7272"),
    (0.92, "#f2a66c"),
    (1.00, "#fbd08c"),
)
_HILL: tuple[Point, ...] = (
    (392, 431), (424, 421), (452, 405), (486, 394), (520, 384), (560, 371), (610, 358), (655, 352), (700, 352),
    (748, 361), (800, 364), (850, 352), (900, 340), (960, 330), (960, 462), (800, 452), (600, 440),
)  # fmt: skip


@cache
def _grid() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    return x + 0.5, y + 0.5


@cache
def _backdrop() -> Picture:
    """What stands still: sky, stars and the glow where the sun went down."""
    x, y = _grid()
    height = np.clip(y / HORIZON, 0, 1)
    stops = [at for at, _ in _SKY]
    colours = np.stack([light(colour) for _, colour in _SKY])
    picture = np.stack([np.interp(height, stops, colours[:, c]) for c in range(3)], axis=2)
    glow = np.exp(-(((x - 250) / 330) ** 2) - ((y - HORIZON) / 90) ** 2)
    picture += glow[:, :, None] * light("#ff9a4a") * 0.55
    random = np.random.default_rng(7)
    for _ in range(70):
        sx, sy, size = random.uniform(0, WIDTH), random.uniform(0, 150), random.uniform(0.5, 1.1)
        star = np.exp(-((x - sx) ** 2 + (y - sy) ** 2) / size**2)
        picture += star[:, :, None] * (1 - sy / 160) * random.uniform(0.2, 0.9)
    for cx, cy, w, h, tone in ((180, 236, 230, 7, 0.30), (330, 262, 190, 5, 0.35), (560, 214, 260, 6, 0.18)):
        bank = np.exp(-(((x - cx) / w) ** 2) - ((y - cy - 6 * np.sin(x / 61)) / h) ** 2)
        picture += bank[:, :, None] * light("#f49a86") * tone
    return picture


@cache
def _tower() -> tuple[tuple[NDArray[np.float64], NDArray[np.float64]], ...]:
    """The tower's masks, back to front, each with its colour."""
    size = (WIDTH, HEIGHT)
    x, _ = LAMP

    def edge(y: float) -> float:
        return float(np.interp(y, (204, 356), (17, 26)))

    body = [(x - edge(204), 204), (x + edge(204), 204), (x + edge(356), 356), (x - edge(356), 356)]
    bands = []
    for top in (222, 276, 330):
        low = min(top + 27, 356)
        bands.append([(x - edge(top), top), (x + edge(top), top), (x + edge(low), low), (x - edge(low), low)])
    room = [(x - 11, 166), (x + 11, 166), (x + 11, 196), (x - 11, 196)]
    dark = [
        [(x - 15, 166), (x + 15, 166), (x, 146)],
        [(x - 1, 134), (x + 1, 134), (x + 1, 150), (x - 1, 150)],
        [(x - 23, 196), (x + 23, 196), (x + 23, 200), (x - 23, 200)],
        [(x - 18, 200), (x + 18, 200), (x + 18, 206), (x - 18, 206)],
        [(x - 5, 336), (x + 5, 336), (x + 5, 354), (x - 5, 354)],
        [(x - 3, 252), (x + 3, 252), (x + 3, 261), (x - 3, 261)],
    ]
    return (
        (mask(size, _HILL), light("#120f1d")),
        (mask(size, body), light("#c9b3b4")),
        (mask(size, *bands), light("#8d2c33")),
        (mask(size, room), light("#ffe9a8")),
        (mask(size, *dark), light("#0f0d19")),
    )


def _sea(turn: float) -> Picture:
    """Mirrored dusk below the horizon, broken by wave rows that run a whole number of times a loop."""
    x, y = (part[HORIZON:] for part in _grid())
    depth = np.clip((y - HORIZON) / (HEIGHT - HORIZON), 0, 1)
    near = 4 + 26 * depth  # wave length grows towards the viewer
    phase = 2 * np.pi * turn
    row = np.sqrt(y - HORIZON) * 6.5
    waves = np.sin(row * 2.1 + 2.4 * np.sin(x / (37 + near) + phase) - 2 * phase)
    waves += 0.6 * np.sin(row * 3.7 - 1.7 * np.sin(x / 71 - phase) + 3 * phase)
    tilt = waves * (0.02 + 0.05 * depth)
    mirror = np.clip(1 - depth * 1.15 + tilt * 2.2, 0, 1)
    stops = [at for at, _ in _SKY]
    colours = np.stack([light(colour) for _, colour in _SKY])
    picture = np.stack([np.interp(mirror, stops, colours[:, c]) for c in range(3)], axis=2) * 0.42
    picture += light("#0b1a30") * (0.35 + 0.5 * depth)[:, :, None]
    path = np.exp(-(((x - 250 - 10 * waves) / (60 + 150 * depth)) ** 2)) * np.exp(-2.2 * depth)
    picture += (path * np.clip(0.25 + 0.5 * waves, 0, 1))[:, :, None] * light("#ffab62") * 0.8
    return picture


def _boat(picture: Picture, turn: float) -> None:
    """The ferry at anchor, rising and falling once a loop."""
    lift = 1.6 * np.sin(2 * np.pi * turn)
    x0, y0 = 206.0, 372.0 + lift
    size = (WIDTH, HEIGHT)

    def at(*points: Point) -> list[Point]:
        return [(x0 + x, y0 + y) for x, y in points]

    hull = at((-62, -10), (66, -10), (54, 9), (-48, 9))
    house = at((-34, -28), (30, -28), (36, -10), (-40, -10))
    upper = at((-22, -42), (12, -42), (16, -28), (-26, -28))
    funnel = at((18, -52), (30, -52), (30, -28), (18, -28))
    band = at((18, -48), (30, -48), (30, -43), (18, -43))
    cover(picture, mask(size, hull), light("#1b2136"))
    cover(picture, mask(size, house, upper), light("#a98f93"))
    cover(picture, mask(size, funnel), light("#a3472f"))
    cover(picture, mask(size, band), light("#e9d9c4"))
    windows = [at((x, -24), (x + 6, -24), (x + 6, -17), (x, -17)) for x in range(-30, 28, 11)]
    windows += [at((x, -39), (x + 5, -39), (x + 5, -33), (x, -33)) for x in (-17, -7, 3)]
    glass = mask(size, *windows)
    cover(picture, glass, light("#ffd98a") * 1.5)
    below = np.s_[int(y0) + 9 : int(y0) + 90, :400]
    x, y = (part[below] for part in _grid())
    ripple = np.sin(y * 0.9 - 4 * np.pi * turn) * (3 + (y - y0) / 12)
    shimmer = np.exp(-(((x - x0 - ripple) / 38) ** 2) - ((y - y0 - 26) / 22) ** 2)
    picture[below] += shimmer[:, :, None] * light("#ffd98a") * 0.28


def _beam(picture: Picture, turn: float) -> None:
    """Two opposite beams turning in the plane of the horizon, and the flash when one faces the viewer."""
    x, y = _grid()
    angle = 2 * np.pi * turn
    across, towards = np.cos(angle), np.sin(angle)
    for side in (1.0, -1.0):
        c, s = side * across, side * towards
        along = np.maximum((x - LAMP[0]) * np.sign(c), 0)
        reach = 720 * abs(c) + 1e-6
        droop = (y - LAMP[1]) - 0.045 * along * s
        width = 3.2 + along * (0.035 + 0.05 * max(s, 0.0))
        beam = np.exp(-((droop / np.maximum(width, 1)) ** 2)) * np.exp(-2.1 * along / reach)
        strength = np.where(along > 0, beam, 0) * abs(c) ** 0.6 * (0.75 + 0.25 * s)
        picture += strength[:, :, None] * light("#ffe7b0") * 0.95
        below = np.s_[HORIZON : HORIZON + 60]
        lit = np.exp(-(((y[below] - HORIZON - 20) / 16) ** 2))
        lit *= np.exp(-(((along[below] - 0.55 * reach) / (0.3 * reach + 40)) ** 2))
        picture[below] += (lit * abs(c) * 0.16)[:, :, None] * light("#ffe7b0")
    distance = np.hypot(x - LAMP[0], y - LAMP[1])
    facing = abs(towards) ** 10
    halo = 0.85 * np.exp(-distance / 17) + (0.10 + 0.42 * facing) * np.exp(-distance / 70)
    picture += halo[:, :, None] * light("#ffdc96") * (1 + 0.9 * facing)


def draw_lamp(index: int, count: int) -> NDArray[np.uint8]:
    """Frame ``index`` of a seamless turn of ``count`` frames, shape (540, 960, 3)."""
    turn = index / count
    picture = _backdrop().copy()
    picture[HORIZON:] = _sea(turn)
    _boat(picture, turn)
    hill, *tower = _tower()
    cover(picture, *hill)
    for coverage, colour in tower:
        cover(picture, coverage, colour)
    _beam(picture, turn)
    return levels(picture)
