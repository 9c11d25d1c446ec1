"""Tern in flight: one wing-beat, soft edges over nothing."""

import numpy as np
from numpy.typing import NDArray

from .draw import Point, cut_out, light, smooth

SIDE = 256


def _wing(root: Point, lift: float, spread: float, length: float) -> tuple[list[Point], list[Point]]:
    """A wing from its root and, beyond the wrist, its dark tip. ``lift`` from -1 (down) to 1 (up)."""
    elbow = np.array([spread * 0.34 * length, -0.52 * length * lift - 6])
    hand = elbow + np.array([spread * 0.62 * length, -0.42 * length * (lift - 0.55 * (1 - abs(lift)))])
    start = np.array(root)
    chord = np.array([17.0, 3.0])

    def at(base: NDArray[np.float64], dx: float, dy: float) -> Point:
        return float(start[0] + base[0] + dx), float(start[1] + base[1] + dy)

    outline = smooth(
        [
            at(np.zeros(2), -15, 1),
            at(elbow, -13, -2),
            at(hand, 0, 0),
            at(hand, 1.5, 1.5),
            at(elbow, chord[0], chord[1] + 6),
            at(np.zeros(2), 19, 7),
        ]
    )
    wrist = elbow + (hand - elbow) * 0.62
    tip = smooth([at(wrist, -4, -0.5), at(hand, 0, 0), at(hand, 1.5, 1.5), at(wrist, 5, 4)])
    return outline, tip


def draw_tern(index: int, count: int) -> NDArray[np.uint8]:
    """Frame ``index`` of one wing-beat of ``count`` frames, shape (256, 256, 4), straight alpha."""
    beat = 2 * np.pi * index / count
    lift = float(np.sin(beat))
    bob = -7.0 * float(np.sin(beat - 0.5))
    x, y = 124.0, 142.0 + bob

    def at(*points: Point) -> list[Point]:
        return [(x + dx, y + dy) for dx, dy in points]

    body = smooth(
        at((-58, -3), (-44, -13), (-20, -15), (12, -10), (46, -1), (58, 3), (30, 9), (-14, 13), (-44, 8))
    )
    streamer = 4.0 * float(np.sin(beat - 1.2))
    tail = [
        smooth(at((40, -2), (78, 0 - streamer), (112, -8 - streamer), (76, 6 - streamer), (42, 6))),
        smooth(at((40, 0), (76, 8 + streamer), (108, 18 + streamer), (72, 13 + streamer), (40, 8))),
    ]
    cap = smooth(at((-60, -5), (-50, -14), (-36, -17), (-24, -13), (-38, -8), (-52, -4)))
    bill = at((-58, -6), (-60, 1), (-86, 2.5))
    eye = smooth(at((-50, -8), (-47.5, -10), (-45, -8), (-47.5, -6)), 4)
    belly = smooth(at((-50, 3), (-20, 6), (20, 5), (34, 7), (-14, 12.5), (-42, 8)))
    far_wing, far_tip = _wing((x - 16, y - 8), lift * 0.94 + 0.05, -0.16, 100)
    near_wing, near_tip = _wing((x - 2, y - 5), lift, 0.5, 118)

    shade = np.clip((np.mgrid[0:SIDE, 0:SIDE][0] - (y - 16)) / 30, 0, 1)[:, :, None]
    white = light("#fbfcfd") * (1 - shade) + light("#c3d0db") * shade
    parts = [
        ([far_wing], light("#97a6b3")),
        ([far_tip], light("#434d59")),
        (tail, light("#e9eef2")),
        ([bill], light("#d8442c")),
        ([body], white),
        ([belly], light("#b5c3d0")),
        ([cap], light("#171b22")),
        ([eye], light("#f6f8fa")),
        ([near_wing], light("#c6d0d9")),
        ([near_tip], light("#2f3742")),
    ]
    return cut_out(SIDE, parts)
