"""What is laid out: the distinct pictures among those that are played, row by row, and what of them is used."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ...framing.art_box import Box, box_of, union
from ...framing.frames import PlayedFrames
from ...recipe import SheetOutput
from ...stages import Stages, cache_key
from ...timing.listed import Listed
from .even import even
from .layout import Cell, Layout, Space
from .packed import packed


@dataclass(frozen=True)
class Items:
    """Pictures that are laid out, numbered row by row; a picture that is played twice is one in its row."""

    first_step: tuple[int, ...]
    """For each the first played step that shows it."""
    of_step: tuple[int, ...]
    """Which of them each played step shows."""
    rows: tuple[int, ...]
    """How many each row has."""
    row_names: tuple[str | None, ...] = (None,)
    """The span of each row."""

    @classmethod
    def of(cls, names: Sequence[str], output: SheetOutput, listed: Listed) -> "Items":
        """``names``: what each played step shows, by :attr:`PlayedFrames.names`."""
        spans: Sequence[str | None] = [None] * len(names)
        if output.layout == "even" and output.rows == "spans":
            spans = listed.span_names
        there = list(dict.fromkeys(spans))
        # By hand first, then as they are played; what is in no span comes last.
        order: list[str | None] = [name for name in output.row_order if name in there]
        order += [name for name in there if name is not None and name not in order]
        order += [None] if None in there else []
        rows: dict[str | None, dict[str, int]] = {name: {} for name in order}
        for index, (name, span) in enumerate(zip(names, spans, strict=True)):
            rows[span].setdefault(name, index)
        first_steps = [index for row in rows.values() for index in row.values()]
        number = {
            (span, name): item
            for item, (span, name) in enumerate((span, name) for span, row in rows.items() for name in row)
        }
        of_step = tuple(number[span, name] for name, span in zip(names, spans, strict=True))
        return cls(tuple(first_steps), of_step, tuple(len(row) for row in rows.values()), tuple(rows))


@dataclass(frozen=True)
class Used:
    """What of each picture is not clear."""

    boxes: tuple[Box, ...]
    """Of a picture without a visible pixel one of no size."""
    contents: tuple[str, ...]
    """Names what is in each box: equal names, equal pixels."""

    @cached_property
    def union(self) -> Box:
        """What any of them uses; of no size if none does."""
        return union(self.boxes)


def covered(frames: PlayedFrames, output: SheetOutput) -> bool:
    """Whether every picture uses all of its canvas: a page colour lies under all of it."""
    return frames.opaque or output.over is not None


def used_of(frames: PlayedFrames, items: Items, output: SheetOutput, stages: Stages) -> Used:
    """Measure what of each picture is used, or recall it."""
    if covered(frames, output):
        width, height = frames.canvas
        return Used(
            (Box(0, 0, width, height),) * len(items.first_step),
            tuple(frames.names[i] for i in items.first_step),
        )
    found = [_used(frames, index, stages) for index in items.first_step]
    return Used(tuple(box for box, _ in found), tuple(content for _, content in found))


def used_if_known(frames: PlayedFrames, items: Items, output: SheetOutput, stages: Stages) -> Used | None:
    """Like :func:`used_of`, but only if no pixel need be looked at."""
    unknown = any(not stages.has("box", _key(frames, index)) for index in items.first_step)
    if unknown and not covered(frames, output):
        return None
    return used_of(frames, items, output, stages)


def _key(frames: PlayedFrames, index: int) -> str:
    return cache_key("box", 1, frames.names[index])


def _used(frames: PlayedFrames, index: int, stages: Stages) -> tuple[Box, str]:
    def measure() -> bytes:
        picture = frames[index]
        box = box_of(picture)
        part = picture[box.top : box.top + box.height, box.left : box.left + box.width]
        name = hashlib.sha256(np.ascontiguousarray(part).tobytes()).hexdigest()
        return json.dumps([box, f"{box.width}x{box.height} {name}"]).encode()

    box, content = json.loads(stages.obtain("box", _key(frames, index), measure))
    return Box(*box), content


@dataclass(frozen=True)
class LaidOut:
    """Where each picture lies, and what of its canvas lies there."""

    layout: Layout
    boxes: tuple[Box, ...]


def needs_used(output: SheetOutput) -> bool:
    """Whether a layout depends on what is used of the pictures."""
    return output.layout == "packed" or output.cell == "used"


def lay_out(items: Items, canvas: tuple[int, int], output: SheetOutput, used: Used | None) -> LaidOut:
    """Lay the pictures out. ``used``: what of them is, where the layout :func:`needs_used`."""
    space = Space.of(output)
    whole = Box(0, 0, *canvas)
    if output.layout == "even":
        cell = whole
        if output.cell == "used":
            assert used is not None
            cell = used.union
        layout = even(items.rows, (cell.width, cell.height), output.columns, space, split=output.split)
        return LaidOut(layout, (cell,) * len(items.first_step))
    assert used is not None
    # An empty picture still has a place, of one clear pixel; equal ones share theirs.
    boxes = tuple(box if box.width else Box(0, 0, 1, 1) for box in used.boxes)
    number = {name: item for item, name in reversed(list(enumerate(used.contents)))}
    firsts = sorted(number.values())
    sizes = [(boxes[item].width, boxes[item].height) for item in firsts]
    found = packed(sizes, space, turning=output.turn, split=output.split)
    place = dict(zip(firsts, found.cells, strict=True))
    cells: list[Cell] = [place[number[name]] for name in used.contents]
    lost = {item for at, item in enumerate(firsts) if at in found.off}
    off = frozenset(item for item, name in enumerate(used.contents) if number[name] in lost)
    return LaidOut(Layout(found.sheets, tuple(cells), off), boxes)
