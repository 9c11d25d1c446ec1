"""Levels of frames: measured, corrected, and brought to those of another frame."""

from dataclasses import dataclass
from functools import cached_property
from typing import Self

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from ..recipe import Match, Tone
from ..srgb import LUMA, to_levels, to_linear

Curves = NDArray[np.float64]
"""What each level of red, green and blue becomes: shape (3, 256), levels 0 to 255."""
_LEVELS = np.arange(256, dtype=np.float64)
_TURNS = 8
_STEEPEST = 4.0
"""The most that contrast is multiplied or divided by to match another frame: what is flat holds nothing."""


@dataclass(frozen=True)
class Levels:
    """How often each level occurs in a picture; pixels count by their alpha."""

    counts: NDArray[np.int64]
    """Of red, green and blue, shape (3, 256), in 255ths of a pixel."""

    @classmethod
    def of(cls, picture: NDArray[np.uint8]) -> Self:
        """Count a picture, straight RGBA, shape (height, width, 4)."""
        return cls(_counts(picture))

    @classmethod
    def parse(cls, data: bytes) -> Self:
        """What :meth:`dump` wrote."""
        return cls(np.frombuffer(data, np.int64).reshape(3, 256))

    def dump(self) -> bytes:
        return self.counts.tobytes()

    @property
    def empty(self) -> bool:
        """Whether nothing is seen of the picture."""
        return not self.counts.any()

    @cached_property
    def mean(self) -> NDArray[np.float64]:
        """Of red, green and blue, in levels."""
        whole = max(int(self.counts[0].sum()), 1)
        mean: NDArray[np.float64] = self.counts @ _LEVELS / whole
        return mean

    @cached_property
    def deviation(self) -> NDArray[np.float64]:
        """The standard deviation of red, green and blue, in levels."""
        whole = max(int(self.counts[0].sum()), 1)
        spread: NDArray[np.float64] = self.counts @ _LEVELS**2 / whole - self.mean**2
        return np.sqrt(np.maximum(spread, 0))

    def luma(self, curves: Curves | None = None) -> float:
        """The mean luma (ITU-R BT.709), 0 to 255, as it is or after the curves."""
        through = np.stack([_LEVELS] * 3) if curves is None else curves
        whole = max(int(self.counts[0].sum()), 1)
        means = (self.counts * through).sum(axis=1) / whole
        return float(means @ np.array(LUMA))

    def shares(self, curves: Curves | None = None) -> list[list[float]]:
        """How large a share of the picture has each of 64 steps of levels, as it is or after the curves."""
        through = np.stack([_LEVELS] * 3) if curves is None else curves
        step = np.clip(np.round(through), 0, 255).astype(np.int64) // 4
        whole = max(int(self.counts[0].sum()), 1)
        pairs = zip(step, self.counts, strict=True)
        return [(np.bincount(at, count, 64) / whole).round(6).tolist() for at, count in pairs]

    def matched(self, to: "Levels", by: str) -> Curves:
        """Curves that bring these levels to those of another picture.

        ``levels``: each channel's mean and standard deviation (Reinhard and others, Color Transfer between
        Images, 2001, on sRGB levels). ``histogram``: its whole distribution (Gonzalez and Woods, Digital Image
        Processing, "histogram matching").
        """
        if self.empty or to.empty:
            return np.stack([_LEVELS] * 3)
        if by == "histogram":
            pairs = zip(self.counts, to.counts, strict=True)
            return np.stack([_specified(mine, theirs) for mine, theirs in pairs])
        flat = (self.deviation < 0.5) | (to.deviation < 0.5)
        slope, middle = np.ones(3), to.mean.copy()
        whole = max(int(self.counts[0].sum()), 1)
        spread = self.deviation
        for _ in range(_TURNS):  # what is cut at black and white shifts both: made good in a few turns
            slope = np.clip(slope * to.deviation / np.maximum(spread, 1e-6), 1 / _STEEPEST, _STEEPEST)
            slope = np.where(flat, 1.0, slope)
            curves = (_LEVELS - self.mean[:, None]) * slope[:, None] + middle[:, None]
            seen = np.clip(curves, 0, 255)
            mean = (self.counts * seen).sum(axis=1) / whole
            spread = np.sqrt((self.counts * (seen - mean[:, None]) ** 2).sum(axis=1) / whole)
            middle += to.mean - mean
        return np.clip((_LEVELS - self.mean[:, None]) * slope[:, None] + middle[:, None], 0, 255)


def _specified(mine: NDArray[np.int64], theirs: NDArray[np.int64]) -> NDArray[np.float64]:
    """The level of the other picture that as many of its pixels lie below."""
    own = np.cumsum(mine) / mine.sum()
    others = np.cumsum(theirs) / theirs.sum()
    there = theirs > 0
    levels: NDArray[np.float64] = np.interp(own, others[there], _LEVELS[there])
    return levels


def curves_of(tone: Tone, before: Curves | None = None) -> Curves:
    """What a tone makes of each level, but for its saturation. ``before``: curves that go first."""
    level = (np.stack([_LEVELS] * 3) if before is None else before) / 255
    level = np.clip(level, 0, 1)
    if tone.exposure:
        level = to_levels(np.clip(to_linear(level) * 2.0**tone.exposure, 0, 1))
    level = np.clip((level * 255 - tone.black) / (tone.white - tone.black), 0, 1)
    if tone.gamma != 1:
        level = level ** (1 / tone.gamma)
    if tone.contrast:
        level = (level - 0.5) * 2.0 ** (tone.contrast / 50) + 0.5
    return np.clip(level, 0, 1) * 255


def toned(picture: NDArray[np.uint8], curves: Curves, saturation: int) -> NDArray[np.uint8]:
    """A picture, straight RGBA, shape (height, width, 4), through curves, and more or less colourful.

    ``saturation``: -100 to 100 percent; luma (ITU-R BT.709) stays. Alpha stays. What is clear becomes black.
    """
    out = np.empty_like(picture, order="C")
    _toned(picture, out, curves, np.round(curves).astype(np.uint8), 1 + saturation / 100, np.array(LUMA))
    return out


def matches(match: Match | None, position: int) -> bool:
    """Whether a frame is one that is brought to the tone of another."""
    return match is not None and position != match.to and (match.frames is None or position in match.frames)


@compiled
def _counts(picture: NDArray[np.uint8]) -> NDArray[np.int64]:
    counts = np.zeros((3, 256), np.int64)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            alpha = np.int64(picture[y, x, 3])
            if alpha:
                for c in range(3):
                    counts[c, picture[y, x, c]] += alpha
    return counts


@compiled
def _toned(
    picture: NDArray[np.uint8],
    out: NDArray[np.uint8],
    curves: NDArray[np.float64],
    whole: NDArray[np.uint8],
    saturation: float,
    luma: NDArray[np.float64],
) -> None:
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            alpha = picture[y, x, 3]
            out[y, x, 3] = alpha
            if alpha == 0:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = 0
                continue
            red, green, blue = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            if saturation == 1.0:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = whole[0, red], whole[1, green], whole[2, blue]
                continue
            r, g, b = curves[0, red], curves[1, green], curves[2, blue]
            grey = luma[0] * r + luma[1] * g + luma[2] * b
            out[y, x, 0] = np.uint8(min(max(grey + (r - grey) * saturation, 0.0), 255.0) + 0.5)
            out[y, x, 1] = np.uint8(min(max(grey + (g - grey) * saturation, 0.0), 255.0) + 0.5)
            out[y, x, 2] = np.uint8(min(max(grey + (b - grey) * saturation, 0.0), 255.0) + 0.5)
