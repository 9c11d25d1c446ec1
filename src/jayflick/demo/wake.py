"""The ferry's wake seen from the stern, as a short film: foam that drifts back and fades."""

import numpy as np
from numpy.typing import NDArray

from .draw import cover, levels, light

WIDTH, HEIGHT = 640, 360
_HORIZON = 96


def draw_wake(index: int, count: int) -> NDArray[np.uint8]:
    """Frame ``index`` of one loop of ``count`` frames, shape (360, 640, 3)."""
    turn = index / count
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float64)
    sky = (y / _HORIZON)[:, :, None]
    picture = light("#6fa3c4") * (1 - sky) + light("#f2dcc0") * sky
    depth = np.clip((y - _HORIZON) / (HEIGHT - _HORIZON), 0, 1)
    water = light("#7fa9ad") * (1 - depth[:, :, None]) + light("#1f5560") * depth[:, :, None]
    picture = np.where((y < _HORIZON)[:, :, None], picture, water)
    near = 1 / np.maximum(depth, 0.02)  # how far away a row of the water is
    ripple = np.sin(near * 9 + 2 * np.pi * turn * 3 + np.sin(x / 90 + near) * 1.4)
    cover(picture, np.where(y > _HORIZON, np.clip(ripple - 0.55, 0, 1) * 0.35, 0), light("#a9cccb"))
    spread = 16 + depth * 190
    sway = np.sin(near * 1.7 - 2 * np.pi * turn) * 10 * depth
    across = (x - WIDTH / 2 - sway) / spread
    foam = np.sin(near * 22 - 2 * np.pi * turn * 4 + across * 5) + np.sin(across * 13 + near * 6) * 0.7
    edge = np.exp(-((np.abs(across) - 1) ** 2) / 0.02) + 0.55 * np.exp(-(across**2) / 0.16)
    strength = np.clip(edge * (0.55 + 0.4 * foam), 0, 1) * np.clip(depth * 3, 0, 1)
    cover(picture, np.where(y > _HORIZON, strength * 0.85, 0), light("#f3f7f4"))
    return levels(picture)
