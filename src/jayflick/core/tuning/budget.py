"""The search for the truest file of an output that fits a budget, by real encodings of it.

What bytes a setting takes is not foretold: each is tried. One setting is searched along (loss where it may
change; quality, colours or tolerance otherwise), by the logarithm of the bytes, which falls about evenly with
it. Others are taken from a few values each, and searched along anew as long as that brings more likeness.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, Literal, get_args

from ..framing.prepared import SourceFrame
from ..progress import OnProgress
from ..recipe import (
    AvifOutput,
    BaseOutput,
    FramesOutput,
    GifOutput,
    Recipe,
    SheetOutput,
    StillOutput,
    Tuning,
    VideoOutput,
    WebpOutput,
)
from ..stages import Stages
from ..targets.check import scaled_on_canvas
from ..timing.flicks import written_rate
from .choice import best_of, nearest_of
from .trial import LOOKED_AT, Trial, try_out

May = Literal["colours", "dither", "tolerance", "loss", "palette", "quality", "size", "rate"]
"""What a search may change."""
USUAL: frozenset[May] = frozenset(get_args(May)) - {"size", "rate"}
MOST_TRIALS = 12
ENOUGH = 0.97
"""The share of a budget from which a file is not made larger any more."""
STEEP = 0.013
"""How much of a file's logarithm a level takes, before it is known: about what loss does."""

FIRST = 20
"""The level that is tried first."""
FAIR = 50
"""The level at which a picture is rather made smaller."""
PALETTE_SHARE = 8
"""How much larger than its palette a file is at least that is worth making smaller."""
MOST_SIZES = 6
MORE_TRIALS = 4
"""Allowed once a size is found: they are of smaller pictures."""
FEWER = 0.94
"""The share of the colours that is tried first to make up for a level."""
CLOSE, FAR = 0.85, 1.4
"""What takes so much of the budget, and loses so much more than the best, is not made larger any more."""
WORSE = 0.002
"""How much less SSIM fewer colours may bring before still fewer are not tried."""
LIGHTER = 0.17
"""How much of a file's logarithm half the colours save, about."""

Setting = Callable[[int], BaseOutput]
"""An output at a level, 0 for the truest to 100 for the smallest."""


@dataclass(frozen=True)
class Found:
    """What a search found."""

    most: int
    """The budget, in bytes."""
    trials: tuple[Trial, ...]
    """In the order they were made."""

    @property
    def best(self) -> Trial | None:
        """The truest that fits; ``None`` if none does."""
        index = best_of([one.candidate for one in self.trials], self.most)
        return None if index is None else self.trials[index]

    @property
    def nearest(self) -> Trial:
        """The best, or else the smallest."""
        index = nearest_of([one.candidate for one in self.trials], self.most)
        assert index is not None, "there is a trial"
        return self.trials[index]


def may_change(output: BaseOutput) -> frozenset[May]:
    """What a search could change of an output."""
    both: frozenset[May] = frozenset({"size", "rate"})
    match output:
        case GifOutput():
            return both | {"colours", "dither", "tolerance", "loss", "palette"}
        case WebpOutput(lossless=False) | AvifOutput():
            return both | {"quality"}
        case VideoOutput(codec="h264" | "vp9"):
            return both | {"quality"}
        case StillOutput(picture="png"):
            return frozenset({"size"})
        case StillOutput():
            return frozenset({"size", "quality"})
        case FramesOutput(picture="jpeg"):
            return both | {"quality"}
        case SheetOutput():
            return frozenset()
        case _:
            return both


def search(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_id: str,
    most: int,
    stages: Stages,
    *,
    may: frozenset[May] = USUAL,
    on_trial: Callable[[Trial], None] = lambda trial: None,
    on_progress: OnProgress = lambda progress: None,
) -> Found:
    """Find the truest file of an output in at most ``most`` bytes.

    The first trial is the output as it is. ``on_trial`` is told each trial once it is measured; it and
    ``on_progress`` may raise to end the search.
    Raises ``InputError`` when the recipe does not fit the frames.
    """
    output = recipe.output(output_id)
    may &= may_change(output)
    looking = _Search(recipe, frames, most, stages, may, on_trial, on_progress)
    looking.run(output)
    return Found(most, tuple(looking.trials))


