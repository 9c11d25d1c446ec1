"""Animated PNG: every colour and soft alpha, no loss, only what changes.

Sources: PNG third edition, sections 11.3.6 (acTL, fcTL, fdAT), 11.2.2 (PLTE) and 11.3.1 (tRNS).
"""

import struct
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from ..checksums import crc32
from ..compiled import compiled
from ..framing.frames import PlayedFrames
from ..framing.settled import LaidOver
from ..pictures.apng import FrameControl
from ..pictures.moving import open_moving
from ..recipe import ApngOutput
from ..store import Store
from ..timing import held as held_as
from ..timing.held import FormatTiming
from ..timing.plan import Plan
from .format import Coded, File, Json, Timed, Tools
from .png_writer import PALETTE, RGB, RGBA, SIGNATURE, chunk, deflated, filtered, header

MEDIA_TYPE = "image/apng"
KEEP, CLEAR, BACK = 0, 1, 2
"""What becomes of a frame before the next: it stays, its box becomes transparent, the canvas before it is back
(APNG_DISPOSE_OP_NONE, _BACKGROUND, _PREVIOUS)."""
SOURCE, OVER = 0, 1
"""How a frame is laid in: instead of what is there, or over it (APNG_BLEND_OP_SOURCE, _OVER)."""
LEVELS = {1: 1, 2: 3, 3: 5, 4: 6, 5: 7, 6: 8, 7: 9, 8: 10, 9: 12}
"""How hard libdeflate tries, by effort."""
THREADS = 2
Words = NDArray[np.uint32]
"""Pixels as one number each: red lowest, alpha highest; all that are clear are 0."""


