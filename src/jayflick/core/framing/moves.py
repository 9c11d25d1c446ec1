"""Moving frames by parts of a pixel, and what is sure to be covered by all of them afterwards."""

import math
from collections.abc import Iterable, Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from ..recipe import LineUp, Move
from .alpha import is_opaque
from .trim import Box
from .weighted import straight, weighted

_EDGE = 1e-6
MOST_ENLARGED = 4.0
"""Frames that share less than a quarter of their sides are not lined up."""


class Warp(NamedTuple):
    """Where a pixel of a frame goes: x becomes a·x + b·y + c, y becomes d·x + e·y + f; from pixel centres."""

    a: float
    b: float
    c: float
    d: float
    e: float
    f: float

    @property
    def whole(self) -> tuple[int, int] | None:
        """A shift by whole pixels, if it is one: to the right, down."""
        shift = round(self.c), round(self.f)
        return shift if self == (1, 0, shift[0], 0, 1, shift[1]) else None

    @property
    def matrix(self) -> NDArray[np.float64]:
        return np.array(self, np.float64).reshape(2, 3)


def warp_of(line_up: LineUp, position: int, width: int, height: int, enlarged: float = 1.0) -> Warp:
    """The warp of a frame of this size; ``enlarged``: all are, about their middle."""
    move = line_up.moves.get(position, Move())
    across, down = width / line_up.drawn_on[0], height / line_up.drawn_on[1]
    turn = math.radians(move.turn)
    along, aside = move.scale * math.cos(turn) * enlarged, move.scale * math.sin(turn) * enlarged
    middle = (width - 1) / 2, (height - 1) / 2
    right = middle[0] + move.x * across * enlarged - along * middle[0] + aside * middle[1]
    lower = middle[1] + move.y * down * enlarged - aside * middle[0] - along * middle[1]
    return Warp(*(round(value, 9) for value in (along, -aside, right, aside, along, lower)))


def enlargement(line_up: LineUp, positions: Iterable[int], width: int, height: int) -> float:
    """The least by which all frames must be enlarged so that none leaves the canvas open; 1: none does.

    Infinite when a frame is moved so far that its middle is not on it any more.
    """
    corners = _corners((0, 0, width, height))
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    most = 1.0
    for position in positions:
        move = line_up.moves.get(position)
        if move is None or move.still:
            continue
        matrix = warp_of(line_up, position, width, height).matrix
        back = np.linalg.inv(matrix[:, :2])
        centre = back @ (middle - matrix[:, 2])  # where the canvas's middle lies on the frame
        reach = (corners - middle) @ back.T  # and its corners from there, before it is enlarged
        for axis, side in ((0, width - 1), (1, height - 1)):
            room = min(centre[axis], side - centre[axis])
            need = float(np.abs(reach[:, axis]).max())
            if room <= 0 and need > _EDGE:
                return float("inf")
            if need > room + _EDGE:
                most = max(most, need / room)
    return float(np.ceil(most * 1e5) / 1e5)  # up, so that rounding leaves no open edge


def covers(warp: Warp, box: Box, width: int, height: int) -> bool:
    """Whether a warped frame of this size covers all of a box."""
    left, top, right, lower = box[0], box[1], box[0] + box[2] - 1, box[1] + box[3] - 1
    whole = warp.a * warp.e - warp.b * warp.d
    for x, y in ((left, top), (right, top), (right, lower), (left, lower)):
        # Where the corner lies on the frame; in plain numbers, as it is asked of thousands at every change.
        across = (warp.e * (x - warp.c) - warp.b * (y - warp.f)) / whole
        down = (warp.a * (y - warp.f) - warp.d * (x - warp.c)) / whole
        if not (-_EDGE <= across <= width - 1 + _EDGE and -_EDGE <= down <= height - 1 + _EDGE):
            return False
    return True


