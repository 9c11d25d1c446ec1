"""A trial: one real encoding of an output, with its bytes and how like its frames it is."""

from collections import deque
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace

from ..formats.format import Timed
from ..framing.alpha import rgb
from ..framing.prepared import SourceFrame
from ..progress import OnProgress
from ..quality.likeness import Likeness, Places, Worst, likeness, together, worst
from ..quality.seen import GREY, over
from ..recipe import BaseOutput, GifOutput, Recipe
from ..render import Rendered, beside, render
from ..stages import Stages
from .choice import Candidate

LOOKED_AT = 16
"""Steps by which trials are compared."""
THREADS = 2
MEASURE_VERSION = 1
"""Raised when the same files give other figures than before."""


@dataclass(frozen=True)
class Measured:
    """How like its frames an output is, step by step."""

    steps: tuple[int, ...]
    """The played steps that were looked at, from 0."""
    parts: tuple[Likeness, ...]
    places: tuple[Places, ...]

    @property
    def whole(self) -> Likeness:
        return together(self.parts)

    @property
    def worst(self) -> Worst | None:
        """What stands out most, by played steps."""
        found = worst(self.parts, self.places)
        if found is None:
            return None
        first, last, at = (self.steps[index] for index in (found.first, found.last, found.at))
        return replace(found, first=first, last=last, at=at)


def measure(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_id: str,
    timed: Timed,
    stages: Stages,
    *,
    most: int | None = None,
    on_step: Callable[[], None] = lambda: None,
) -> Measured:
    """Hold an output's own files against its frames as they were framed.

    Of more than ``most`` steps so many are looked at, evenly apart. ``on_step`` is called after each, and may
    raise. What is clear lies over the page colour on both sides.
    """
    count = len(timed.at)
    wanted = count if most is None else min(most, count)
    steps = [index * count // wanted for index in range(wanted)]
    page = page_colour(recipe.output(output_id))
    parts: list[Likeness] = []
    places: list[Places] = []
    waiting: deque[Future[tuple[Likeness, Places]]] = deque()

    def take() -> None:
        part, place = waiting.popleft().result()
        parts.append(part)
        places.append(place)
        on_step()

    before, last = None, -1
    with ThreadPoolExecutor(THREADS) as pool:  # pictures are decoded one after the other, and held side by side
        try:
            for step, source, shown in beside(recipe, frames, output_id, timed, stages, steps):
                now = over(source, page), over(shown, page)
                # Crawling is told of neighbours alone.
                waiting.append(pool.submit(likeness, *now, before if last == step - 1 else None))
                before, last = now, step
                if len(waiting) > THREADS:
                    take()
            while waiting:
                take()
        finally:
            pool.shutdown(cancel_futures=True)
    return Measured(tuple(steps), tuple(parts), tuple(places))


def page_colour(output: BaseOutput) -> tuple[int, int, int]:
    """The colour that an output's clear pixels are seen over."""
    if isinstance(output, GifOutput):
        return rgb(output.alpha.matte)
    colour = getattr(output, "over", None)
    return GREY if colour is None else rgb(colour)


def lost(of: Likeness) -> float:
    """What is lost of a likeness: 1 − SSIM; of pictures too small for that by their squared error, 0 to 1."""
    return of.error / 255**2 if of.ssim is None else 1 - of.ssim


@dataclass(frozen=True)
class Trial:
    """An output as it was set, made and measured."""

    output: BaseOutput
    rendered: Rendered
    likeness: Likeness
    worst: Worst | None

    @property
    def size(self) -> int:
        """In bytes."""
        return int(self.rendered.info["bytes"])

    @property
    def error(self) -> float:
        """What is lost of the likeness."""
        return lost(self.likeness)

    @property
    def candidate(self) -> Candidate:
        out = None if self.worst is None else (self.worst.blemish, self.worst.figure)
        return Candidate(self.size, self.error, out)


def try_out(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output: BaseOutput,
    stages: Stages,
    *,
    most: int | None = None,
    on_progress: OnProgress = lambda progress: None,
) -> Trial:
    """Make an output, in the place of that of its id, as it is set, and measure it (see :func:`measure`)."""
    outputs = tuple(output if one.id == output.id else one for one in recipe.outputs)
    changed = recipe.model_copy(update={"outputs": outputs})
    rendered = render(changed, frames, output.id, stages, on_progress=on_progress)
    measured = measure(changed, frames, output.id, rendered.timed, stages, most=most)
    return Trial(output, rendered, measured.whole, measured.worst)
