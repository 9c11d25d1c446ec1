"""A spread of trials: real encodings of an output whose bytes lie where there are none yet.

What bytes a setting takes is guessed from the trial that is most like it; of the settings there are, that one
is tried next whose bytes lie farthest, by their logarithm, from those of every trial so far.
"""

import itertools
import math
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from ..framing.prepared import SourceFrame
from ..progress import OnProgress
from ..recipe import BaseOutput, GifOutput, Recipe, Tuning, VideoOutput
from ..stages import Stages
from .budget import May, may_change
from .trial import LOOKED_AT, Trial, try_out

MOST_TRIALS = 12

HALVED, LEVEL, DITHERED, TOLERATED, BY_FRAME, QUALITY = 0.17, 0.013, 0.35, 0.004, 0.15, 0.022
"""How much of a file's logarithm half the colours save, a level of loss, no dither, a level of tolerance and
one palette for all; and a level of quality. Only guesses, set right by what is tried."""


def spread(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_id: str,
    stages: Stages,
    *,
    may: frozenset[May],
    known: Sequence[tuple[BaseOutput, int]] = (),
    on_trial: Callable[[Trial], None] = lambda trial: None,
    on_progress: OnProgress = lambda progress: None,
    most: int = MOST_TRIALS,
) -> tuple[Trial, ...]:
    """Try others of an output, first the output as it is.

    ``known``: outputs that were made before, with their bytes. ``on_trial`` is told each trial once it is
    measured; it and ``on_progress`` may raise to end the work. Raises ``InputError`` when the recipe does not
    fit the frames.
    """
    output = recipe.output(output_id)
    trials: list[Trial] = []
    sizes = [(one, math.log(size)) for one, size in known if one.format == output.format]

    def take(one: BaseOutput) -> None:
        trial = try_out(recipe, frames, one, stages, most=LOOKED_AT, on_progress=on_progress)
        trials.append(trial)
        sizes.append((one, math.log(trial.size)))
        on_trial(trial)

    take(output)
    left = [one for one in _settings(output, may & may_change(output)) if one not in [one for one, _ in sizes]]
    while left and len(trials) <= most:
        guessed = {id(one): _guess(one, sizes) for one in left}

        def apart(one: BaseOutput, guessed: dict[int, float] = guessed) -> float:
            return min(abs(guessed[id(one)] - size) for _, size in sizes)

        following = max(left, key=apart)
        left.remove(following)
        take(following)
    return tuple(trials)


def _settings(output: BaseOutput, may: frozenset[May]) -> Iterator[BaseOutput]:
    """What can be tried of an output, the more likely first."""
    if isinstance(output, GifOutput):
        tuning = output.tuning
        least = max(2, len(tuning.locked))
        counts = [count for count in (256, 128, 64, 32, 16) if count >= least]
        choices: dict[str, Sequence[Any]] = {
            "loss": (0, 20, 40, 60, 75) if "loss" in may else (tuning.loss,),
            "colours": counts if "colours" in may else (tuning.colours,),
            "dither": ("none", "diffusion", "ordered") if "dither" in may else (tuning.dither,),
            "tolerance": (0, 12, 30) if "tolerance" in may else (tuning.tolerance,),
            "palette": ("shared", "frame") if "palette" in may else (tuning.palette,),
        }
        for values in itertools.product(*choices.values()):
            changed = dict(zip(choices, values, strict=True))
            set_so = Tuning.model_validate({**tuning.model_dump(), **changed})
            yield output.model_copy(update={"tuning": set_so})
    elif "quality" in may:
        clip = {"most_bytes": None} if isinstance(output, VideoOutput) else {}
        for quality in range(95, 14, -8):
            yield output.model_copy(update={"quality": quality, **clip})


def _guess(output: BaseOutput, known: Sequence[tuple[BaseOutput, float]]) -> float:
    """What a file's logarithm would be, from that of the one that is most like it."""
    like, size = min(known, key=lambda one: abs(_weight(output) - _weight(one[0])) + _unlike(output, one[0]))
    return size + _weight(output) - _weight(like)


def _weight(output: BaseOutput) -> float:
    """A file's logarithm but for a constant, roughly."""
    if not isinstance(output, GifOutput):
        return QUALITY * int(getattr(output, "quality", 0))
    tuning = output.tuning
    dithered = 0.0 if tuning.dither == "none" else DITHERED * tuning.amount / 60
    return (
        HALVED * math.log2(tuning.colours)
        + dithered
        + (BY_FRAME if tuning.palette == "frame" else 0.0)
        - LEVEL * tuning.loss
        - TOLERATED * tuning.tolerance
    )


def _unlike(one: BaseOutput, two: BaseOutput) -> float:
    """What guesses fail at first: another dither, other palettes."""
    if not (isinstance(one, GifOutput) and isinstance(two, GifOutput)):
        return 0.0
    return 0.3 * (one.tuning.dither != two.tuning.dither) + 0.3 * (one.tuning.palette != two.tuning.palette)
