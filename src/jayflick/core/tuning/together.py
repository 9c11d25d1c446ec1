"""One budget over several outputs, shared out such that the worst likeness among them is best.

Each output is searched under a share of the budget, at first by what they take now. What was tried tells how
much each loses at how many bytes (by logarithms, straight between two trials); shares are then set so that all
lose as much, and the search goes on with those that changed.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from ..framing.prepared import SourceFrame
from ..progress import OnProgress
from ..recipe import Recipe
from ..stages import Stages
from .budget import USUAL, May, may_change, search
from .choice import Candidate, shared_out
from .trial import Trial

ROUNDS = 3
ALIKE = 0.03
"""What a share must change by for its output to be searched anew."""
USED = 0.985
"""How much of the budget is given out: a search ends within a few percent of its own."""
LEAST = 1e-5
"""What is lost where nothing is, for logarithms."""
STEEP = -1.0
"""By what power of the bytes less is lost, before it is known."""


@dataclass(frozen=True)
class FoundTogether:
    """What was tried of each output, by its id."""

    most: int
    trials: Mapping[str, tuple[Trial, ...]]

    @property
    def best(self) -> dict[str, Trial] | None:
        """One trial each, together in the budget; ``None`` if that cannot be."""
        picks = shared_out([[one.candidate for one in tried] for tried in self.trials.values()], self.most)
        if picks is None:
            return None
        return {key: tried[at] for (key, tried), at in zip(self.trials.items(), picks, strict=True)}


def search_together(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_ids: Sequence[str],
    most: int,
    stages: Stages,
    *,
    may: frozenset[May] = USUAL,
    on_trial: Callable[[Trial], None] = lambda trial: None,
    on_progress: OnProgress = lambda progress: None,
) -> FoundTogether:
    """Find files of several outputs that take at most ``most`` bytes in all.

    ``on_trial`` is told each trial once it is measured; it and ``on_progress`` may raise to end the search.
    Raises ``InputError`` when the recipe does not fit the frames.
    """
    tried: dict[str, dict[str, Trial]] = {key: {} for key in output_ids}

    def note(trial: Trial) -> None:
        setting = trial.output.model_dump_json()
        if setting not in tried[trial.output.id]:
            tried[trial.output.id][setting] = trial
            on_trial(trial)

    def look(key: str, budget: int, what: frozenset[May]) -> None:
        search(recipe, frames, key, budget, stages, may=what, on_trial=note, on_progress=on_progress)

    for key in output_ids:
        look(key, 1 << 62, frozenset())  # as it is
    now = {key: next(iter(tried[key].values())).size for key in output_ids}
    shares = {key: most * size / sum(now.values()) for key, size in now.items()}
    given: dict[str, float] = {}
    for _ in range(ROUNDS):
        for key, share in shares.items():
            changes = may & may_change(recipe.output(key))
            if changes and abs(share / given.get(key, math.inf) - 1) > ALIKE:
                look(key, max(1, int(share)), changes)
                given[key] = share
        shares = _shares({key: list(tried[key].values()) for key in output_ids}, USED * most)
        if all(abs(share / given.get(key, share) - 1) <= ALIKE for key, share in shares.items()):
            break
    return FoundTogether(most, {key: tuple(tried[key].values()) for key in output_ids})


def _shares(tried: Mapping[str, Sequence[Trial]], most: float) -> dict[str, float]:
    """How many bytes each gets so that all lose as much, as far as is known."""
    curves = {key: _curve([one.candidate for one in trials]) for key, trials in tried.items()}
    low, high = math.log(LEAST), 0.0
    for _ in range(60):
        middle = (low + high) / 2
        if sum(math.exp(_bytes_at(curve, middle)) for curve in curves.values()) > most:
            low = middle
        else:
            high = middle
    return {key: math.exp(_bytes_at(curve, high)) for key, curve in curves.items()}


Curve = Sequence[tuple[float, float]]
"""What is lost, and bytes, both by their logarithms; from the truest to the smallest."""


def _curve(trials: Sequence[Candidate]) -> Curve:
    """Of those than which none is both smaller and truer."""
    frontier: list[Candidate] = []
    for one in sorted(trials, key=lambda one: (one.error, one.size)):
        if not frontier or one.size < frontier[-1].size:
            frontier.append(one)
    return [(math.log(max(one.error, LEAST)), math.log(one.size)) for one in frontier]


def _bytes_at(curve: Curve, lost: float) -> float:
    """Bytes at which so much is lost, both by their logarithms; beyond what is known as it goes on."""
    if lost <= curve[0][0]:
        return curve[0][1]  # no more is known to be of use
    for (ours, more), (theirs, less) in pairwise(curve):
        if lost <= theirs:
            return more + (less - more) * (lost - ours) / max(theirs - ours, 1e-9)
    return curve[-1][1] + (lost - curve[-1][0]) / STEEP
