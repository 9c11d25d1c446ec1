"""How alike two moving pictures are that are to show the same, picture by picture.

Sources: PSNR as usual, 10 log10(255² / mean squared error), over all three channels; SSIM, see :mod:`.ssim`;
what else eyes complain of, see :mod:`.blemishes`.
"""

import math
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import accumulate
from statistics import fmean

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..pictures.moving import Moving
from ..timing.flicks import SECOND
from .blemishes import blemishes
from .ssim import WINDOW, ssim

GREY = 128
"""What clear pixels are laid over: both pictures lose the same by it."""


@dataclass(frozen=True)
class Pair:
    """Two pictures that are shown at the same time."""

    first: int
    """Which picture of the first it is, from 0, as ``second`` of the second."""
    second: int
    at: float
    """When, in seconds; where there is no time, the number of the pair."""
    error: float
    """Mean squared error over the three channels, in levels."""
    ssim: float | None
    """``None`` for pictures of under 7 × 7 pixels."""
    bands: float | None
    crawling: float | None
    """Since the last pair; ``None`` for the first."""
    edges: float | None
    hue: float

    @property
    def psnr(self) -> float | None:
        """In dB; ``None`` when the pictures are equal."""
        return psnr_of(self.error)


@dataclass(frozen=True)
class Comparison:
    """What comparing found."""

    by_time: bool
    """Whether pictures were matched by when they are shown, not one by one."""
    pairs: tuple[Pair, ...]

    @property
    def psnr(self) -> float | None:
        """Of the mean squared error of all, in dB; ``None`` when all are equal."""
        return psnr_of(fmean(pair.error for pair in self.pairs))

    @property
    def ssim(self) -> float | None:
        return _mean([pair.ssim for pair in self.pairs])

    @property
    def bands(self) -> float | None:
        return _root_mean_square([pair.bands for pair in self.pairs])

    @property
    def crawling(self) -> float | None:
        return _mean([pair.crawling for pair in self.pairs])

    @property
    def edges(self) -> float | None:
        return _root_mean_square([pair.edges for pair in self.pairs])

    @property
    def hue(self) -> float:
        return _root_mean_square([pair.hue for pair in self.pairs]) or 0.0

    @property
    def worst(self) -> Pair:
        """The pair that is least alike."""
        return min(self.pairs, key=lambda pair: (1.0 if pair.ssim is None else pair.ssim, -pair.error))


def psnr_of(error: float) -> float | None:
    """The peak signal-to-noise ratio in dB of a mean squared error in levels; ``None`` for none."""
    return 10 * math.log10(255**2 / error) if error > 0 else None


def _mean(values: Sequence[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return fmean(known) if known else None


def _root_mean_square(values: Sequence[float | None]) -> float | None:
    mean = _mean([None if value is None else value * value for value in values])
    return None if mean is None else math.sqrt(mean)


def compare(first: Moving, second: Moving, counts: tuple[int, int], names: tuple[str, str]) -> Comparison:
    """Hold two against each other; ``counts``: of their pictures, ``names``: for errors.

    Each picture of the one that has more is held against what the other shows in the middle of its time, so
    that delays which formats round make no difference. Where one has no time they are matched one by one.
    Raises ``InputError`` when sizes differ, or counts where there is no time.
    """
    by_time = first.durations is not None and second.durations is not None
    if not by_time and counts[0] != counts[1]:
        raise InputError(
            f"holds {counts[1]} pictures, the other {counts[0]}, and not both have a time to match them by",
            file=names[1],
            remedy="compare files, or sets of as many pictures",
        )
    matched = _by_time(first.durations, second.durations) if by_time else _one_by_one(counts[0])
    return Comparison(by_time, tuple(_pairs(first.pictures, second.pictures, matched, names)))


def _one_by_one(count: int) -> Iterator[tuple[int, int, float]]:
    return ((index, index, float(index)) for index in range(count))


def _by_time(first: Sequence[int] | None, second: Sequence[int] | None) -> Iterator[tuple[int, int, float]]:
    """Which pictures are shown together, and when, as far as both go; durations in flicks."""
    ends = [list(accumulate(one or ())) for one in (first, second)]
    finer = 0 if len(ends[0]) > len(ends[1]) else 1
    begin = 0
    for index, end in enumerate(ends[finer]):
        middle = (begin + end) / 2
        other = min(bisect_right(ends[1 - finer], middle), len(ends[1 - finer]) - 1)
        yield (index, other, middle / SECOND) if finer == 0 else (other, index, middle / SECOND)
        begin = end


def _pairs(
    first: Iterator[NDArray[np.uint8]],
    second: Iterator[NDArray[np.uint8]],
    matched: Iterator[tuple[int, int, float]],
    names: tuple[str, str],
) -> Iterator[Pair]:
    ours, theirs = _Reel(first, names[0]), _Reel(second, names[1])
    before: tuple[NDArray[np.uint8], NDArray[np.uint8]] | None = None
    for one, other, at in matched:
        a, b = ours.at(one), theirs.at(other)
        if a.shape != b.shape:
            raise InputError(
                f"is {b.shape[1]} × {b.shape[0]}, the other {a.shape[1]} × {a.shape[0]}",
                file=names[1],
                remedy="scale one of them first",
            )
        error = float(np.mean(np.square(a.astype(np.int32) - b)))
        alike = ssim(a, b) if min(a.shape[:2]) >= WINDOW else None
        found = blemishes(a, b, before)
        yield Pair(one, other, at, error, alike, found.bands, found.crawling, found.edges, found.hue)
        before = a, b


class _Reel:
    """Pictures that are asked for in order, some of them several times: what is seen of each over grey."""

    def __init__(self, pictures: Iterator[NDArray[np.uint8]], name: str) -> None:
        self._pictures, self._name = enumerate(pictures), name
        self._index = -1
        self._picture: NDArray[np.uint8]

    def at(self, index: int) -> NDArray[np.uint8]:
        """Shape (height, width, 3)."""
        while self._index < index:
            found = next(self._pictures, None)
            if found is None:
                raise InputError(
                    f"ends after {self._index + 1} pictures, which are fewer than it says",
                    file=self._name,
                    remedy="make it anew",
                )
            self._index = found[0]
            if self._index == index:
                self._picture = _over_grey(found[1])
        return self._picture


def _over_grey(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    alpha = picture[:, :, 3:].astype(np.uint32)
    seen = (picture[:, :, :3] * alpha + GREY * (255 - alpha) + 127) // 255
    return seen.astype(np.uint8)
