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
