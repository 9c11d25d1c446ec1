"""From true-colour frames to the bytes of a GIF, writing only what changes."""

import os
import tempfile
import zlib
from collections import Counter, deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass
from threading import Lock
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled
from ...dither.quantise import Band, Quantiser
from ...palette.choose import choose_palette
from ...palette.histogram import EVERY, Histogram
from ...palette.levels import EACH, FINE, SOFT
from ...palette.nearest import Nearest
from . import lzw
from .writer import DO_NOT_DISPOSE, RESTORE_TO_BACKGROUND, Box, FrameBlock, colour_table_bits, write_gif

MOST_COLOURS = 255
T = TypeVar("T")
SMALL = 100_000
"""Pixels of a frame below which all is done in one thread."""
LONG = 4_000_000
"""So many pixels of a sequence are enough to choose its palette; of longer ones every second to fourth row is
counted, another one in each frame."""
THREADS = 2
"""Frames counted or coded side by side. The result does not depend on it."""


class _Done(Future[T]):
    """A future that is over before anybody has it: without the locks, which cost more than small frames do."""

    def __init__(self, value: T) -> None:
        self._value = value

    def result(self, timeout: float | None = None) -> T:
        return self._value

    def cancel(self) -> bool:
        return False


class _Inline(Executor):
    """Runs what it is given at once."""

    def submit(self, function: Callable[..., T], /, *args: Any, **options: Any) -> Future[T]:
        return _Done(function(*args, **options))


def _threads(frames: "Frames") -> int:
    """How many threads share the work: handing small frames over costs more than it gains."""
    height, width = frames[0].shape[:2]
    return 1 if height * width < SMALL else THREADS


def _executor(frames: "Frames", threads: int) -> Executor:
    return _Inline() if _threads(frames) == 1 else ThreadPoolExecutor(threads)


class Frames(Protocol):
    """Frames fetched one at a time, so that a long sequence never stands in memory whole."""

    def __len__(self) -> int: ...

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        """Frame ``index``, shape (height, width, 4), straight alpha of 0 or 255."""
        ...


@compiled
def _changed(canvas: NDArray[np.uint8], wanted: NDArray[np.uint8]) -> tuple[int, int, int, int]:
    """The edges (left, top, right, bottom) of where two pictures differ; right is 0 when nowhere."""
    height, width = canvas.shape
    left, right, top, bottom = width, -1, height, -1
    for y in range(height):
        moved = np.uint8(0)
        for x in range(width):  # without an early end, so that it runs in vector lanes
            moved = np.uint8(moved | np.uint8(canvas[y, x] ^ wanted[y, x]))
        if moved == 0:
            continue
        x = 0
        while canvas[y, x] == wanted[y, x]:
            x += 1
        left, top, bottom = min(left, x), min(top, y), y
        x = width - 1
        while x > right and canvas[y, x] == wanted[y, x]:  # only what would widen it is of interest
            x -= 1
        right = max(right, x)
    return left, top, right + 1, bottom + 1


@compiled
def _vanished(canvas: NDArray[np.uint8], wanted: NDArray[np.uint8], none: int) -> tuple[int, int, int, int]:
    """The edges of where ``canvas`` shows something and ``wanted`` nothing."""
    nothing = np.uint8(none)
    height, width = canvas.shape
    left, right, top, bottom = width, -1, height, -1
    for y in range(height):
        gone = np.uint8(0)
        for x in range(width):
            gone = np.uint8(gone | ((wanted[y, x] == nothing) & (canvas[y, x] != nothing)))
        if gone == 0:
            continue
        x = 0
        while wanted[y, x] != none or canvas[y, x] == none:
            x += 1
        left, top, bottom = min(left, x), min(top, y), y
        x = width - 1
        while x > right and (wanted[y, x] != none or canvas[y, x] == none):
            x -= 1
        right = max(right, x)
    return left, top, right + 1, bottom + 1


Edges = tuple[int, int, int, int]  # left, top, right, bottom; empty when right <= left


def _union(a: Edges, b: Edges) -> Edges:
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])


@dataclass
class _Pending:
    """A frame whose disposal waits for the next one to be known."""

    indices: NDArray[np.uint8]
    canvas: NDArray[np.uint8]
    edges: Edges
    disposal: int = DO_NOT_DISPOSE


