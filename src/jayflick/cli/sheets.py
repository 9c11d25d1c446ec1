"""Sheets on the command line: their options, what is written, and how they are made to fit."""

import argparse
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from ..core.errors import InputError
from ..core.formats.sheet.plan import plan_sheet
from ..core.framing.prepared import SourceFrame
from ..core.recipe import Recipe, SheetOutput, Size
from ..core.render import Rendered
from ..core.stages import Stages
from .writing import Writing

SHEET_OPTIONS = (
    *("cell", "columns", "rows", "turn", "margin", "spacing", "extrude", "bleed", "sides", "widest"),
    *("more_sheets", "scale_to_fit", "pixels", "pixel_dither", "smallest", "anchor", "describe"),
)
"""Options that only sheets have."""
_PICTURES = {".png": "png", ".webp": "webp"}
_MOST_ROUNDS = 20
_SAME = ("cell", "rows", "margin", "spacing", "extrude", "sides", "pixels")


def sheet_settings(options: argparse.Namespace, name: str, ending: str) -> dict[str, Any]:
    """What the options say of a sheet, under the keys of the recipe."""
    if ending not in _PICTURES:
        raise InputError("this is no sheet", file=name, remedy="use .png or .webp")
    said = {
        "layout": options.sheet,
        "picture": _PICTURES[ending],
        "file_name": name,
        "widest": options.widest,
        "split": options.more_sheets or None,
        "turn": options.turn or None,
        "bleed": options.bleed or None,
        "smallest": options.smallest or None,
        "dither": options.pixel_dither,
        **{key: getattr(options, key) for key in _SAME},
    }
    if options.columns is not None:
        if not re.fullmatch(r"[1-9]\d{0,4}|square|longest", options.columns):
            raise InputError(
                f"--columns {options.columns!r} is no number of columns", remedy="use 8, square or longest"
            )
        said["columns"] = int(options.columns) if options.columns.isdigit() else options.columns
    elif options.rows == "spans":
        said["columns"] = "longest"
    if options.anchor is not None:
        match = re.fullmatch(r"(-?\d+(?:\.\d+)?),(-?\d+(?:\.\d+)?)", options.anchor)
        if match is None:
            raise InputError(f"--anchor {options.anchor!r} is no point", remedy="use shares such as 0.5,1")
        said["anchor"] = [float(match[1]), float(match[2])]
    for path in options.describe or []:
        kind = Path(path).suffix.lower()
        if kind not in (".json", ".csv", ".css"):
            raise InputError(
                "is no kind of description", file=Path(path).name, remedy="use .json, .csv or .css"
            )
        if kind != ".json":
            said[kind[1:]] = True
    return {key: value for key, value in said.items() if value is not None}


def scaled_to_fit(recipe: Recipe, frames: Sequence[SourceFrame], stages: Stages) -> tuple[Recipe, list[str]]:
    """The recipe with its sheets scaled down until all frames fit, and what was done."""
    notes, outputs = [], []
    for output in recipe.outputs:
        if isinstance(output, SheetOutput):
            output, more = _fitting(recipe, output, frames, stages)
            notes += more
        outputs.append(output)
    return recipe.model_copy(update={"outputs": tuple(outputs)}), notes


def _fitting(
    recipe: Recipe, output: SheetOutput, frames: Sequence[SourceFrame], stages: Stages
) -> tuple[SheetOutput, list[str]]:
    notes: list[str] = []
    for _ in range(_MOST_ROUNDS):  # art that was scaled may reach a little farther than was worked out
        plan = plan_sheet(recipe, frames, output, stages, measure=True)
        if plan is None or not plan.laid.layout.off or plan.scaled is None:
            break
        scaled = plan.scaled
        size = output.size.model_dump() | scaled.change_of(output.size)
        output = output.model_copy(update={"size": Size.model_validate(size)})
        notes = [f"scaled to {scaled.words}, so that all frames fit"]
    return output, notes


def put(writing: Writing, rendered: Rendered, place: Path, describe: Sequence[str] | None) -> None:
    """Write the pictures beside each other, and the descriptions that are asked for where they are wanted."""
    for file in rendered.timed.files:
        if file.media_type.startswith("image/"):
            writing.put(place.parent / file.name, file.read())
            continue
        for path in map(Path, describe or []):
            if path.suffix.lower() == Path(file.name).suffix:
                writing.put(path, file.read(), claimed=True)
