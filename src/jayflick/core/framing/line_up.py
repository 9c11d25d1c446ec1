"""Finding how frames must be moved so that their subject stands still.

The shift is found by phase correlation (Kuglin and Hines, The Phase Correlation Image Alignment Method, 1975)
and refined, with turn and scale if wished, by maximising the correlation coefficient (Evangelidis and Psarakis,
Parametric Image Alignment Using Enhanced Correlation Coefficient Maximization, 2008), which does not change
with the exposure. Both are OpenCV's.
"""

from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Literal, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from ..recipe import Move
from .luma import Luma
from .luma import luma as luma_of
from .trim import Box

Free = Literal["shift", "turn", "scale"]
"""What may be changed of a frame: its place; also its angle; also its size."""
COARSE, FINE = 320, 960
"""The longest side, in pixels, that frames are compared at: first, and to be exact."""
_FLAT = 1.0
"""A standard deviation, in levels, below which there is no texture to go by."""
_ALIKE = 0.35
"""The least correlation of pictures that show the same."""
_AT_ONCE = 2


class Found(NamedTuple):
    """What was found of a frame."""

    move: Move | None
    """``None`` when there is nothing to line it up on."""
    alike: float
    """How well it lies on the anchor then: the correlation of both, 1 for equal pictures."""


def line_up(
    anchor: NDArray[np.uint8], pictures: Iterable[NDArray[np.uint8]], free: Free, box: Box | None = None
) -> Iterator[Found]:
    """How each picture must be moved to lie on the anchor. All straight RGBA of one size.

    ``box``: only what the anchor shows there counts.
    """
    target = _Target(anchor, free, box)
    with ThreadPoolExecutor(_AT_ONCE) as pool:
        waiting: list[NDArray[np.uint8]] = []
        for picture in pictures:
            waiting.append(picture)
            if len(waiting) == _AT_ONCE:
                yield from pool.map(target.find, waiting)
                waiting = []
        yield from pool.map(target.find, waiting)


class _Target:
    """The anchor, reduced to the sizes that frames are compared at."""

    def __init__(self, anchor: NDArray[np.uint8], free: Free, box: Box | None) -> None:
        self.free = free
        self.height, self.width = anchor.shape[:2]
        self.box = box or (0, 0, self.width, self.height)
        luma = luma_of(anchor)
        left, top, width, height = self.box
        self.flat = float(luma[top : top + height, left : left + width].std()) < _FLAT
        longest = max(width, height)
        self.scales = sorted({min(1.0, side / longest) for side in (COARSE, FINE)})
        self.levels = [(scale, _reduced(luma, scale)) for scale in self.scales]

    def find(self, picture: NDArray[np.uint8]) -> Found:
        if self.flat:
            return Found(None, 0.0)
        luma = luma_of(picture)
        warp: NDArray[np.floating] = np.eye(2, 3, dtype=np.float32)
        alike = 0.0
        for number, (scale, anchor) in enumerate(self.levels):
            frame = _reduced(luma, scale)
            left, top = round(self.box[0] * scale), round(self.box[1] * scale)
            right = min(anchor.shape[1], left + max(8, round(self.box[2] * scale)))
            bottom = min(anchor.shape[0], top + max(8, round(self.box[3] * scale)))
            part = anchor[top:bottom, left:right]
            if number == 0:
                warp[:, 2] = _shift(part, frame[top:bottom, left:right])
            else:
                warp[:, 2] *= scale / self.levels[number - 1][0]
            kind = {"shift": cv2.MOTION_TRANSLATION, "turn": cv2.MOTION_EUCLIDEAN, "scale": cv2.MOTION_AFFINE}
            # OpenCV maps the part's own pixels; ours count from the corner of the frame.
            corner = np.array([left, top], np.float32)
            own = warp.copy()
            own[:, 2] += warp[:, :2] @ corner
            steps = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60 if number == 0 else 25, 1e-5)
            try:
                alike, made = cv2.findTransformECC(part, frame, own, kind[self.free], steps, None, 3)
            except cv2.error:  # it found no way, or left the picture
                return Found(None, 0.0)
            warp = made.astype(np.float32)
            warp[:, 2] -= warp[:, :2] @ corner
        if not np.isfinite(warp).all() or alike < _ALIKE:
            return Found(None, float(alike))
        return Found(self._move(warp.astype(np.float64), self.levels[-1][0]), float(alike))

    def _move(self, warp: NDArray[np.float64], scale: float) -> Move:
        """The move that undoes a warp from the anchor to the frame, in pixels of the frame."""
        # Centres of pixels count: those of a reduced picture lie half its pixels from the edge.
        offset = (1 / scale - 1) / 2
        centre = np.array([self.width - 1, self.height - 1]) / 2
        point = np.array([self.box[0] + (self.box[2] - 1) / 2, self.box[1] + (self.box[3] - 1) / 2])
        there = (warp[:, :2] @ ((point - offset) * scale) + warp[:, 2]) / scale + offset
        back = np.linalg.inv(warp[:, :2])
        along, across = (back[0, 0] + back[1, 1]) / 2, (back[1, 0] - back[0, 1]) / 2
        similar = np.array([[along, -across], [across, along]])
        shift = point - centre - similar @ (there - centre)
        return Move(
            x=round(float(shift[0]), 3),
            y=round(float(shift[1]), 3),
            turn=round(float(np.degrees(np.arctan2(across, along))), 4),
            scale=round(float(np.clip(np.hypot(along, across), 0.1, 10)), 5),
        )


def _reduced(luma: Luma, scale: float) -> Luma:
    if scale == 1:
        return luma
    size = max(8, round(luma.shape[1] * scale)), max(8, round(luma.shape[0] * scale))
    small: Luma = cv2.resize(luma, size, interpolation=cv2.INTER_AREA)
    return small


def _shift(part: Luma, other: Luma) -> tuple[float, float]:
    """Where what is seen at a place of one picture is in the other, by phase correlation."""
    window = cv2.createHanningWindow((part.shape[1], part.shape[0]), cv2.CV_32F)
    (x, y), _ = cv2.phaseCorrelate(part - part.mean(), other - other.mean(), window)
    return x, y
