"""Sheets as a format: from framed frames to pictures with all of them, and what says where each lies."""

import hashlib
import json
import re
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from functools import partial
from io import BytesIO
from pathlib import PurePath
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ...errors import InputError
from ...framing.alpha import is_opaque, laid_over
from ...framing.art_box import Box
from ...framing.bleed import bled
from ...framing.frames import PlayedFrames
from ...palette import with_alpha
from ...pictures.kinds import read_picture
from ...recipe import SheetOutput
from ...store import Store
from ...timing.flicks import SECOND
from ...timing.held import FormatTiming
from ...timing.listed import Listed
from ...timing.plan import Plan
from ..format import Coded, File, Json, Timed, Tools
from ..picture import MEDIA_TYPES
from .description import SheetDocument, SheetFile, SheetFrame, SheetSpan, as_css, as_csv, as_json
from .items import Items, LaidOut, Used, lay_out, needs_used, used_of
from .layout import Cell, Space
from .pixels import THRESHOLDS, reduced
from .remedies import largest_scale
from .sheet_png import indexed_sheet_png, sheet_png

_THREADS = 2
_PALETTE_SPREAD = 24
"""Levels of 255 that an ordered dither with a palette spreads over."""


class SheetFormat:
    version = 2
    effort = 3

    def hold(self, plan: Plan, output: SheetOutput) -> FormatTiming:
        """The exact times: a description has no unit of its own."""
        return FormatTiming("Sheet", list(plan.durations), Fraction(1, SECOND), plan.repeat)

    def inputs(self, frames: PlayedFrames, output: SheetOutput, held: FormatTiming) -> Json:
        items = Items.of(frames.names, output, _listed(held))
        space = Space.of(output)
        over = None if frames.opaque else output.over
        dither = output.dither if output.pixels not in ("8888", "grey") else "none"
        bleed = output.bleed and not frames.opaque and over is None
        settings: list[Json] = [output.picture, over, output.pixels, dither, bleed, space.extrude]
        settings.append(output.smallest and output.picture == "png")
        if needs_used(output):
            around = [space.margin, space.spacing, space.sides, space.most, output.split]
            way = output.turn if output.layout == "packed" else [items.rows, output.columns]
            return [settings, output.layout, around, way, items.of_step]
        laid = lay_out(items, frames.canvas, output, None)
        require_fit(laid, items, frames, output, None)
        return [settings, laid.layout.sheets, laid.layout.cells, items.of_step]

    def encode(
        self, frames: PlayedFrames, output: SheetOutput, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
        items = Items.of(frames.names, output, _listed(held))
        used = used_of(frames, items, output, tools.stages) if needs_used(output) else None
        if used is not None and not used.union.width:
            raise InputError("all frames are empty: nothing is left of them", remedy="check their alpha")
        laid = lay_out(items, frames.canvas, output, used)
        require_fit(laid, items, frames, output, used)
        drawn = _Drawn(frames, output, items, laid)
        palette = drawn.palette() if output.pixels == "256" else None
        files, colours, clear, empty = [], None, False, True
        smallest = tools.begin("encoding", 0) if output.smallest else None
        on_cell = tools.begin("encoding", len(items.first_step))
        for sheet, (width, height) in enumerate(laid.layout.sheets):
            picture = drawn.sheet(sheet, width, height, on_cell)
            clear = clear or not is_opaque(picture)
            empty = empty and not picture[:, :, 3].any()
            if palette is not None:
                colours = len(palette)
                indices = with_alpha.indices(picture, palette, None, diffuse=False)
                if output.picture == "png":
                    data = indexed_sheet_png(indices, palette, smallest=smallest)
                else:
                    data = _webp(palette[indices])
            elif output.picture == "png":
                data = sheet_png(picture, smallest=smallest)
            else:
                data = _webp(picture)
            files.append(tools.keep(data, MEDIA_TYPES[output.picture]))
        width, height = frames.canvas
        info = {
            "width": width,
            "height": height,
            "colours": colours,
            "transparent": clear,
            "sheets": laid.layout.sheets,
            "picture_bytes": sum(file.size for file in files),
        }
        time = {
            "cells": laid.layout.cells,
            "boxes": laid.boxes,
            "of_step": items.of_step,
            "sheets": laid.layout.sheets,
            "canvas": frames.canvas,
            "empty": empty,
        }
        return Coded(key, tuple(files), info, (), (), json.loads(json.dumps(time)))

    def timed(self, coded: Coded, held: FormatTiming, output: SheetOutput, store: Store) -> Timed:
        """The description with its time, behind the pictures as they are."""
        stem, ending = PurePath(output.file_name).stem, PurePath(output.file_name).suffix
        names = [output.file_name]
        if len(coded.files) > 1:
            names = [f"{stem}-{number}{ending}" for number in range(1, len(coded.files) + 1)]
        document, notes = describe(coded, held, output, names)
        documents = [(f"{stem}.json", "application/json", as_json(document))]
        if output.csv:
            documents.append((f"{stem}.csv", "text/csv", as_csv(document)))
        if output.css and any(frame.turned for frame in document.frames):
            notes.append("a style sheet cannot turn frames: none was written; lay them out upright")
        elif output.css:
            css = as_css(document, class_name(stem), held.repeat)
            documents.append((f"{stem}.css", "text/css", css))
        described = hashlib.sha256(b"".join(data for _, _, data in documents)).hexdigest()
        pictures = [
            File(name, file.media_type, file.size, partial(store.read, file.sha256))
            for name, file in zip(names, coded.files, strict=True)
        ]
        said = [File(name, kind, len(data), partial(bytes, data)) for name, kind, data in documents]
        steps = tuple(range(len(document.frames)))
        files = (*pictures, *said)
        return Timed(files, steps, held.seconds, len(steps), held.repeat, tuple(notes), described)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        """The frames cut out of the sheets by the description, on their canvases."""
        at = next(index for index, data in enumerate(files) if data.lstrip()[:1] == b"{")
        document = SheetDocument.model_validate_json(files[at])
        sheets = [
            read_picture(data, name=sheet.file) for data, sheet in zip(files, document.sheets, strict=False)
        ]
        for frame in document.frames:
            yield cut_out(sheets[frame.sheet], frame)


def cut_out(sheet: NDArray[np.uint8], frame: SheetFrame) -> NDArray[np.uint8]:
    """A frame on its canvas, taken from its sheet; straight RGBA."""
    across, down = (frame.height, frame.width) if frame.turned else (frame.width, frame.height)
    part = sheet[frame.y : frame.y + down, frame.x : frame.x + across]
    part = np.rot90(part, 1) if frame.turned else part
    canvas = np.zeros((frame.canvas_height, frame.canvas_width, 4), np.uint8)
    left, top = frame.offset_x, frame.offset_y
    canvas[top : top + frame.height, left : left + frame.width] = part
    return canvas


def require_fit(
    laid: LaidOut, items: Items, frames: PlayedFrames, output: SheetOutput, used: Used | None
) -> None:
    """Refuse a layout that pictures run off. ``InputError`` says how many, and at which scale none would."""
    off, most = len(laid.layout.off), Space.of(output).most
    if not off:
        return
    some = "the frame does" if len(items.first_step) == 1 else f"{off} of {len(items.first_step)} frames do"
    several = "several sheets" if output.split else "a sheet"
    scaled = largest_scale(items, frames.canvas, frames.source_size, output, used)
    at = f"they fit at {scaled.words}" if scaled else "they fit at no scale"
    raise InputError(
        f"{some} not fit on {several} of {most} × {most}",
        remedy=f"{at}; or take more sheets or fewer frames, or allow a longer side",
    )


def _listed(held: FormatTiming) -> Listed:
    if held.listed is None:
        raise ValueError("a sheet lists its frames by name")
    return held.listed


def class_name(stem: str) -> str:
    """A name that a style sheet can have for a class."""
    name = re.sub(r"[^a-z0-9_-]+", "-", stem.lower()).strip("-") or "sheet"
    return f"sheet-{name}" if name[0].isdigit() else name


def _webp(picture: NDArray[np.uint8]) -> bytes:
    out = BytesIO()
    Image.fromarray(picture).save(out, "WEBP", lossless=True, exact=True, quality=75, method=4)
    return out.getvalue()


class _Drawn:
    """The pictures as they lie on sheets."""

    def __init__(self, frames: PlayedFrames, output: SheetOutput, items: Items, laid: LaidOut) -> None:
        self._frames, self._output, self._items, self._laid = frames, output, items, laid
        self._palette: NDArray[np.uint8] | None = None
        if output.pixels == "565" and output.over is None and not frames.opaque:
            for index in items.first_step:
                if not is_opaque(frames[index]):
                    raise InputError(
                        f"565 has no alpha, and frame {index + 1} is not opaque",
                        remedy="lay it over a page colour, or choose pixels with alpha",
                    )

    def palette(self) -> NDArray[np.uint8]:
        """The colours of all pictures, in at most 256."""
        counted = with_alpha.Count()
        for item in self._distinct(None):
            counted.add(self._part(item))
        self._palette = counted.palette(256)
        return self._palette

    def sheet(self, number: int, width: int, height: int, on_cell: Any) -> NDArray[np.uint8]:
        """One sheet, straight RGBA. With a palette it has only its colours."""
        sheet = np.zeros((height, width, 4), np.uint8)
        if self._output.over is not None:
            ground = laid_over(np.zeros((1, 1, 4), np.uint8), self._output.over)
            # With a palette it becomes the entry that comes nearest, with the rest of the sheet.
            sheet[:] = ground if self._palette is not None else reduced(ground, self._output.pixels, "none")
        wanted = self._distinct(number)
        with ThreadPoolExecutor(_THREADS) as pool:
            try:
                for item, part in zip(wanted, pool.map(self._cell, wanted), strict=True):
                    cell = self._laid.layout.cells[item]
                    _put(sheet, part, cell, self._output.extrude)
                    on_cell()
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        return sheet

    def _distinct(self, sheet: int | None) -> list[int]:
        """The pictures of a sheet, or of all: of those that share a place the first."""
        places: dict[Cell, int] = {}
        for item, cell in enumerate(self._laid.layout.cells):
            if sheet is None or cell.sheet == sheet:
                places.setdefault(cell, item)
        return list(places.values())

    def _part(self, item: int) -> NDArray[np.uint8]:
        """What of a picture lies on the sheet, upright, with all its levels."""
        frame = self._frames[self._items.first_step[item]]
        if self._output.over is not None:
            frame = laid_over(frame, self._output.over)
        box = self._laid.boxes[item]
        part = np.ascontiguousarray(frame[box.top : box.top + box.height, box.left : box.left + box.width])
        return bled(part) if self._output.bleed else part

    def _cell(self, item: int) -> NDArray[np.uint8]:
        """The same with the levels that the sheet's pixels have."""
        output, box, part = self._output, self._laid.boxes[item], self._part(item)
        if output.pixels != "256" or self._palette is None:
            return reduced(part, output.pixels, output.dither, box.left, box.top)
        spread = None
        if output.dither == "ordered":
            lying = np.roll(THRESHOLDS, (-(box.top & 7), -(box.left & 7)), axis=(0, 1))
            spread = ((lying - np.float32(0.5)) * np.float32(_PALETTE_SPREAD)).astype(np.float32)
        chosen = with_alpha.indices(part, self._palette, spread, diffuse=output.dither == "diffusion")
        picture: NDArray[np.uint8] = self._palette[chosen]
        return picture


def _put(sheet: NDArray[np.uint8], part: NDArray[np.uint8], cell: Cell, extrude: int) -> None:
    """Lay a picture on the sheet, its edge pixels repeated outwards."""
    part = np.rot90(part, -1) if cell.turned else part
    if extrude:
        part = np.pad(part, ((extrude, extrude), (extrude, extrude), (0, 0)), mode="edge")
    left, top = cell.x - extrude, cell.y - extrude
    sheet[top : top + part.shape[0], left : left + part.shape[1]] = part


def describe(
    coded: Coded, held: FormatTiming, output: SheetOutput, files: Sequence[str]
) -> tuple[SheetDocument, list[str]]:
    """The description of sheets under these file names, and what a person should know of it."""
    listed, time = _listed(held), coded.time
    cells = [Cell(*cell) for cell in time["cells"]]
    boxes = [Box(*box) for box in time["boxes"]]
    width, height = time["canvas"]
    names, alike = _names(output.names, listed, time["of_step"])
    lasts = held.milliseconds
    frames = []
    for index, item in enumerate(time["of_step"]):
        cell, box, span = cells[item], boxes[item], listed.span_names[index]
        anchor_x, anchor_y = output.anchor_of(listed.positions[index], span)
        frames.append(
            SheetFrame(
                index=index,
                name=names[index],
                span=span,
                sheet=cell.sheet,
                x=cell.x,
                y=cell.y,
                width=box.width,
                height=box.height,
                offset_x=box.left,
                offset_y=box.top,
                canvas_width=width,
                canvas_height=height,
                duration_ms=round(lasts[index], 3),
                turned=cell.turned,
                anchor_x=anchor_x,
                anchor_y=anchor_y,
            )
        )
    sheets = [
        SheetFile(file=file, width=across, height=down, pixels=output.pixels)
        for file, (across, down) in zip(files, time["sheets"], strict=True)
    ]
    spans = [SheetSpan(**span._asdict()) for span in listed.spans]
    notes = []
    if time["empty"]:
        notes.append("all frames are empty: check their alpha")
    if alike:
        notes.append(f"{alike} frames have a name that another has: a number was put behind theirs")
    return SheetDocument(sheets=sheets, frames=frames, spans=spans), notes


def _names(pattern: str, listed: Listed, of_step: Sequence[int]) -> tuple[list[str], int]:
    """A name for each played step, and how many had to be told apart by a number."""
    hashes = re.search(r"#+", pattern)
    taken: set[str] = set()
    own: dict[tuple[int, int], str] = {}
    """By picture and frame: two frames that look alike lie in one place, and each has its name."""
    alike = 0
    steps = list(zip(of_step, listed.positions, strict=True))
    for index, step in enumerate(steps):
        if step in own:
            continue
        name = pattern.replace("{name}", PurePath(listed.names[index]).stem)
        name = name.replace("{span}", listed.span_names[index] or "")
        if hashes:
            name = re.sub(r"#+", f"{listed.numbers[index]:0{len(hashes[0])}}", name, count=1)
        wanted, number = name, 2
        while name in taken:
            name, number = f"{wanted}-{number}", number + 1
        alike += name != wanted
        taken.add(name)
        own[step] = name
    return [own[step] for step in steps], alike
