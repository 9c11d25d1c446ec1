"""Reading GIF files: their blocks, what each frame costs, and the pictures an audience sees."""

import struct
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from typing import Any, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled
from ...errors import InputError
from . import lzw
from .writer import RESTORE_TO_BACKGROUND, Box

RESTORE_TO_PREVIOUS = 3
MAX_PIXELS = 64_000_000
MAX_FRAMES = 20_000
"""As many as an output may play."""
LOOP_BLOCKS = (b"NETSCAPE2.0", b"ANIMEXTS1.0")


@dataclass(frozen=True)
class GifFrame:
    """One image with the graphic control that goes with it."""

    box: Box
    delay: int
    """Hundredths of a second, as written."""
    delay_at: int | None
    """Where the two delay bytes stand in the file, if the frame has a control block."""
    disposal: int
    transparent: int | None
    local_palette: NDArray[np.uint8] | None
    interlaced: bool
    minimum_code_size: int
    data_at: int
    """Where its sub-blocks of picture data begin."""
    start: int
    stop: int
    """The frame's own bytes in the file, control block included: ``stop - start`` is what it costs."""


@dataclass(frozen=True)
class Gif:
    """A parsed file."""

    width: int
    height: int
    repeat: int
    """How often it plays: 0 for ever, 1 once."""
    palette: NDArray[np.uint8] | None
    repeat_at: tuple[int, int]
    """Where its repeat block stands, or would stand: start and stop."""
    file: bytes
    """The whole of it."""
    frames: list[GifFrame] = field(default_factory=list)
    broken: str = ""
    """Why it was read no further, if it was to be read as far as it goes."""
    forgiving: bool = False
    """Whether pictures are drawn as far as their data goes."""
    remarks: list[str] = field(default_factory=list)
    """What was wrong with the data of those that were drawn."""

    def entries_of(self, frame: GifFrame, *, name: str = "GIF") -> NDArray[np.bool_]:
        """Which entries of its palette a frame draws; shape (256,)."""
        used = np.zeros(256, np.bool_)
        _note_used(self.indices(frame, name=name).reshape(-1), used)
        if frame.transparent is not None:
            used[frame.transparent] = False
        return used

    def drawn(self, frame: GifFrame) -> tuple[NDArray[np.uint8], NDArray[np.bool_] | None, str]:
        """The frame's own indices as far as its data goes, which of them there are (``None``: all), and what is
        wrong with it."""
        _, _, width, height = frame.box
        if width * height == 0:
            return np.zeros((height, width), np.uint8), None, ""
        flat, count, why = lzw.decode_as_far(
            _joined(np.frombuffer(self.file, np.uint8), frame.data_at), frame.minimum_code_size, width * height
        )
        rows = _in_rows(flat.reshape(height, width), frame.interlaced)
        if count == width * height:
            return rows, None, why
        there = _in_rows((np.arange(width * height) < count).reshape(height, width), frame.interlaced)
        return rows, there, why or f"its picture data ends after {count} of {width * height} pixels"

    def indices(self, frame: GifFrame, *, name: str = "GIF") -> NDArray[np.uint8]:
        """The frame's own palette indices, shape (box height, box width)."""
        _, _, width, height = frame.box
        try:
            flat = lzw.decode(
                _joined(np.frombuffer(self.file, np.uint8), frame.data_at),
                frame.minimum_code_size,
                width * height,
            )
        except ValueError as broken:
            raise InputError(str(broken), file=name, remedy="use an undamaged copy") from broken
        return _in_rows(flat.reshape(height, width), frame.interlaced)

    def _seen(self, frame: GifFrame, name: str) -> tuple[NDArray[np.uint8], NDArray[np.bool_]]:
        """The frame's indices as far as they lie on the canvas, and which of them are drawn."""
        left, top, _, _ = frame.box
        there = None
        if self.forgiving:
            rows, there, why = self.drawn(frame)
            if why and not self.remarks:
                self.remarks.append(f"{why}; it is drawn as far as that goes")
        else:
            rows = self.indices(frame, name=name)
        drawn = np.ones(rows.shape, bool) if frame.transparent is None else rows != frame.transparent
        if there is not None:
            drawn &= there
        part = np.s_[: max(0, self.height - top), : max(0, self.width - left)]
        return rows[part], drawn[part]

    def shows_page(self, *, name: str = "GIF") -> bool:
        """Whether any frame, as seen, has a pixel that shows the page behind it."""
        opaque = np.zeros((self.height, self.width), bool)
        for frame in self.frames:
            left, top, width, height = frame.box
            area = opaque[top : top + height, left : left + width]
            before = area.copy() if frame.disposal == RESTORE_TO_PREVIOUS else None
            if frame.transparent is None:
                area[:] = True
            elif not area.all():
                area |= self._seen(frame, name)[1]
            if not opaque.all():
                return True
            if frame.disposal == RESTORE_TO_BACKGROUND:
                area[:] = False
            elif before is not None:
                area[:] = before
        return False

    def pictures(self, *, name: str = "GIF") -> Iterator[NDArray[np.uint8]]:
        """Each frame as it is seen, shape (height, width, 4): drawn over what earlier ones left behind.

        An area restored "to background" becomes transparent, as every current decoder does it.
        """
        canvas = np.zeros((self.height, self.width, 4), np.uint8)
        for frame in self.frames:
            left, top, width, height = frame.box
            before = canvas.copy() if frame.disposal == RESTORE_TO_PREVIOUS else None
            table = np.zeros((256, 4), np.uint8)
            palette = frame.local_palette if frame.local_palette is not None else self.palette
            if palette is not None:
                table[: len(palette), :3] = palette
            table[:, 3] = 255
            rows, drawn = self._seen(frame, name)
            area = canvas[top : top + height, left : left + width]
            if drawn.all():
                area[:] = table[rows]
            else:
                area[drawn] = table[rows[drawn]]
            yield canvas.copy()
            if frame.disposal == RESTORE_TO_BACKGROUND:
                area[:] = 0
            elif before is not None:
                canvas = before


