"""The one way from a recipe and its frames to the files of an output. It knows no format by name."""

import itertools
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from .errors import InputError
from .formats.format import Coded, Format, OnCoded, Timed, Tools, kept
from .formats.table import format_of
from .framing.frames import FRAMING_VERSION, Framed, PlayedFrames
from .framing.prepared import SourceFrame
from .framing.resample import Filter
from .progress import OnProgress, Progress
from .recipe import BaseOutput, Recipe
from .stages import Stages, cache_key
from .timing.held import FormatTiming
from .timing.plan import Plan, plan_rhythm
from .timing.shots import EMPTY

RENDER_VERSION = 5


@dataclass(frozen=True)
class Rendered:
    """The files of an output and what was measured on them."""

    coded: Coded
    timed: Timed
    held: FormatTiming
    info: dict[str, Any]
    """Of the files: format, width, height, count, repeat, duration_ms, bytes, colours, transparent; and the
    ``source_size`` of what they show, by how much that was ``enlarged``."""
    sources: str
    """Names what the played steps show before alpha is settled and colours are chosen."""
    plan: Plan
    seconds: dict[str, float]
    output: BaseOutput
    """The output that it was made for."""
    scaled_by: Filter | None = None
    """The filter that the pictures were scaled by, if they were."""
    notes: list[str] = field(default_factory=list)
    """What a person should know, such as delays the format cannot hold."""

    @property
    def pixels(self) -> str:
        """The key of the coded pictures without their time: equal for two results that differ only in it."""
        return self.coded.key

    @property
    def data(self) -> bytes:
        """The bytes of an output of one file."""
        (file,) = self.timed.files
        return file.read()


def render(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_id: str,
    stages: Stages,
    *,
    on_progress: OnProgress = lambda progress: None,
    on_coded: OnCoded | None = None,
) -> Rendered:
    """Carry out the recipe for one output.

    A pure function: the same recipe and frames give the same bytes; ``stages`` only saves work, and its store
    has the files. ``on_coded`` is told the file as it is coded, by formats that can. Raises ``InputError``
    when the recipe does not fit the frames, and whatever ``on_progress`` raises.
    """
    clock = _Clock(on_progress)
    work = _Work.of(recipe, frames, output_id, stages)
    coded = kept(stages, "pictures", work.key)
    if coded is None:
        clock.lap("framing")
        work.frames.prepare(on_progress)
        tools = Tools(stages, clock.begin, on_coded)
        coded = tools.coded("pictures", work.key, lambda: work.encode(tools))
    return _rendered(work, coded, stages, clock)


def render_at_once(
    recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages
) -> Rendered | None:
    """Like :func:`render`, but only if no pixel need be touched, all pictures being coded already."""
    clock = _Clock()
    work = _Work.of(recipe, frames, output_id, stages)
    coded = kept(stages, "pictures", work.key)
    return None if coded is None else _rendered(work, coded, stages, clock)


def beside(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_id: str,
    timed: Timed,
    stages: Stages,
    steps: Sequence[int],
) -> Iterator[tuple[int, NDArray[np.uint8], NDArray[np.uint8]]]:
    """What some played steps are made of, and what an output's files show in them, decoded anew; both
    straight RGBA.

    Each with its step, from 0, in their order. What the files have not all of (an odd row, trimmed by a coder)
    is trimmed from both.
    """
    work = _Work.of(recipe, frames, output_id, stages)
    pictures = enumerate(work.format.pictures([file.read() for file in timed.files]))
    at, shown = next(pictures)
    for step in sorted(steps):
        while at < timed.at[step]:
            at, shown = next(pictures)
        source = work.frames[step]
        height, width = (min(sides) for sides in zip(source.shape[:2], shown.shape[:2], strict=True))
        yield step, source[:height, :width], shown[:height, :width]


def sources_of(recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages) -> str:
    """Names what an output's steps show, as :attr:`Rendered.sources`, and raises what rendering does."""
    return _Work.of(recipe, frames, output_id, stages).sources


class Pending(NamedTuple):
    """Pictures that are to be made."""

    pictures: str
    """Names what they are made of: recipes that differ only in time share it."""
    pixels: int
    """How many are to be gone through, roughly: how long it will take is in proportion to them."""


def pending(recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages) -> Pending:
    """What is to be made for an output. Raises ``InputError`` when the recipe does not fit the frames."""
    work = _Work.of(recipe, frames, output_id, stages)
    return Pending(work.key, work.frames.pixels * work.format.effort)


class Lacking(NamedTuple):
    """Pictures that are not there yet, for whoever is to make them."""

    key: str
    """Names the coded pictures."""
    reads: set[int]
    """The frames whose files are read for it, at most: positions from 1."""