def common(warps: Sequence[Warp], width: int, height: int) -> Box | None:
    """The largest box that all warped frames of this size cover; ``None`` when there is none."""
    if all((warp.a, warp.b, warp.d, warp.e) == (1, 0, 0, 1) for warp in warps):
        left = math.ceil(max([0.0, *(warp.c for warp in warps)]))
        top = math.ceil(max([0.0, *(warp.f for warp in warps)]))
        right = math.floor(min([0.0, *(warp.c for warp in warps)])) + width
        lower = math.floor(min([0.0, *(warp.f for warp in warps)])) + height
        return (left, top, right - left, lower - top) if right > left and lower > top else None
    shared = np.full((height, width), 255, np.uint8)
    for warp in warps:
        whole = np.full((height, width), 255, np.uint8)
        shared &= cv2.warpAffine(whole, warp.matrix, (width, height), flags=cv2.INTER_LINEAR)
    left, top, across, down = (int(side) for side in _largest(shared == 255))
    while across > 0 and down > 0:
        box = left, top, across, down
        if all(covers(warp, box, width, height) for warp in warps):
            return box
        left, top, across, down = (
            left + 1,
            top + 1,
            across - 2,
            down - 2,
        )  # a corner lies a part of a pixel outside
    return None


def warped(picture: NDArray[np.uint8], warp: Warp) -> NDArray[np.uint8]:
    """A picture, straight RGBA, shape (height, width, 4), moved on a canvas of its size; the rest is clear.

    By whole pixels its own are kept; otherwise they are interpolated by bicubic curves, colours counting by
    their alpha.
    """
    height, width = picture.shape[:2]
    shift = warp.whole
    if shift is not None:
        out = np.zeros_like(picture)
        right, lower = shift
        part = picture[max(-lower, 0) : max(height - lower, 0), max(-right, 0) : max(width - right, 0)]
        if part.size:
            top, left = max(lower, 0), max(right, 0)
            out[top : top + part.shape[0], left : left + part.shape[1]] = part
        return out
    size, matrix = (width, height), warp.matrix
    if is_opaque(picture):
        colour = cv2.warpAffine(
            picture[:, :, :3], matrix, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
        )
        if covers(warp, (0, 0, width, height), width, height):
            alpha = np.full((height, width), 255, np.uint8)
        else:
            alpha = cv2.warpAffine(picture[:, :, 3], matrix, size, flags=cv2.INTER_LINEAR)
            colour[alpha == 0] = 0
        return np.dstack([colour, alpha])
    return straight(cv2.warpAffine(weighted(picture), matrix, size, flags=cv2.INTER_CUBIC))


def _corners(box: Box) -> NDArray[np.float64]:
    """The centres of a box's corner pixels, shape (4, 2)."""
    left, top, width, height = box
    right, bottom = left + width - 1, top + height - 1
    return np.array([[left, top], [right, top], [right, bottom], [left, bottom]], np.float64)


@compiled
def _largest(there: NDArray[np.bool_]) -> tuple[int, int, int, int]:
    """The largest box of pixels that are all there: left, top, width, height; of no width when there is none.

    Each row is gone through with a stack of the heights that still reach on, each with where it began.
    """
    width = there.shape[1]
    heights = np.zeros(width + 1, np.int64)
    begins, tops = np.zeros(width + 1, np.int64), np.zeros(width + 1, np.int64)
    best = left = top = across = down = 0
    for y in range(there.shape[0]):
        for x in range(width):
            heights[x] = heights[x] + 1 if there[y, x] else 0
        deep = 0
        for x in range(width + 1):
            begin = x
            while deep > 0 and tops[deep - 1] >= heights[x]:
                deep -= 1
                begin = begins[deep]
                if tops[deep] * (x - begin) > best:
                    best = tops[deep] * (x - begin)
                    left, top, across, down = begin, y - tops[deep] + 1, x - begin, tops[deep]
            begins[deep], tops[deep] = begin, heights[x]
            deep += 1
    return left, top, across, down