T = TypeVar("T", NDArray[np.uint8], NDArray[np.bool_])


def _in_rows(rows: T, interlaced: bool) -> T:
    """Rows in the order they are seen in (Appendix E)."""
    if not interlaced:
        return rows
    height = rows.shape[0]
    order = [y for first, step in ((0, 8), (4, 8), (2, 4), (1, 2)) for y in range(first, height, step)]
    straight = np.empty_like(rows)
    straight[order] = rows
    return straight


@compiled
def _end_of_blocks(data: NDArray[np.uint8], at: int) -> np.int64:
    """Where the sub-blocks from ``at`` on end; -1 when the data ends before them."""
    place = np.int64(at)
    while place < data.shape[0] and data[place] > 0:
        place += 1 + np.int64(data[place])
    return place + 1 if place < data.shape[0] else np.int64(-1)


@compiled
def _joined(data: NDArray[np.uint8], at: int) -> NDArray[np.uint8]:
    """The data of the sub-blocks from ``at`` on; what breaks off is taken as far as it goes."""
    total = np.int64(data.shape[0])
    length, place = np.int64(0), np.int64(at)
    while place < total and data[place] > 0:
        length += min(np.int64(data[place]), total - place - 1)
        place += 1 + np.int64(data[place])
    out = np.empty(length, np.uint8)
    done, place = np.int64(0), np.int64(at)
    while place < total and data[place] > 0:
        size = min(np.int64(data[place]), total - place - 1)
        out[done : done + size] = data[place + 1 : place + 1 + size]
        done += size
        place += 1 + np.int64(data[place])
    return out


@compiled
def _note_used(indices: NDArray[np.uint8], used: NDArray[np.bool_]) -> None:
    for index in indices:
        used[index] = True


