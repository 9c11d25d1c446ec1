"""What says where each frame lies: a JSON document of our own, the same as CSV, a style sheet that plays it.

The document's schema is docs/sheet.schema.json.
"""

import csv
import io
import json
from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Whole = Annotated[int, Field(ge=0)]


class _Document(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class SheetFile(_Document):
    """One picture with frames on it."""

    file: str = Field(description="Its name, in the same folder")
    width: Whole
    height: Whole
    pixels: str = Field(description="What its pixels hold: 8888, 4444, 5551, 565, 256 or grey")


class SheetFrame(_Document):
    """One played frame. One that is played twice has two entries at one place."""

    index: Whole = Field(description="In played order, from 0")
    name: str
    span: str | None = Field(description="The span that it belongs to")
    sheet: Whole = Field(description="Which of the sheets it lies on, from 0")
    x: Whole = Field(description="Left, in pixels of the sheet, without repeated edges")
    y: Whole
    width: Whole = Field(description="Of what lies there, upright; a turned frame covers height × width")
    height: Whole
    offset_x: Whole = Field(description="Where that lies on its canvas")
    offset_y: Whole
    canvas_width: Whole
    canvas_height: Whole
    duration_ms: float
    turned: bool = Field(description="By 90° clockwise on the sheet")
    anchor_x: float = Field(description="As a share of the canvas, from its left")
    anchor_y: float = Field(description="As a share of the canvas, from its top")


class SheetSpan(_Document):
    """A named run of frames."""

    name: str
    first: Whole = Field(description="An index, as is last")
    last: Whole
    direction: str = Field(description="forward, reverse or there-and-back")
    repeat: Whole = Field(description="How often it plays: 0 for ever")


class SheetDocument(_Document):
    """Where the frames of an animation lie on its sheets, and how long each is shown."""

    sheets: list[SheetFile]
    frames: list[SheetFrame]
    spans: list[SheetSpan]


def schema() -> str:
    """The JSON Schema of the document."""
    document = SheetDocument.model_json_schema()
    document["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return json.dumps(document, indent=2) + "\n"


def as_json(document: SheetDocument) -> bytes:
    """The document, a frame a line."""
    parts = []
    for key in ("sheets", "frames", "spans"):
        lines = [json.dumps(one.model_dump(), ensure_ascii=False) for one in getattr(document, key)]
        parts.append(
            f'  "{key}": [' + ",".join(f"\n    {line}" for line in lines) + ("\n  ]" if lines else "]")
        )
    return ("{\n" + ",\n".join(parts) + "\n}\n").encode()


def as_csv(document: SheetDocument) -> bytes:
    """The frames as a table (RFC 4180); the file's name stands where the document has the sheet's number."""
    out = io.StringIO()
    table = csv.writer(out)
    columns = list(SheetFrame.model_fields)
    table.writerow(columns)
    for frame in document.frames:
        row = frame.model_dump() | {"sheet": document.sheets[frame.sheet].file}
        row["turned"] = int(frame.turned)
        table.writerow([_cell(row[column]) for column in columns])
    return out.getvalue().encode()


def _cell(value: object) -> object:
    """A value as a table holds it; text that a spreadsheet would take for a formula is marked as text."""
    if value is None:
        return ""
    return f"'{value}" if isinstance(value, str) and value[:1] in ("=", "+", "-", "@") else value


def as_css(document: SheetDocument, name: str, repeat: int) -> bytes:
    """A style sheet with which an element of class ``name`` plays all frames.

    Cells of one size in one line, each shown as long, are stepped through by ``steps()``; all else by key
    frames. Frames must not be turned.
    """
    frames = document.frames
    first = frames[0]
    total = sum(frame.duration_ms for frame in frames) or 0.001 * len(frames)  # too short to be written
    count = "infinite" if repeat == 0 else str(repeat)
    step = _line_step(frames)
    canvas = f"width: {first.canvas_width}px;\n  height: {first.canvas_height}px;"
    lasts = f"{total:.10g}ms"
    head = f".{name} {{\n  position: relative;\n  {canvas}\n}}\n"
    inner = [
        'content: "";',
        "position: absolute;",
        f"left: {first.offset_x}px;",
        f"top: {first.offset_y}px;",
        f"width: {first.width}px;",
        f"height: {first.height}px;",
        f"background: {_at(document, 0)};",
    ]
    if step is not None:
        inner.append(f"animation: {name} {lasts} steps({len(frames)}) {count};")
        end = f"{-first.x - step * len(frames)}px {-first.y}px"
        keys = f"  to {{ background-position: {end}; }}\n"
    else:
        inner.append(f"animation: {name} {lasts} step-end {count} forwards;")
        keys, at = "", 0.0
        for index, frame in enumerate(frames):
            place = f"left: {frame.offset_x}px; top: {frame.offset_y}px; "
            place += f"width: {frame.width}px; height: {frame.height}px; background: {_at(document, index)};"
            share = f"{100 * at / total:.6g}%"
            # Played for the last time it rests on its last frame.
            share = f"{share}, 100%" if index == len(frames) - 1 else share
            keys += f"  {share} {{ {place} }}\n"
            at += frame.duration_ms
    body = "\n  ".join(inner)
    return f"{head}.{name}::before {{\n  {body}\n}}\n@keyframes {name} {{\n{keys}}}\n".encode()


def _at(document: SheetDocument, index: int) -> str:
    frame = document.frames[index]
    file = json.dumps(document.sheets[frame.sheet].file, ensure_ascii=False)
    return f"url({file}) {-frame.x}px {-frame.y}px no-repeat"


def _line_step(frames: Sequence[SheetFrame]) -> int | None:
    """By how much each frame lies to the right of the one before, where all do by as much."""
    first = frames[0]
    if len({(f.sheet, f.y, f.width, f.height, f.offset_x, f.offset_y, f.duration_ms) for f in frames}) > 1:
        return None
    steps = {after.x - before.x for before, after in pairwise(frames)}
    if len(frames) == 1:
        return first.width
    return steps.pop() if len(steps) == 1 else None
