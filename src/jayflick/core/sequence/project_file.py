"""A project in one file: its recipe, and its frames as they came, in a zip that anything can open.

``project.json`` describes it (``project.schema.json`` beside it says how); pictures lie under ``frames/``.
Written without compression, one frame at a time: pictures hardly get smaller.
"""

import json
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from itertools import chain
from typing import Annotated, Any, Literal, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from ..errors import InputError
from ..plain import in_words
from ..recipe import Recipe
from ..text import LONGEST_NAME, CleanText, safe_path
from ..zipped import zipped

T = TypeVar("T")
DOCUMENT = "project.json"
SCHEMA = "project.schema.json"
FORMAT = "jayflick-project"
MOST_FRAMES = 20_000
MOST_NUMBER = 10**18 - 1
"""The largest counter of a frame."""
MOST_BYTES = 12 << 20
"""The most bytes ``project.json`` may have."""


class Entry(BaseModel):
    """One frame."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    file: str = Field(
        description="Where it lies in the archive", examples=["frames/kite_1.png"], max_length=400
    )
    name: Annotated[str, AfterValidator(safe_path)] = Field(
        description="What it was called when it came", min_length=1, max_length=LONGEST_NAME
    )
    number: int | None = Field(None, ge=0, le=MOST_NUMBER, description="The counter in its name")
    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$", description="Of its file")]


class ProjectFile(BaseModel):
    """What ``project.json`` holds."""

    model_config = ConfigDict(frozen=True, extra="forbid", title="A Jay Flick project")

    format: Literal["jayflick-project"] = "jayflick-project"
    version: Literal[1] = 1
    name: CleanText = Field(min_length=1, max_length=200)
    recipe: Recipe
    frames: Annotated[tuple[Entry, ...], Field(min_length=1, max_length=MOST_FRAMES)]
    report: dict[str, Any] = Field(description="What gathering found, as `jayflick gather` prints it")


def schema() -> str:
    """The JSON Schema (draft 2020-12) of ``project.json``."""
    document = {"$schema": "https://json-schema.org/draft/2020-12/schema", **ProjectFile.model_json_schema()}
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


def read_document(data: bytes, archive: str) -> ProjectFile:
    """``project.json`` of an archive; ``InputError`` when it is none that can be used."""
    if len(data) > MOST_BYTES:
        raise InputError(
            f"is larger than {MOST_BYTES >> 20} MB",
            file=f"{archive}/{DOCUMENT}",
            remedy="import the project's frames without it",
        )
    try:
        return ProjectFile.model_validate_json(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise InputError(
            f"{where}: {in_words(first)}" if where else in_words(first),
            file=f"{archive}/{DOCUMENT}",
            remedy="save the project again, or import its frames without it",
        ) from error


def entries(frames: Sequence[tuple[str, int | None, str]]) -> tuple[Entry, ...]:
    """Frames by name, number and hash, each with a place of its own in the archive."""
    taken: set[str] = set()
    result = []
    for given, number, sha256 in frames:
        name = safe_path(given)
        place = "/".join(_seen(part) for part in name.split("/"))
        file, again = safe_path(f"frames/{place}"), 1
        while file.lower() in taken:  # some file systems do not tell Kite.png from kite.png
            again += 1
            file = safe_path(f"frames/{again}/{place}")
        taken.add(file.lower())
        result.append(Entry(file=file, name=name, number=number, sha256=sha256))
    return tuple(result)


def _seen(part: str) -> str:
    """A name of a file or folder that is not passed over as hidden or as a system's own."""
    return f"_{part}" if part.startswith(".") or part == "__MACOSX" else part


def in_parts(sized: Iterable[tuple[T, int]], most_bytes: int) -> list[list[T]]:
    """Things with their bytes, in order, in parts of which each fits a file of ``most_bytes``."""
    room = most_bytes - most_bytes // 16  # the document, names and the directory take some
    parts: list[list[T]] = [[]]
    held = 0
    for thing, size in sized:
        if parts[-1] and held + size > room:
            parts.append([])
            held = 0
        parts[-1].append(thing)
        held += size
    return parts


def write_project(
    project: ProjectFile, frames: Iterable[Entry], read: Callable[[Entry], bytes]
) -> Iterator[bytes]:
    """An archive with some of the project's frames, bit by bit; never more than one frame is in memory."""
    document = project.model_dump_json(indent=2).encode() + b"\n"
    described = [(DOCUMENT, lambda: document), (SCHEMA, lambda: schema().encode())]
    yield from zipped(chain(described, ((entry.file, partial(read, entry)) for entry in frames)))