def lacking(recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages) -> Lacking | None:
    """What :func:`render` would have to make; ``None`` if all is there. Raises what rendering does."""
    work = _Work.of(recipe, frames, output_id, stages)
    return None if kept(stages, "pictures", work.key) else Lacking(work.key, work.frames.reads)


@dataclass(frozen=True)
class _Work:
    """What is to be made, before a pixel is touched."""

    output: BaseOutput
    format: Format[Any]
    plan: Plan
    frames: PlayedFrames
    held: FormatTiming

    @classmethod
    def of(cls, recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages) -> "_Work":
        output = recipe.output(output_id)
        form = format_of(output)
        gaps = [frame.missing_after for frame in frames]
        plan = plan_rhythm(recipe.gather, recipe.rhythm, gaps, output.take)
        if output.only is not None:
            plan = plan.only(output.only)
        if recipe.gather.sizes == "same":
            _require_one_size(frames, plan)
        framed = Framed(frames, recipe.framing_of(output), output.size, stages, recipe.gather)
        held = form.hold(plan, output)
        if output.lists:
            held = replace(held, listed=plan.listed([frame.name for frame in frames]))
        return cls(output, form, plan, PlayedFrames(framed, plan.shots, stages), held)

    @property
    def sources(self) -> str:
        return cache_key("sources", FRAMING_VERSION, self.frames.names)

    @cached_property
    def key(self) -> str:
        """Names everything that the coded pictures depend on."""
        inputs = self.format.inputs(self.frames, self.output, self.held)
        name = self.output.format, self.format.version
        return cache_key("pictures", RENDER_VERSION, name, self.frames.names, inputs)

    def encode(self, tools: Tools) -> Coded:
        return self.format.encode(self.frames, self.output, self.held, self.key, tools)


def _rendered(work: _Work, coded: Coded, stages: Stages, clock: "_Clock") -> Rendered:
    timed = work.format.timed(coded, work.held, work.output, stages.store)
    info = {
        "format": work.output.format,
        **coded.info,
        "count": timed.count,
        "repeat": timed.repeat,
        "duration_ms": _whole(float(timed.duration * 1000)),
        "bytes": sum(file.size for file in timed.files),
        "source_size": work.frames.source_size,
        "enlarged": work.frames.enlarged,
    }
    clock.lap("")
    if "opaque" in info:  # a share for each file: one that is held may be written again and again
        info["opaque"] = [coded.info["opaque"][step] for step in timed.steps]
    notes = _notes(work, timed, info)
    return Rendered(
        coded,
        timed,
        work.held,
        info,
        work.sources,
        work.plan,
        clock.seconds,
        work.output,
        work.frames.scaled_by,
        notes,
    )


def _whole(number: float) -> int | float:
    """A whole number as one, others to the thousandth."""
    return int(number) if number == int(number) else round(number, 3)


def _require_one_size(frames: Sequence[SourceFrame], plan: Plan) -> None:
    used = {position for shot in plan.shots for position, _ in shot.parts if position != EMPTY} or {1}
    first = frames[min(used) - 1]
    for position in sorted(used):
        frame = frames[position - 1]
        if (frame.width, frame.height) != (first.width, first.height):
            raise InputError(
                f"is {frame.width} × {frame.height}, the first frame is {first.width} × {first.height}",
                file=frame.name,
                remedy="render it at the size of the others, or leave it out",
            )


def _notes(work: _Work, timed: Timed, info: dict[str, Any]) -> list[str]:
    notes = [*work.plan.notes, *work.frames.notes, *work.held.notes, *timed.notes]
    target = work.output.target
    most = target.most_bytes if target is not None else None
    if most is not None and info["bytes"] > most:
        notes.append(f"{info['bytes'] - most} bytes over the budget of {most}")
    return notes


class _Clock:
    """How long each part of the work takes, and how far it is."""

    def __init__(self, on_progress: OnProgress = lambda progress: None) -> None:
        self.seconds = dict.fromkeys(("rhythm", "framing", "tuning", "encoding", "measure"), 0.0)
        self._on_progress = on_progress
        self._part = "rhythm"
        self._since = time.perf_counter()

    def lap(self, part: str) -> None:
        """What follows is another part."""
        now = time.perf_counter()
        self.seconds[self._part] = self.seconds.get(self._part, 0.0) + now - self._since
        self._part, self._since = part, now

    def begin(self, part: str, steps: int) -> Callable[[], None]:
        self.lap(part)
        done = itertools.count(1)
        return lambda: self._on_progress(Progress(part, min(next(done), steps), steps))