class _Bytes:
    def __init__(self, data: bytes, name: str) -> None:
        self.data, self.name, self.at = data, name, 0
        self.broken_off = False
        self.bytes = np.frombuffer(data, np.uint8)

    def broken(self, what: str) -> InputError:
        return InputError(what, file=self.name, remedy="use an undamaged copy")

    def take(self, count: int) -> bytes:
        part = self.data[self.at : self.at + count]
        if len(part) < count:
            raise self.broken(f"the file ends early, after {len(self.data)} bytes")
        self.at += count
        return part

    def pass_blocks(self, *, to_the_end: bool = False) -> int:
        """Step over sub-blocks up to the empty one that ends them (sections 15 and 16); where they begin.

        ``to_the_end``: or up to where the file ends, which is noted.
        """
        begin, stop = self.at, int(_end_of_blocks(self.bytes, self.at))
        if stop < 0 and to_the_end:
            self.broken_off, stop = True, len(self.data)
        if stop < 0:
            raise self.broken(f"the file ends early, after {len(self.data)} bytes")
        self.at = stop
        return begin


def _palette(source: _Bytes, flags: int) -> NDArray[np.uint8] | None:
    if not flags & 0x80:
        return None
    count = 2 << (flags & 7)
    return np.frombuffer(source.take(count * 3), np.uint8).reshape(count, 3)


def read_gif(data: bytes, *, name: str = "GIF", forgiving: bool = False) -> Gif:
    """Parse a whole file; ``InputError`` names the file and what is wrong with it.

    Pixels are not decoded until asked for, so this costs time in proportion to the number of sub-blocks.
    ``forgiving``: read as browsers do (Chromium, which tests ask): what breaks off as far as it goes, a frame
    without area as one that draws nothing, a canvas without area as large as its first frame.
    """
    source = _Bytes(data, name)
    if data[:6] not in (b"GIF87a", b"GIF89a"):
        raise InputError("not a GIF file", file=name, remedy="use a GIF")
    source.take(6)
    width, height, flags, _background, _aspect = struct.unpack("<HHBBB", source.take(7))
    palette = _palette(source, flags)
    repeat = 1
    repeat_at = (source.at, source.at)
    frames: list[GifFrame] = []
    control: _Control | None = None
    broken = ""
    try:
        while (kind := source.take(1)[0]) != 0x3B:
            start = source.at - 1
            if kind == 0x21:
                label = source.take(1)[0]
                body_at = source.at
                body = _joined(source.bytes, source.pass_blocks()).tobytes()
                if label == 0xF9 and len(body) >= 4:
                    bits, delay, index = struct.unpack("<BHB", body[:4])
                    control = _Control((bits >> 2) & 7, delay, index if bits & 1 else None, start, body_at + 2)
                elif label == 0xFF and body[:11] in LOOP_BLOCKS and len(body) >= 14 and body[11] == 1:
                    count = struct.unpack("<H", body[12:14])[0]
                    repeat = count + 1 if count else 0
                    repeat_at = (start, source.at)
            elif kind == 0x2C:
                frames.append(_frame(source, control or _Control(start=start), len(frames) + 1, forgiving))
                control = None
                if source.broken_off:
                    raise source.broken(f"the file ends early, after {len(data)} bytes")
            elif kind != 0x00:  # a stray terminator is harmless, anything else is not a block
                raise source.broken(f"byte {start} begins no known block")
    except InputError as error:
        if not forgiving or not frames or isinstance(error, _TooMuch):
            raise
        broken = error.message
    if not frames:
        raise source.broken("it holds no frames")
    if forgiving:
        left, top, w, h = frames[0].box
        width, height = width or left + w, height or top + h
    if not width or not height:
        raise source.broken("its canvas has no area")
    if width * height > MAX_PIXELS:
        raise source.broken(f"its canvas of {width} × {height} is larger than {MAX_PIXELS:,} pixels")
    return Gif(width, height, repeat, palette, repeat_at, data, frames, broken, forgiving)