class ApngFormat:
    version = 2
    effort = 4

    def hold(self, plan: Plan, output: ApngOutput) -> FormatTiming:
        return held_as.apng(plan.durations, plan.repeat)

    def inputs(self, frames: PlayedFrames, output: ApngOutput, held: FormatTiming) -> Json:
        return None if frames.opaque else output.over, output.effort

    def encode(
        self, frames: PlayedFrames, output: ApngOutput, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
        laid = LaidOver(frames, None if frames.opaque else output.over)
        made = encode_apng(laid, output.effort, firsts=frames.firsts, begin=tools.begin)
        width, height = frames.canvas
        info = {"width": width, "height": height, "colours": made.colours, "transparent": made.transparent}
        time = {"plays": made.plays_at, "frames": made.delays_at}
        kept = tools.keep(made.data, MEDIA_TYPE)
        return Coded(key, (kept,), info, made.costs, tuple(range(len(made.costs))), time)

    def timed(self, coded: Coded, held: FormatTiming, output: ApngOutput, store: Store) -> Timed:
        (file,) = coded.files
        count = len(held.units)
        repeat = held.repeat if count > 1 else 1

        def read() -> bytes:
            data = bytearray(store.read(file.sha256))
            struct.pack_into(">I", data, coded.time["plays"] + 4, repeat)
            _sign(data, coded.time["plays"], 8)
            for at, units in zip(coded.time["frames"], held.units, strict=True):
                struct.pack_into(">HH", data, at + 20, units, held.unit.denominator)
                _sign(data, at, 26)
            return bytes(data)

        made = File(output.file_name, MEDIA_TYPE, file.size, read)
        return Timed((made,), tuple(range(count)), Fraction(held.seconds), count, repeat)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        return open_moving(files[0], "file.png").pictures


class Encoded(NamedTuple):
    """A whole file that plays once, each delay 0."""

    data: bytes
    costs: tuple[int, ...]
    """The bytes of each frame."""
    plays_at: int
    """Where the body of the acTL chunk is."""
    delays_at: tuple[int, ...]
    """Where that of each fcTL chunk is."""
    colours: int | None
    """How many there are, if few enough for a palette."""
    transparent: bool
    """Whether any pixel is not opaque."""


class Frames(Protocol):
    """Frames fetched one at a time."""

    def __len__(self) -> int: ...

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        """Frame ``index``, shape (height, width, 4), straight RGBA."""
        ...


def encode_apng(
    frames: Frames,
    effort: int,
    *,
    firsts: Sequence[int] | None = None,
    begin: Callable[[str, int], Callable[[], None]] = lambda part, steps: lambda: None,
) -> Encoded:
    """The frames as an animated PNG without loss, as they are seen.

    ``effort``: 1 to 9. ``firsts``: for each frame the index of the first that is equal to it. ``begin``: told
    of each part of the work and its steps; what it returns is called once a step and may raise to stop.
    """
    pixels = _Pixels(frames)
    ink = _Ink.of(pixels, firsts or range(len(frames)), begin("tuning", len(frames)))
    on_frame = begin("encoding", len(frames))
    file = bytearray(SIGNATURE)
    height, width = pixels[0].shape
    file += header(width, height, 8, ink.colour_type)
    plays_at = len(file) + 8
    file += chunk(b"acTL", struct.pack(">II", len(frames), 1))
    file += ink.chunks
    delays_at: list[int] = []
    costs: list[int] = []
    sequence = 0
    clear = False
    for image in _images(pixels, ink, LEVELS[effort]):
        start = len(file)
        left, top, right, bottom = image.box
        delays_at.append(start + 8)
        control = FrameControl(
            sequence, right - left, bottom - top, left, top, 0, 1, image.dispose, image.blend
        )
        file += chunk(b"fcTL", control.dump())
        sequence += 1
        if len(costs) == 0:
            file += chunk(b"IDAT", image.data.result())
        else:
            file += chunk(b"fdAT", struct.pack(">I", sequence) + image.data.result())
            sequence += 1
        costs.append(len(file) - start)
        clear = clear or image.clear
        on_frame()
    file += chunk(b"IEND", b"")
    colours = sum(word > 0 for word in ink.palette) if ink.palette is not None else None
    return Encoded(bytes(file), tuple(costs), plays_at, tuple(delays_at), colours, clear)


def _sign(data: bytearray, body: int, length: int) -> None:
    """Write the CRC of a chunk whose body begins at ``body`` (section 5.5)."""
    struct.pack_into(">I", data, body + length, crc32(data[body - 4 : body + length]))


@compiled
def _words(frame: NDArray[np.uint8], out: Words) -> None:
    """The pixels of a frame."""
    for y in range(frame.shape[0]):
        for x in range(frame.shape[1]):
            alpha = np.uint32(frame[y, x, 3])
            if alpha == 0:
                out[y, x] = 0
            else:
                red, green, blue = (
                    np.uint32(frame[y, x, 0]),
                    np.uint32(frame[y, x, 1]),
                    np.uint32(frame[y, x, 2]),
                )
                out[y, x] = red | green << np.uint32(8) | blue << np.uint32(16) | alpha << np.uint32(24)


class _Pixels:
    """Frames as words, fetched one at a time."""

    def __init__(self, frames: Frames) -> None:
        self._frames = frames

    def __len__(self) -> int:
        return len(self._frames)

    def __getitem__(self, index: int, /) -> Words:
        frame = self._frames[index]
        out = np.empty(frame.shape[:2], np.uint32)
        _words(frame, out)
        return out


_MOST_TRIED = 1 << 10


@compiled
def _count(words: Words, table: NDArray[np.uint64], found: int, seen: NDArray[np.uint8]) -> int:
    """Note the colours of a frame in a small hash table until there are more than 256, and in ``seen`` which of
    all RGB colours occur; returns how many are in the table. Table entries are the word + 1; 0 is free."""
    for y in range(words.shape[0]):
        last = np.uint64(0)
        for x in range(words.shape[1]):
            word = np.uint64(words[y, x])
            if word + np.uint64(1) == last:
                continue
            last = word + np.uint64(1)
            colour = word & np.uint64(0xFFFFFF)
            seen[colour >> np.uint64(3)] |= np.uint8(1) << np.uint8(colour & np.uint64(7))
            if found > 256:
                continue
            slot = (word * np.uint64(0x9E3779B1) >> np.uint64(16)) & np.uint64(1023)
            while table[slot] != 0 and table[slot] != last:
                slot = (slot + np.uint64(1)) & np.uint64(1023)
            if table[slot] == 0:
                table[slot] = last
                found += 1
    return found


@compiled
def _indices(words: Words, table: NDArray[np.uint64], index: NDArray[np.uint8], out: NDArray[np.uint8]) -> None:
    for y in range(words.shape[0]):
        for x in range(words.shape[1]):
            wanted = np.uint64(words[y, x]) + np.uint64(1)
            slot = (np.uint64(words[y, x]) * np.uint64(0x9E3779B1) >> np.uint64(16)) & np.uint64(1023)
            while table[slot] != wanted:
                slot = (slot + np.uint64(1)) & np.uint64(1023)
            out[y, x] = index[slot]


@dataclass(frozen=True)
class _Ink:
    """How pixels are written: the colour type all frames share, and what stands for "nothing new here"."""

    colour_type: int
    none: int | None
    """The word that is written as clear in a picture laid over another; ``None``: there is none to spare."""
    palette: list[int] | None = None
    table: NDArray[np.uint64] | None = None
    index: NDArray[np.uint8] | None = None

    @classmethod
    def of(cls, pixels: _Pixels, firsts: Sequence[int], on_frame: Callable[[], None]) -> "_Ink":
        table, found = np.zeros(_MOST_TRIED, np.uint64), 0
        seen = np.zeros(1 << 21, np.uint8)
        opaque = True
        for index, first in enumerate(firsts):
            if first == index:
                words = pixels[index]
                opaque = opaque and bool((words >> 24 == 255).all())
                found = _count(words, table, found, seen)
            on_frame()
        if found <= 256:
            return cls._of_palette(table)
        if not opaque:
            return cls(RGBA, 0)
        # A colour that no frame has stands for "clear" (tRNS), so that three bytes a pixel do.
        free = np.flatnonzero(seen != 255)
        none = None
        if len(free):
            byte = int(free[0])
            none = byte * 8 + next(bit for bit in range(8) if not seen[byte] >> bit & 1)
        return cls(RGB, none)

    @classmethod
    def _of_palette(cls, table: NDArray[np.uint64]) -> "_Ink":
        words = [int(word) - 1 for word in table[table > 0]]
        if 0 not in words and len(words) < 256:
            slot = 0
            while table[slot] != 0:
                slot = (slot + 1) & 1023
            table[slot] = 1
            words.append(0)
        # What is not opaque comes first: tRNS then holds no more entries than it must (section 11.3.1).
        words.sort(key=lambda word: (word >> 24, _luma(word)))
        index = np.zeros(_MOST_TRIED, np.uint8)
        places = {word: number for number, word in enumerate(words)}
        for used in np.flatnonzero(table):
            index[used] = places[int(table[used]) - 1]
        return cls(PALETTE, 0 if 0 in places else None, words, table, index)

    @property
    def chunks(self) -> bytes:
        """What stands before the pictures."""
        if self.palette is not None:
            colours = b"".join(word.to_bytes(4, "little")[:3] for word in self.palette)
            alphas = bytes(word >> 24 for word in self.palette if word >> 24 < 255)
            return chunk(b"PLTE", colours) + (chunk(b"tRNS", alphas) if alphas else b"")
        if self.colour_type == RGB and self.none is not None:
            return chunk(b"tRNS", struct.pack(">HHH", *self.none.to_bytes(3, "little")))
        return b""

    def rows(self, words: Words) -> tuple[NDArray[np.uint8], int]:
        """Pixels as rows of bytes, and how many bytes a pixel has."""
        height, width = words.shape
        if self.table is not None and self.index is not None:
            out = np.empty((height, width), np.uint8)
            _indices(np.ascontiguousarray(words), self.table, self.index, out)
            return out, 1  # a byte each: FFmpeg does not place boxes of fewer bits right
        channels = np.ascontiguousarray(words).view(np.uint8).reshape(height, width, 4)
        step = 4 if self.colour_type == RGBA else 3
        return np.ascontiguousarray(channels[:, :, :step]).reshape(height, width * step), step


def _luma(word: int) -> int:
    return 2 * (word & 255) + 5 * (word >> 8 & 255) + (word >> 16 & 255)


class _Change(NamedTuple):
    """What it takes to come from one canvas to the next picture."""

    left: int
    top: int
    right: int
    bottom: int
    pixels: int
    """How many differ."""
    over: bool
    """Whether laying over will do: all that changes is opaque, as decoders read what is soft unlike."""


@compiled
def _compared(canvas: Words, wanted: Words) -> tuple[int, int, int, int, int, bool]:
    height, width = canvas.shape
    left, right, top, bottom, count, over = width, -1, height, -1, 0, True
    for y in range(height):
        moved = np.uint32(0)
        for x in range(width):
            moved |= canvas[y, x] ^ wanted[y, x]
        if moved == 0:
            continue
        top, bottom = min(top, y), y
        for x in range(width):
            if canvas[y, x] != wanted[y, x]:
                count += 1
                left, right = min(left, x), max(right, x)
                over &= wanted[y, x] >> np.uint32(24) == 255
    return left, top, right + 1, bottom + 1, count, over


class _Image(NamedTuple):
    """A frame that is being written."""

    box: tuple[int, int, int, int]
    blend: int
    data: Future[bytes]
    clear: bool
    """Whether any pixel as seen is not opaque."""
    dispose: int = KEEP


class _Try(NamedTuple):
    """A way to come to the next picture."""

    dispose: int
    """What becomes of the frame before."""
    blend: int
    box: tuple[int, int, int, int]
    words: Words
    adaptive: bool
    """Whether rows are filtered."""


_QUICK = 1
"""The level at which ways are compared."""


def _images(pixels: _Pixels, ink: _Ink, level: int) -> Iterator[_Image]:
    """All frames in turn. How each is cleared away, and laid in, is chosen by the bytes that it comes to."""
    none = ink.none

    def tried(one: _Try) -> tuple[int, NDArray[np.uint8]]:
        rows, step = ink.rows(one.words)
        lines = filtered(rows, step, adaptive=one.adaptive)
        return len(deflated(lines, _QUICK)), lines

    with ThreadPoolExecutor(THREADS) as trials, ThreadPoolExecutor(THREADS) as pool:
        shown = pixels[0]
        before = np.zeros_like(shown)
        whole = (0, 0, shown.shape[1], shown.shape[0])
        both = list(trials.map(tried, [_Try(KEEP, SOURCE, whole, shown, way) for way in (True, False)]))
        _, lines = min(both, key=lambda one: one[0])
        clear = bool((shown >> 24 < 255).any())
        pending = _Image(whole, SOURCE, pool.submit(deflated, lines, level), clear)
        # Rows are tried unfiltered only in art that gains by it: flat, or of few colours.
        ways = (True, False) if both[1][0] < 1.5 * both[0][0] else (True,)
        queue: deque[_Image] = deque()
        for index in range(1, len(pixels)):
            wanted = pixels[index]
            clear = bool((wanted >> 24 < 255).any())
            tries, canvases = _tries(index, wanted, shown, before, pending, none, ways, clear=clear)
            results = list(trials.map(tried, tries))
            number = min(range(len(tries)), key=lambda number: results[number][0])
            best = tries[number]
            queue.append(pending._replace(dispose=best.dispose))
            before, shown = canvases[best.dispose], wanted
            pending = _Image(best.box, best.blend, pool.submit(deflated, results[number][1], level), clear)
            while len(queue) > 2 * THREADS:
                yield queue.popleft()
        yield from queue
        yield pending


def _tries(
    index: int,
    wanted: Words,
    shown: Words,
    before: Words,
    pending: _Image,
    none: int | None,
    ways: Sequence[bool],
    *,
    clear: bool,
) -> tuple[list[_Try], dict[int, Words]]:
    """The ways worth trying to come from what is shown to what is wanted, and the canvas that each disposal
    leaves."""
    canvases = {KEEP: shown}
    if clear or pending.clear:  # otherwise clearing cannot help: nothing is ever clear
        left, top, right, bottom = pending.box
        canvases[CLEAR] = shown.copy()
        canvases[CLEAR][top:bottom, left:right] = 0
    # Before the first there is nothing to go back to; where a frame was laid over, Pillow does not go back.
    if index > 1 and pending.blend == SOURCE:
        canvases[BACK] = before
    changes = {dispose: _Change(*_compared(canvas, wanted)) for dispose, canvas in canvases.items()}
    fewest = min(change.pixels for change in changes.values())
    tries = []
    for dispose, change in changes.items():
        if change.pixels > fewest * 2 + 64 or (dispose != KEEP and change.pixels >= changes[KEEP].pixels):
            continue
        box = change[:4] if change.pixels else (0, 0, 1, 1)
        left, top, right, bottom = box
        part = wanted[top:bottom, left:right]
        tries += [_Try(dispose, SOURCE, box, part, way) for way in ways]
        if none is not None and change.over and change.pixels < part.size:
            new = np.where(part == canvases[dispose][top:bottom, left:right], np.uint32(none), part)
            tries += [_Try(dispose, OVER, box, new, way) for way in ways]
    return tries, canvases
