"""Which of some trials is taken."""

from collections.abc import Sequence
from typing import NamedTuple

from ..quality.likeness import STANDS_OUT, Blemish

ALIKE = 0.0005
"""Of two files that are as like their frames but for so much SSIM, that in which less stands out is taken."""


class Candidate(NamedTuple):
    """What is known of a trial when one is chosen."""

    size: int
    """In bytes."""
    error: float
    stands_out: tuple[Blemish, float] | None
    """What stands out most, and how much."""

    @property
    def _standing_out(self) -> float:
        return 0.0 if self.stands_out is None else self.stands_out[1] / STANDS_OUT[self.stands_out[0]]


def best_of(trials: Sequence[Candidate], most: int) -> int | None:
    """The truest that fits in ``most`` bytes, as its index; ``None`` if none does."""
    fitting = [index for index, one in enumerate(trials) if one.size <= most]
    if not fitting:
        return None
    least = min(trials[index].error for index in fitting)
    as_true = [index for index in fitting if trials[index].error <= least + ALIKE]
    return min(as_true, key=lambda index: (trials[index]._standing_out, trials[index].error))


def nearest_of(trials: Sequence[Candidate], most: int) -> int | None:
    """The best, or else the smallest; ``None`` where there are no trials."""
    best = best_of(trials, most)
    if best is not None or not trials:
        return best
    return min(range(len(trials)), key=lambda index: trials[index].size)


def shared_out(outputs: Sequence[Sequence[Candidate]], most: int) -> list[int] | None:
    """One trial of each output, as their indices, that take at most ``most`` bytes in all.

    The worst of them is as true as can be; what is left goes to the others, the worst first. ``None`` if not
    even the smallest fit.
    """
    for lost in sorted({one.error for trials in outputs for one in trials}):
        picks = [_smallest(trials, lost) for trials in outputs]
        if None not in picks:
            chosen = [index for index in picks if index is not None]
            left = most - sum(trials[at].size for trials, at in zip(outputs, chosen, strict=True))
            if left >= 0:
                return _bettered(outputs, chosen, left)
    return None


def _smallest(trials: Sequence[Candidate], lost: float) -> int | None:
    """The smallest that loses no more."""
    good = [index for index, one in enumerate(trials) if one.error <= lost]
    return min(good, key=lambda index: (trials[index].size, trials[index].error)) if good else None


def _bettered(outputs: Sequence[Sequence[Candidate]], chosen: list[int], left: int) -> list[int]:
    """The same with what is left spent, on the worst first."""
    order = sorted(range(len(outputs)), key=lambda at: -outputs[at][chosen[at]].error)
    for at in order:
        trials, now = outputs[at], chosen[at]
        room = trials[now].size + left
        best = min(
            (index for index, one in enumerate(trials) if one.size <= room),
            key=lambda index: (trials[index].error, trials[index].size),
        )
        left -= trials[best].size - trials[now].size
        chosen[at] = best
    return chosen