_SMALLER = "scale it down, or split it into parts first"


class _TooMuch(InputError):
    """A file that is not read, however sound it is."""


class _Control(NamedTuple):
    """A graphic control block (section 23)."""

    disposal: int = 0
    delay: int = 0
    transparent: int | None = None
    start: int = 0
    delay_at: int | None = None


def _frame(source: _Bytes, control: _Control, number: int, forgiving: bool) -> GifFrame:
    """The image that begins here (sections 20 to 22), its data passed over."""
    left, top, w, h, flags = struct.unpack("<HHHHB", source.take(9))
    if not forgiving and (not w or not h):
        raise source.broken(f"frame {number} has no area")
    if w * h > MAX_PIXELS:
        raise _TooMuch(f"frame {number} has more than {MAX_PIXELS:,} pixels", file=source.name, remedy=_SMALLER)
    if number > MAX_FRAMES:
        raise _TooMuch(f"it has more than {MAX_FRAMES:,} frames", file=source.name, remedy=_SMALLER)
    local = _palette(source, flags)
    size = source.take(1)[0]
    if forgiving and size == 0:
        w = h = 0  # it draws nothing
    elif not 1 <= size <= 8:
        raise source.broken(f"frame {number} has a code size of {size}")
    data_at = source.pass_blocks(to_the_end=forgiving)
    return GifFrame(
        box=(left, top, w, h),
        delay=control.delay,
        delay_at=control.delay_at,
        disposal=control.disposal,
        transparent=control.transparent,
        local_palette=local,
        interlaced=bool(flags & 0x40),
        minimum_code_size=size,
        data_at=data_at,
        start=control.start,
        stop=source.at,
    )


def colours_of(gif: Gif, *, name: str = "GIF") -> list[str]:
    """The colours that pictures of the one palette show, as #rrggbb, in its order. Decodes every frame once.

    Raises ``InputError`` if there is no palette that all of them share.
    """
    if gif.palette is None or any(frame.local_palette is not None for frame in gif.frames):
        raise InputError("has no palette that all its frames share", file=name, remedy="list its colours")
    used = np.zeros(256, np.bool_)
    for frame in gif.frames:
        used |= gif.entries_of(frame, name=name)
    shown = gif.palette[used[: len(gif.palette)]]
    return list(dict.fromkeys(f"#{entry.tobytes().hex()}" for entry in shown))


def describe(gif: Gif, size: int, *, name: str = "GIF") -> dict[str, Any]:
    """What the file really holds: the document that ``info`` prints. Decodes every frame once.

    ``colours`` counts the different colours that are drawn, over the file and in each frame; ``transparent``
    tells whether any pixel of any frame, as seen, shows the page behind it.
    """
    with ThreadPoolExecutor(2) as pool:
        used = list(pool.map(partial(gif.entries_of, name=name), gif.frames))
    colours: set[bytes] = set()
    for frame, entries in zip(gif.frames, used, strict=True):
        palette = frame.local_palette if frame.local_palette is not None else gif.palette
        if palette is not None:
            colours.update(palette[i].tobytes() for i in np.flatnonzero(entries[: len(palette)]))
    return {
        "format": "gif",
        "width": gif.width,
        "height": gif.height,
        "count": len(gif.frames),
        "repeat": gif.repeat,
        "duration_ms": sum(frame.delay for frame in gif.frames) * 10,
        "bytes": size,
        "colours": len(colours),
        "transparent": gif.shows_page(name=name),
        "frames": [
            {
                "index": index,
                "delay_ms": frame.delay * 10,
                "bytes": frame.stop - frame.start,
                "box": list(frame.box),
                "disposal": frame.disposal,
                "palette": "local"
                if frame.local_palette is not None
                else "global"
                if gif.palette is not None
                else None,
                "colours": int(entries.sum()),
            }
            for index, (frame, entries) in enumerate(zip(gif.frames, used, strict=True))
        ],
    }
