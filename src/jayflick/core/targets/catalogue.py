"""The targets that ship, and documents of others."""

import json
from functools import cache
from pathlib import Path

from pydantic import ValidationError

from ..errors import InputError
from ..plain import in_words
from ..recipe import Target

MOST_BYTES = 64 * 1024
"""The most bytes the document of a target may have."""
_ORDER = (
    "page-loop",
    "post",
    "small-board",
    "square-thumbnail",
    "large-post",
    "effect-set",
    "switcher-transition",
    "overlay",
    "graphics-page",
    "phone-sheet",
)


@cache
def shipped() -> tuple[Target, ...]:
    """The targets that come with the program."""
    folder = Path(__file__).parent / "shipped"
    return tuple(read_target((folder / f"{name}.json").read_bytes(), name) for name in _ORDER)


def find(name: str) -> Target:
    """A target that ships, by name; ``InputError`` when there is none."""
    for target in shipped():
        if target.name == name:
            return target
    names = ", ".join(target.name for target in shipped())
    raise InputError(f"there is no target {name[:80]!r}", remedy=f"choose one of {names}")


def read_target(data: bytes, file: str) -> Target:
    """A target from its JSON document. ``InputError`` says which line of it, or which key, is wrong."""
    if len(data) > MOST_BYTES:
        raise InputError(f"is larger than {MOST_BYTES >> 10} KB", file=file, remedy="keep to limits and words")
    try:
        document = json.loads(data.decode())
    except RecursionError as deep:
        raise InputError("its lists lie too deep", file=file, remedy="fix the document") from deep
    except json.JSONDecodeError as broken:
        where = f"line {broken.lineno}, column {broken.colno}"
        raise InputError(f"{where}: {broken.msg}", file=file, remedy="fix this line") from broken
    except UnicodeDecodeError as broken:
        raise InputError("is not UTF-8 text", file=file, remedy="save it as UTF-8") from broken
    try:
        target = Target.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the document"
        line = _line_of(data, [part for part in first["loc"] if isinstance(part, str)])
        message = in_words(first)
        raise InputError(f"line {line}, {where}: {message}", file=file, remedy="fix this line") from error
    if not target.name or not target.title:
        raise InputError("it has no name or no title", file=file, remedy="give it both")
    return target


def _line_of(data: bytes, keys: list[str]) -> int:
    """The line, from 1, on which the innermost of these keys stands, each sought behind the one before."""
    text = data.decode()
    at = 0
    for key in keys:
        found = text.find(f'"{key}"', at)
        if found >= 0:
            at = found
    return text.count("\n", 0, at) + 1


def schema() -> str:
    """The JSON Schema (draft 2020-12) of a target's document."""
    document = {"$schema": "https://json-schema.org/draft/2020-12/schema", **Target.model_json_schema()}
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"
