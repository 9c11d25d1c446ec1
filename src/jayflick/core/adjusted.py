"""One thing set in some outputs of a recipe: what is done to many projects at once, to each of them."""

from collections.abc import Collection, Mapping
from pathlib import PurePath
from typing import Any, Literal

from pydantic import TypeAdapter, ValidationError

from .errors import InputError
from .recipe import BaseOutput, Bounds, Output, Recipe, Rule, Target, bytes_target

Setting = Literal[
    "colours",
    "palette",
    "dither",
    "amount",
    "tolerance",
    "loss",
    "quality",
    "lossless",
    "width",
    "height",
    "rate",
    "repeat",
]
"""What can be set of an output, whatever else it is."""
_PLACES: Mapping[str, tuple[str, str]] = {
    **{name: ("tuning", name) for name in ("colours", "palette", "dither", "amount", "tolerance", "loss")},
    **{name: ("size", name) for name in ("width", "height")},
    **{name: ("take", name) for name in ("rate", "repeat")},
}
"""Where a setting stands in an output that has it; elsewhere under its own name."""
_OTHER_SIDE = {"width": "height", "height": "width"}
_OUTPUT: TypeAdapter[Output] = TypeAdapter(Output)


def with_setting(
    recipe: Recipe, outputs: Collection[str], setting: Setting, value: object
) -> tuple[Recipe, list[str]]:
    """A recipe in which the outputs of these ids are set so, and notes on those that have no such setting.

    Where a side is set the other follows in proportion. ``InputError`` when the value is none for it.
    """
    changed: list[Output] = []
    notes: list[str] = []
    for output in recipe.outputs:
        if output.id not in outputs:
            changed.append(output)
        elif not _has(output, setting):
            notes.append(f"{output.name} has no {setting}")
            changed.append(output)
        else:
            changed.append(_set(output, setting, value))
    return recipe.model_copy(update={"outputs": tuple(changed)}), notes


def _path(setting: Setting) -> tuple[str, ...]:
    return _PLACES.get(setting, (setting,))


def _has(output: BaseOutput, setting: Setting) -> bool:
    path = _path(setting)
    # Only some clips, stills and numbered sets are coded with loss.
    if setting == "quality":
        lossless = {"video": ("prores", "png", "qtrle"), "frames": ("png", "tga", "bmp"), "still": ("png",)}
        kind = getattr(output, "codec", None) or getattr(output, "picture", None)
        if kind in lossless.get(output.format, ()) or getattr(output, "lossless", False):
            return False
    return path[0] in type(output).model_fields and (path[0] != "size" or output.format != "sheet")


def _set(output: Output, setting: Setting, value: object) -> Output:
    document = output.model_dump()
    *parts, last = _path(setting)
    place = document
    for part in parts:
        place = place[part]
    place[last] = value
    if setting in _OTHER_SIDE:
        place[_OTHER_SIDE[setting]] = None
    try:
        return _OUTPUT.validate_python(document)
    except ValidationError as error:
        why = error.errors()[0]["msg"].removeprefix("Value error, ")
        raise InputError(
            f"{setting} {value}: {why[:1].lower()}{why[1:]}", remedy="choose another value"
        ) from None


def with_target(recipe: Recipe, outputs: Collection[str], target: Target | None) -> tuple[Recipe, list[str]]:
    """A recipe in which these outputs are checked against a target, and notes on those it does not take."""
    notes: list[str] = []
    changed: list[Output] = []
    for output in recipe.outputs:
        wanted = output.id in outputs
        if wanted and target is not None and target.formats and output.kind not in target.formats:
            notes.append(f"{target.title or 'the target'} takes no {output.kind}: {output.name} stays as it is")
            wanted = False
        changed.append(output.model_copy(update={"target": target}) if wanted else output)
    return recipe.model_copy(update={"outputs": tuple(changed)}), notes


def with_budget(output: Output, most: int) -> Output:
    """An output whose files may have at most so many bytes; a target with a figure of one's own has no name."""
    if output.target is None:
        return output.model_copy(update={"target": bytes_target(most)})
    if output.target.most_bytes == most:
        return output
    figures = {**output.target.figures, "bytes": Rule(stop=Bounds(most=most))}
    own = {"figures": figures, "name": "", "title": "", "about": ""}
    return output.model_copy(update={"target": output.target.model_copy(update=own)})


def as_tried(now: Output, tried: Mapping[str, Any]) -> Output:
    """An output set as one of its trials was; ``tried``: that one's document without what names it."""
    document: dict[str, Any] = {**tried, **{name: getattr(now, name) for name in ("id", "name", "target")}}
    ending = PurePath(str(tried["file_name"])).suffix
    stem = PurePath(now.file_name).stem
    document["file_name"] = now.file_name if tried["format"] == now.format else f"{stem}{ending}"
    return _OUTPUT.validate_python(document)