def count_colours(frames: Frames, *, on_frame: Callable[[], None] = lambda: None) -> Histogram:
    """The colours of all frames, counted side by side."""
    height, width = frames[0].shape[:2]
    step = min(max(len(frames) * height * width // LONG, 1), 4, len(frames))
    threads = _threads(frames)

    def part(first: int) -> Histogram:
        histogram = Histogram.empty()
        for index in range(first, len(frames), threads):
            histogram.add(frames[index], rows=slice(index % step, None, step) if step > 1 else EVERY)
            on_frame()
        return histogram

    with _executor(frames, threads) as pool:
        parts = list(pool.map(part, range(threads)))
    total = parts[0]
    for other in parts[1:]:
        total.merge(other)
    return total


class _Shelf:
    """Bands of frames that are shown again later, kept in a file: there may be many."""

    def __init__(self, firsts: Sequence[int]) -> None:
        """``firsts``: for each frame the index of the first that is equal to it."""
        times = Counter(firsts)
        self._wanted = {first for first, shown in times.items() if shown > 1}
        self._file = tempfile.TemporaryFile() if self._wanted else None  # noqa: SIM115
        self._lock = Lock()
        self._places: dict[tuple[int, int], tuple[int, int, int]] = {}

    def keep(self, frame: int, rows: slice, quantiser: Quantiser) -> None:
        """Note how a band is shown, if its frame comes again."""
        if self._file is None or frame not in self._wanted:
            return
        band = quantiser.band(rows)
        shown = zlib.compress(band.shown.tobytes(), 1)
        written = zlib.compress(band.written.tobytes(), 1) if band.written is not None else b""
        with self._lock:
            at = self._file.seek(0, os.SEEK_END)
            self._file.write(shown + written)
            self._places[frame, rows.start] = at, len(shown), len(written)

    def band(self, frame: int, rows: slice, width: int) -> Band:
        """A band as it was kept."""
        at, shown, written = self._places[frame, rows.start]
        if self._file is None:
            raise KeyError(frame)
        with self._lock:
            self._file.seek(at)
            data = self._file.read(shown + written)
        sources = zlib.decompress(data[shown:]) if written else None
        return Band(
            np.frombuffer(zlib.decompress(data[:shown]), np.uint8).reshape(-1, width),
            np.frombuffer(sources, np.uint32).reshape(-1, width) if sources is not None else None,
        )

    def close(self) -> None:
        if self._file is not None:
            self._file.close()


def _quantised(frames: Frames, quantiser: Quantiser, firsts: Sequence[int]) -> Iterator[NDArray[np.uint8]]:
    """The indices of each frame in turn. One thread takes the upper halves, one follows with the lower.

    A frame that comes again looks as it did the first time, whatever came between: the way back of a loop is
    the way there.
    """
    height, width = quantiser.shown.shape
    middle = height // 2
    shelf = _Shelf(firsts)

    def half(index: int, frame: NDArray[np.uint8], rows: slice, carry: NDArray[np.int32]) -> None:
        if firsts[index] < index:
            quantiser.take_again(frame, rows, shelf.band(firsts[index], rows, width))
        else:
            quantiser.take(frame, rows, carry)
            shelf.keep(index, rows, quantiser)

    def upper(index: int) -> tuple[int, NDArray[np.uint8], NDArray[np.uint8], NDArray[np.int32]]:
        frame = frames[index]
        out = np.empty((height, width), np.uint8)
        carry = quantiser.carry()
        half(index, frame, slice(0, middle), carry)
        out[:middle] = quantiser.shown[:middle]
        return index, frame, out, carry

    def lower(
        above: Future[tuple[int, NDArray[np.uint8], NDArray[np.uint8], NDArray[np.int32]]],
    ) -> NDArray[np.uint8]:
        index, frame, out, carry = above.result()
        half(index, frame, slice(middle, height), carry)
        out[middle:] = quantiser.shown[middle:]
        return out

    with closing(shelf), _executor(frames, 1) as first, _executor(frames, 1) as second:
        ahead: deque[Future[NDArray[np.uint8]]] = deque()
        try:
            for index in range(len(frames)):
                ahead.append(second.submit(lower, first.submit(upper, index)))
                if len(ahead) > 2 * THREADS:
                    yield ahead.popleft().result()
            while ahead:
                yield ahead.popleft().result()
        finally:
            for future in ahead:
                future.cancel()


@dataclass(frozen=True)
class SharedPalette:
    """The palette all frames of a file share."""

    colours: NDArray[np.uint8]
    """Shape (n, 3), at most 255: one index is left to mark what does not change."""
    lossless: bool
    """Whether it holds every colour of every frame."""
    transparent: bool
    """Whether any frame has a transparent pixel."""
    few: bool
    """Whether the frames hold few enough colours for each to be looked up exactly."""


def share_palette(
    frames: Frames,
    colours: int,
    *,
    matte: tuple[int, int, int] | None = None,
    on_frame: Callable[[], None] = lambda: None,
) -> SharedPalette:
    """Choose the palette for all frames. ``matte``: the page colour, which it holds exactly if it occurs.

    ``on_frame`` is called once a frame and may raise to stop.
    """
    histogram = count_colours(frames, on_frame=on_frame)
    palette = choose_palette(histogram, min(colours, MOST_COLOURS), matte)
    if len(palette) == 0:
        palette = np.zeros((1, 3), np.uint8)  # wholly transparent art still needs a table
    lossless = histogram.exact and histogram.found <= len(palette)
    return SharedPalette(palette, lossless, histogram.transparent, histogram.exact)


def encode_gif(
    frames: Frames,
    shared: SharedPalette,
    *,
    amount: int = 0,
    reach: int = 0,
    firsts: Sequence[int] | None = None,
    on_frame: Callable[[], None] = lambda: None,
) -> bytes:
    """The frames as a GIF with one palette, every delay 0 and no repeat; see :mod:`.retime`.

    ``amount``: how much of each pixel's error is diffused, in percent, 0 for no dither; a lossless palette
    leaves nothing to dither. ``reach``: how many levels a source may move while its pixel stays. ``firsts``:
    for each frame the index of the first that is equal to it. ``on_frame`` is called once a frame and may
    raise to stop the work.
    """
    palette = shared.colours
    amount = 0 if shared.lossless else amount
    marked = len(frames) > 1 or shared.transparent
    none = len(palette)
    size = max(2, colour_table_bits(none + (1 if marked else 0)))
    height, width = frames[0].shape[:2]
    quantiser = Quantiser(
        Nearest.of(palette, EACH if shared.few else SOFT if amount else FINE),
        height,
        width,
        amount=amount,
        reach=reach,
    )
    canvas = np.full((height, width), none, np.uint8)
    first: NDArray[np.uint8] | None = None
    pending: _Pending | None = None
    edges: Edges
    coded: list[FrameBlock] = []
    queue: deque[Future[FrameBlock]] = deque()

    def code(frame: _Pending) -> FrameBlock:
        left, top, right, bottom = frame.edges
        window = np.s_[top:bottom, left:right]
        data = lzw.encode(frame.indices[window], frame.canvas[window], none, size=size, free=marked)
        box: Box = (left, top, right - left, bottom - top)
        return FrameBlock(box, frame.disposal, data)

    def clear_after(frame: _Pending, vanished: Edges) -> None:
        frame.disposal = RESTORE_TO_BACKGROUND
        frame.edges = _union(frame.edges, vanished)

    with _executor(frames, THREADS) as pool:
        try:
            for indices in _quantised(frames, quantiser, firsts or range(len(frames))):
                if pending is None:
                    first = indices
                    # Where art is transparent, its first frame need not cover the canvas any more than others.
                    edges = _changed(canvas, indices) if shared.transparent else (0, 0, width, height)
                else:
                    if shared.transparent:
                        vanished = _vanished(canvas, indices, none)
                        if vanished[2] > vanished[0]:
                            clear_after(pending, vanished)
                            left, top, right, bottom = pending.edges
                            canvas = canvas.copy()
                            canvas[top:bottom, left:right] = none
                    queue.append(pool.submit(code, pending))
                    edges = _changed(canvas, indices)
                if edges[2] <= edges[0]:
                    edges = (0, 0, 1, 1)  # nothing changed; a frame must still have an area
                pending = _Pending(indices, canvas, edges)
                canvas = indices
                while len(queue) > 2 * THREADS:
                    coded.append(queue.popleft().result())
                on_frame()
            if pending is not None and first is not None:
                if shared.transparent and len(frames) > 1:
                    # Some viewers begin the next round on what the last one left; if there is none, it stays.
                    vanished = _vanished(canvas, first, none)
                    if vanished[2] > vanished[0]:
                        clear_after(pending, vanished)
                queue.append(pool.submit(code, pending))
            coded += [future.result() for future in queue]
        finally:
            for future in queue:
                future.cancel()
    return write_gif(width, height, palette, none if marked else None, coded)
