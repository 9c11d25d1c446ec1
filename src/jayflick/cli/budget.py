"""``--max-bytes``: the truest file that fits, and what was tried for it."""

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import Any, get_args

from ..core.errors import InputError
from ..core.framing.prepared import SourceFrame
from ..core.progress import OnProgress
from ..core.recipe import BaseOutput, Recipe
from ..core.render import Rendered
from ..core.stages import Stages
from ..core.tuning.budget import USUAL, Found, May, may_change, search
from ..core.tuning.trial import Trial
from .parsing import size_in_bytes
from .writing import Writing, encoded

TYPED: dict[str, May] = {
    "colours": "colours",
    "palette": "palette",
    "dither": "dither",
    "dither_amount": "dither",
    "dither_matrix": "dither",
    "dither_sparing": "dither",
    "tolerance": "tolerance",
    "loss": "loss",
    "quality": "quality",
}
"""Options whose values stay as they were typed, unless ``--may`` names them."""


def fitted(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    made: Rendered,
    options: argparse.Namespace,
    stages: Stages,
    writing: Writing,
    on_progress: OnProgress = lambda progress: None,
) -> tuple[Recipe, Rendered, dict[str, Any] | None, list[str]]:
    """What becomes of an output that has a budget: the recipe, the files, what the report says, and notes."""
    if options.max_bytes is None or options.all:
        return recipe, made, None, []
    most = size_in_bytes(options.max_bytes)
    may = _may(options) & may_change(made.output)
    if made.info["bytes"] <= most or not may:
        over = made.info["bytes"] > most and options.may != "none"
        notes = ["nothing that may change spares bytes here; allow size or rate by --may"] if over else []
        return recipe, made, _document(most, made, []), notes
    found = search(recipe, frames, made.output.id, most, stages, may=may, on_progress=on_progress)
    if options.trials:
        document = [_trial(one, most, made.output) for one in found.trials]
        writing.put(Path(options.trials), encoded(document), claimed=True)
    nearest = found.nearest
    outputs = tuple(nearest.output if one.id == nearest.output.id else one for one in recipe.outputs)
    changed = recipe.model_copy(update={"outputs": outputs})
    return (
        changed,
        nearest.rendered,
        _document(most, nearest.rendered, found.trials),
        [_said(found, made.output)],
    )


def _may(options: argparse.Namespace) -> frozenset[May]:
    if options.may is None:
        return USUAL - {what for option, what in TYPED.items() if getattr(options, option) not in (None, False)}
    if options.may == "none":
        return frozenset()
    there = {str(one): one for one in get_args(May)}
    words = [word.strip() for word in options.may.split(",")]
    unknown = next((word for word in words if word not in there), None)
    if unknown is not None:
        raise InputError(
            f"--may {unknown!r} is nothing that can change", remedy=f"use {', '.join(there)} or none"
        )
    return frozenset(there[word] for word in words)


def _document(most: int, made: Rendered, trials: Sequence[Trial]) -> dict[str, Any]:
    return {"most": most, "met": made.info["bytes"] <= most, "trials": len(trials)}


def _said(found: Found, before: BaseOutput) -> str:
    nearest = found.nearest
    settings = ", ".join(f"{name} {value}" for name, value in _changed(before, nearest.output).items())
    tried = f"{len(found.trials)} trials; {settings or 'as it was set'}"
    if found.best is not None:
        return f"fitted to {found.most} bytes by {tried}"
    fewest = f"does not fit {found.most} bytes: {nearest.size} are the fewest of {tried}"
    return f"{fewest}; allow more by --may, or a smaller size"


def _trial(trial: Trial, most: int, before: BaseOutput) -> dict[str, Any]:
    of = trial.likeness
    return {
        "bytes": trial.size,
        "fits": trial.size <= most,
        "changed": _changed(before, trial.output),
        **{"psnr": of.psnr, "ssim": of.ssim, "bands": of.bands, "crawling": of.crawling},
        **{"edges": of.edges, "hue": of.hue},
    }


def _changed(before: BaseOutput, after: BaseOutput) -> dict[str, Any]:
    """The settings that are no longer as they were, by their names, those of parts by their own."""

    def walk(old: Any, new: Any, into: dict[str, Any]) -> None:
        for key, value in new.items():
            if isinstance(value, dict) and isinstance(old.get(key), dict):
                walk(old[key], value, into)
            elif old.get(key) != value:
                into[key] = value

    result: dict[str, Any] = {}
    walk(before.model_dump(mode="json"), after.model_dump(mode="json"), result)
    return result