@dataclass
class _Search:
    recipe: Recipe
    frames: Sequence[SourceFrame]
    most: int
    stages: Stages
    may: frozenset[May]
    on_trial: Callable[[Trial], None]
    on_progress: OnProgress

    def __post_init__(self) -> None:
        self.trials: list[Trial] = []
        self._known: dict[str, Trial] = {}
        self._slope = STEEP
        self._left = MOST_TRIALS

    def run(self, output: BaseOutput) -> None:
        self._try(output)
        self._within(output)
        if any(trial.size <= self.most for trial in self.trials):
            return
        # Nothing fits as large, or as many: less of that, as much as it takes.
        if "rate" in self.may:
            smallest = min(self.trials, key=lambda one: one.size).output
            for part in (2, 3, 4):
                rate = self._part_of_rate(part)
                if rate is not None and self._try(_at_rate(smallest, rate)).size <= self.most:
                    self._left += MORE_TRIALS
                    self._within(_at_rate(output, rate))
                    return
        if "size" in self.may:
            self._smaller(output)

    def _within(self, output: BaseOutput) -> bool:
        """Search along what may change but size and rate; whether anything fits."""
        lines = list(self._lines(output))
        if not lines:
            return self._try(output).size <= self.most
        best: Trial | None = None
        first: Trial | None = None
        start = FIRST
        for line in lines:
            found = self._along(line, start, best)
            if found is None:
                if best is not None:
                    break
                start = 100
                continue
            trial, level = found
            if best is not None and trial.error > best.error + WORSE:
                break
            if best is None or trial.error < best.error:
                best = trial
                first = first or trial
            start = max(0, level - round(LIGHTER / self._slope))
        if best is not None:
            self._finer(best)
        if best is not None and best is first and start <= FIRST:
            self._richer(output)
        return best is not None

    def _finer(self, best: Trial) -> None:
        """Where a level is too coarse a step: one level truer, in a few colours less."""
        output = best.output
        if not isinstance(output, GifOutput) or not {"colours", "loss"} <= self.may:
            return
        tuning = output.tuning
        if best.size >= ENOUGH * self.most or tuning.loss == 0 or tuning.palette != "shared":
            return
        if self._left <= 0:
            return
        colours = tuning.colours
        over = self._try(_with(output, loss=tuning.loss - 1)).size  # known: otherwise it would be the best
        fewer = round(colours * FEWER)
        while self._left > 0 and over > self.most and max(2, len(tuning.locked)) <= fewer < colours:
            trial = self._try(_with(output, loss=tuning.loss - 1, colours=fewer))
            if trial.size <= self.most:
                return
            a_colour = max((over - trial.size) / (colours - fewer), 1)
            colours, over = fewer, trial.size
            wanted = math.ceil((over - self.most * (1 + ENOUGH) / 2) / a_colour)
            fewer -= min(wanted, max(1, colours // 10))

    def _richer(self, output: BaseOutput) -> None:
        """As many colours as there can be are the best, and there is room for more: palettes by frame."""
        if isinstance(output, GifOutput) and {"palette", "loss"} <= self.may:
            line = next(self._gif_lines(output))
            self._along(lambda level: _with(line(level), palette="frame"), FIRST)

    def _lines(self, output: BaseOutput) -> Iterator[Setting]:
        """What is searched along, the most promising first; each next one spends less to begin with."""
        if isinstance(output, GifOutput):
            yield from self._gif_lines(output)
        elif "quality" in self.may:
            clip = {"most_bytes": None} if isinstance(output, VideoOutput) else {}
            yield lambda level: _set(output, quality=100 - level, **clip)

    def _gif_lines(self, output: GifOutput) -> Iterator[Setting]:
        free: dict[str, Any] = {}
        if "dither" in self.may:
            free["dither"] = "none"
        if "tolerance" in self.may:
            free["tolerance"] = 0
        if "palette" in self.may:
            free["palette"] = "shared"
        tuning = output.tuning
        least = max(2, len(tuning.locked))
        counts = [tuning.colours]
        if "colours" in self.may:
            counts = [count for count in (256, 128, 64, 32, 16, 4, 2) if count >= least]

        def line(knob: str, fixed: dict[str, Any]) -> Setting:
            def at(level: int) -> BaseOutput:
                value = level
                if knob == "colours":
                    value = max(least, round(2 ** (8 - 7 * level / 100)))
                changed = {**tuning.model_dump(), **free, **fixed, knob: value}
                return _set(output, tuning=Tuning.model_validate(changed))

            return at

        if "loss" in self.may:
            for count in counts:
                yield line("loss", {"colours": count})
        elif "colours" in self.may:
            yield line("colours", {})
            if "tolerance" in self.may:
                yield line("colours", {"tolerance": 15})
                yield line("colours", {"tolerance": 40})
        elif "tolerance" in self.may:
            yield line("tolerance", {})
        elif free:
            yield lambda level: _set(output, tuning=tuning.model_copy(update=free))

    def _along(self, line: Setting, start: int, best: Trial | None = None) -> tuple[Trial, int] | None:
        """The lowest level that fits, and its trial; ``None`` if none does, or there are no trials left.

        Given up where it is plain that it ends far from the ``best`` so far.
        """
        over: tuple[int, float] | None = None
        under: tuple[int, Trial] | None = None
        stuck = False
        level = start
        goal = math.log(self.most * (1 + ENOUGH) / 2)
        while self._left > 0:
            trial = self._try(line(level))
            size = math.log(trial.size)
            if trial.size <= self.most:
                under = level, trial
                if level == 0 or trial.size >= ENOUGH * self.most:
                    break
                close = trial.size >= CLOSE * self.most
                if best is not None and close and trial.error > FAR * best.error + WORSE:
                    break
            else:
                stuck = over is not None and under is None and size == over[1]
                over = level, size
            if over is not None and under is not None:
                (low, more), (high, fits) = over, under
                if high - low <= 1:
                    break
                less = math.log(fits.size)
                if more > less:
                    self._slope = max((more - less) / (high - low), STEEP / 8)
                level = round(low + (more - goal) / max(more - less, 1e-9) * (high - low))
                level = min(max(level, low + 1), high - 1)
            elif over is not None:
                if level >= 100:
                    return None
                further = max(3, math.ceil((size - goal) / self._slope))
                level = 100 if stuck else min(100, level + further)
            else:
                level = max(0, level - max(3, math.ceil((goal - size) / self._slope)))
        return None if under is None else (under[1], under[0])

    def _part_of_rate(self, part: int) -> str | None:
        """A part of the rate that the output is played at; ``None`` where that is under one a second."""
        made = self.trials[0].rendered
        seconds = Fraction(made.info["duration_ms"] / 1000).limit_denominator(10_000)
        rate = Fraction(len(made.timed.at)) / seconds / part if seconds else Fraction(0)
        return None if rate < 1 else written_rate(str(rate.limit_denominator(1001)))

    def _smaller(self, output: BaseOutput) -> None:
        """Less of it, so much that it need not be spoilt; then along what may change at that size."""
        info = self.trials[0].rendered.info
        width, height, source = info["width"], info["height"], info["source_size"]
        fair = [line(FAIR) for line in self._lines(output)] or [output]
        light = (one for one in fair if PALETTE_SHARE * _palette_bytes(one) <= self.most)
        fairly = next(light, fair[-1])
        trial, share, power = self._try(fairly), 1.0, 0.5
        for _ in range(MOST_SIZES):
            share *= min(0.95, (0.95 * self.most / trial.size) ** power)
            power = 1.0  # what does not go with the area is left
            if share * min(width, height) < 1:
                return
            trial = self._try(_scaled(fairly, width, height, share, source))
            if trial.size <= self.most:
                self._left += MORE_TRIALS
                self._within(_scaled(output, width, height, share, source))
                return

    def _try(self, output: BaseOutput) -> Trial:
        key = output.model_dump_json()
        if key not in self._known:
            trial = try_out(
                self.recipe, self.frames, output, self.stages, most=LOOKED_AT, on_progress=self.on_progress
            )
            self._known[key] = trial
            self._left -= bool(self.trials)  # the first is as it was
            self.trials.append(trial)
            self.on_trial(trial)
        return self._known[key]


def _palette_bytes(output: BaseOutput) -> int:
    return 3 * output.tuning.colours if isinstance(output, GifOutput) else 0


def _at_rate(output: BaseOutput, rate: str) -> BaseOutput:
    """An output in the same time, of fewer frames."""
    return _set(output, take=output.take.model_copy(update={"rate": rate, "keep": "time"}))


def _with(output: BaseOutput, **tuning: Any) -> BaseOutput:
    """A GIF with something of its tuning set."""
    assert isinstance(output, GifOutput)
    return _set(output, tuning=output.tuning.model_copy(update=tuning))


def _set(output: BaseOutput, **changes: Any) -> BaseOutput:
    return output.model_copy(update=changes)


def _scaled(
    output: BaseOutput, width: int, height: int, share: float, source: tuple[int, int] | None
) -> BaseOutput:
    """An output of so many pixels smaller by a share, its proportions and its canvas's kept."""
    to = max(1, int(width * share))
    changes: dict[str, Any] = {"width": to, "height": None}
    if output.size.width is not None and output.size.height is not None:  # a canvas of its own shape
        changes["height"] = max(1, round(height * to / width))
        changes |= scaled_on_canvas(output.size, Fraction(to, width), source)
    size = type(output.size).model_validate({**output.size.model_dump(), **changes})
    return _set(output, size=size)
