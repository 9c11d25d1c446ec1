"""An output in other formats, each about as like its frames: what would it weigh as WebP?"""

import math
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from ..errors import InputError
from ..framing.prepared import SourceFrame
from ..progress import OnProgress
from ..recipe import (
    ApngOutput,
    AvifOutput,
    BaseOutput,
    GifOutput,
    Kind,
    Recipe,
    VideoOutput,
    WebpOutput,
)
from ..stages import Stages
from .trial import LOOKED_AT, Trial, try_out

ABOUT = 0.002
"""SSIM within which a file is as like its frames as another."""
MOST_TRIALS = 4
"""Of one format."""
FIRST = 75
"""The quality that is tried first."""
STEEP = 0.025
"""How much of what is lost, by its logarithm, a level of quality spares, before it is known."""

LOOPS: tuple[Kind, ...] = ("gif", "apng", "webp", "avif", "mp4", "webm")
"""The formats of a single file that plays."""


def other_kinds(output: BaseOutput) -> tuple[Kind, ...]:
    """The formats that an output could have instead, of those that its target takes."""
    if output.kind not in LOOPS:
        return ()
    takes = output.target.formats if output.target is not None else ()
    return tuple(kind for kind in LOOPS if kind != output.kind and (not takes or kind in takes))


def in_other_formats(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_id: str,
    stages: Stages,
    *,
    on_trial: Callable[[Trial], None] = lambda trial: None,
    on_progress: OnProgress = lambda progress: None,
) -> tuple[Trial, ...]:
    """Make an output in each other format that its target takes, first as it is.

    Those with a quality (a GIF's is its loss) are made at several, to where about as much is lost as now; the
    others once. ``on_trial`` is told each trial once it is measured; it and ``on_progress`` may raise to end
    the work. Raises ``InputError`` when the recipe does not fit the frames.
    """
    output = recipe.output(output_id)
    trials: list[Trial] = []

    def take(one: BaseOutput) -> Trial:
        trial = try_out(recipe, frames, one, stages, most=LOOKED_AT, on_progress=on_progress)
        trials.append(trial)
        on_trial(trial)
        return trial

    wanted = take(output).error
    for kind in other_kinds(output):
        try:
            _near(as_kind(output, kind), wanted, take)
        except InputError:
            continue  # a picture that this format cannot have: too large, a time it cannot hold
    return tuple(trials)


def as_kind(output: BaseOutput, kind: Kind) -> BaseOutput:
    """An output in another of the formats that play: as large, as long, over the same colour."""
    over = _colour_under(output)
    stem = output.file_name.rpartition(".")[0] or output.file_name
    kept = {name: getattr(output, name) for name in ("id", "name", "take", "framing", "size", "target")}

    def named(ending: str) -> dict[str, Any]:
        return {**kept, "file_name": f"{stem}{ending}"}

    match kind:
        case "gif":
            alpha = {} if over is None else {"alpha": {"edges": "matte", "matte": over}}
            return GifOutput.model_validate({**named(".gif"), "tuning": {"dither": "none"}, **alpha})
        case "apng":
            return ApngOutput(**named(".png"), over=over)
        case "webp":
            return WebpOutput(**named(".webp"), over=over)
        case "avif":
            return AvifOutput(**named(".avif"), over=over)
        case "mp4":
            page = output.alpha.matte if isinstance(output, GifOutput) else "#ffffff"
            return VideoOutput(**named(".mp4"), codec="h264", over=over or page)
        case "webm":
            return VideoOutput(**named(".webm"), codec="vp9", over=over)
        case _:
            raise ValueError(f"{kind} does not play")


def _colour_under(output: BaseOutput) -> str | None:
    if isinstance(output, GifOutput):
        return output.alpha.matte if output.alpha.edges == "fill" else None
    return getattr(output, "over", None)


def _near(output: BaseOutput, wanted: float, take: Callable[[BaseOutput], Trial]) -> None:
    """Along the quality of a format, if it has one, to where as much is lost as is wanted."""
    if isinstance(output, WebpOutput) and wanted == 0:
        output = output.model_copy(update={"lossless": True})
    if isinstance(output, ApngOutput) or getattr(output, "lossless", False):
        take(output)
        return
    tried: dict[int, float] = {}
    for quality in _qualities(wanted, 100 if isinstance(output, GifOutput) else FIRST, tried):
        tried[quality] = take(_at(output, quality)).error


def _at(output: BaseOutput, quality: int) -> BaseOutput:
    if isinstance(output, GifOutput):
        return output.model_copy(update={"tuning": output.tuning.model_copy(update={"loss": 100 - quality})})
    return output.model_copy(update={"quality": quality})


def _qualities(wanted: float, first: int, tried: dict[int, float]) -> Iterator[int]:
    """What to try next, until one is about as like; ``tried``: what each lost."""
    quality = first
    while len(tried) < MOST_TRIALS and quality not in tried:
        yield quality
        lost = tried[quality]
        if abs(lost - wanted) <= ABOUT / 2:
            return
        low = max((one for one, error in tried.items() if error > wanted), default=None)
        high = min((one for one, error in tried.items() if error <= wanted), default=None)
        goal = math.log(max(wanted, 1e-5))
        if low is not None and high is not None:
            more, less = math.log(tried[low]), math.log(max(tried[high], 1e-5))
            share = (more - goal) / max(more - less, 1e-9)
            quality = round(low + share * (high - low))
            quality = min(max(quality, min(low, high) + 1), max(low, high) - 1)
        else:
            step = (math.log(max(lost, 1e-5)) - goal) / STEEP
            quality = min(100, max(0, quality + (round(step) or (1 if step > 0 else -1))))
