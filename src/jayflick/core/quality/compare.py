"""How alike two moving pictures are that are to show the same, picture by picture."""

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..pictures.moving import Moving
from ..timing.flicks import SECOND
from .likeness import Likeness, Places, Worst, likeness, together, worst
from .seen import GREY, over


@dataclass(frozen=True)
class Pair:
    """Two pictures that are shown at the same time."""

    first: int
    """Which picture of the first it is, from 0, as ``second`` of the second."""
    second: int
    at: float
    """When, in seconds; where there is no time, the number of the pair."""
    likeness: Likeness
    places: Places


@dataclass(frozen=True)
class Comparison:
    """What comparing found."""

    by_time: bool
    """Whether pictures were matched by when they are shown, not one by one."""
    pairs: tuple[Pair, ...]

    @property
    def likeness(self) -> Likeness:
        return together([pair.likeness for pair in self.pairs])

    @property
    def worst(self) -> Pair:
        """The pair that is least alike."""

        def order(pair: Pair) -> tuple[float, float]:
            return (1.0 if pair.likeness.ssim is None else pair.likeness.ssim, -pair.likeness.error)

        return min(self.pairs, key=order)

    @property
    def stands_out(self) -> Worst | None:
        """What stands out most; its pictures are pairs."""
        return worst([pair.likeness for pair in self.pairs], [pair.places for pair in self.pairs])


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
        yield Pair(one, other, at, *likeness(a, b, before))
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
                self._picture = over(found[1], GREY)
        return self._picture
