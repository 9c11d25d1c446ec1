"""GIF frames that each have a colour table of their own.

A frame's palette is chosen for what moved in it, so that many frames show more colours than one palette holds;
it costs up to 768 bytes a frame. What stands still stays as it was first shown, whatever the palettes, unless
the frame before was cleared there. A frame that comes again is shown as it was the first time, if what has to
be written again is of no more colours than a table holds, or else as nearly as these allow.
"""

from collections import deque
from collections.abc import Callable, Generator, Sequence
from concurrent.futures import Future
from contextlib import closing
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled
from ...dither.kinds import Dither, Matrix
from ...dither.pixel import is_still
from ...dither.quantise import Band, Quantiser
from ...dither.thresholds import thresholds
from ...palette.choose import Colour
from ...palette.histogram import Histogram
from ...palette.levels import EACH, FINE, SOFT
from ...palette.nearest import Nearest
from ...palette.words import as_words, packed, words_of
from ...quality.visible import SCALE, visibility
from .band_cache import BandCache
from .edges import vanished, with_area
from .lossy import at_means, price
from .ready import Ready, aim, needed, sum_up
from .runs import Tell, follow_on
from .search import Search, running_bits
from .shared import MOST_COLOURS, SharedPalette, palette_of
from .side_by_side import THREADS, Frames, executor
from .writer import DO_NOT_DISPOSE, RESTORE_TO_BACKGROUND, FrameBlock, colour_table_bits

_FREE = 1e-6
"""The price of a bit at no loss: too low for any error, and still the longest of equal runs is taken."""


@dataclass(frozen=True)
class OwnTables:
    """How the palette of each frame is chosen."""

    colours: int
    matte: Colour | None = None
    """The page colour, which it holds exactly if it occurs."""
    locked: Sequence[Colour] = ()
    """Colours that it holds exactly, no more than ``colours``."""
    where_they_pay: bool = False
    """Whether the file is also coded with one table for all frames, and the better of the two is taken."""

    @property
    def exact(self) -> Sequence[Colour]:
        return self.locked if self.matte is None else (*self.locked, self.matte)


@compiled
def _keep_still(
    words: NDArray[np.uint32], before: NDArray[np.uint32], reach: int, still: NDArray[np.bool_]
) -> None:
    """Where sources have not moved, and for the others, in ``before``, what they are now."""
    for y in range(words.shape[0]):
        for x in range(words.shape[1]):
            pixel, old = words[y, x], before[y, x]
            there = pixel >> np.uint32(24) != 0 and old >> np.uint32(24) != 0
            still[y, x] = there and is_still(pixel, old, reach)
            if not still[y, x]:
                before[y, x] = pixel


def _pixels(words: NDArray[np.uint32]) -> NDArray[np.uint8]:
    height, width = words.shape
    return np.ascontiguousarray(words).view(np.uint8).reshape(height, width, 4)


def _choose(
    words: NDArray[np.uint32], still: NDArray[np.bool_], weights: NDArray[np.uint16] | None, how: OwnTables
) -> SharedPalette:
    """The palette for what is not ``still``, or for all if that is nothing."""
    moved = np.where(still, np.uint32(0), words)
    histogram = Histogram.empty(weighed=weights is not None)
    histogram.add(_pixels(moved if moved.any() else words), weights)
    return palette_of(histogram.counted(), how.colours, how.matte, how.locked)


@dataclass(frozen=True)
class _Frame:
    ready: Ready
    palette: SharedPalette
    again: bool = False
    """Whether it is to look just as it did before."""


class _Coder:
    """Codes frames one after the other, knowing the colours that the last one left on show."""

    def __init__(self, height: int, width: int, price: float, choosing: OwnTables, moves: bool) -> None:
        self._price = price
        self._running = running_bits()
        self._choosing = choosing
        self._moves = moves
        self.shown = np.zeros((height, width), np.uint32)
        """The colours of the last frame, alpha highest; 0 for none."""
        self._canvas = self.shown
        """The same after its disposal."""
        self._begun = False

    def code(self, frame: _Frame, clear: NDArray[np.uint8], next_clear: NDArray[np.uint8]) -> FrameBlock | None:
        """``clear`` and ``next_clear``: 1 where this frame and the next show nothing.

        ``None`` where the last frame, lasting longer, shows it.
        """
        ready, colours = frame.ready, frame.palette.colours
        none = len(colours)
        size = max(2, colour_table_bits(none + 1))
        search = Search(colours, size, _FREE if frame.again else self._price, self._running)
        # What was cleared has to be chosen anew: this palette need not hold what it was.
        still = ready.still & (self._canvas == self.shown)
        gone = vanished(clear, next_clear, 1)
        edges = needed(ready.target, ready.miss, still, ready.weight, self._canvas, search.saved)
        clears = gone[2] > gone[0]
        stays = self._begun and self._canvas is self.shown  # nothing of the last frame was cleared
        if stays and edges[2] <= edges[0] and not clears:
            return None
        self._begun = True
        edges = with_area(edges, gone)
        left, top, right, bottom = edges
        window = np.s_[top:bottom, left:right]
        nothing = np.full((bottom - top, right - left), none, np.uint8)
        data, written = search.encode(
            ready.target[window],
            ready.fresh[window],
            ready.miss[window],
            nothing,
            np.ones(nothing.shape, np.bool_),
            still[window],
            ready.weight[window],
            self._canvas[window],
        )
        if self._moves and not (frame.palette.lossless or frame.again):
            sums = np.zeros((256, 4))
            sum_up(written, ready.source[window], ready.weight[window], sums)
            colours = at_means(colours, sums[:none], self._choosing.exact)
        now = self._canvas.copy()
        np.copyto(now[window], words_of(colours)[written], where=written != none)
        self.shown = self._canvas = now
        if clears:
            self._canvas = now.copy()
            self._canvas[window] = 0
        disposal = RESTORE_TO_BACKGROUND if clears else DO_NOT_DISPOSE
        return FrameBlock((left, top, right - left, bottom - top), disposal, data, colours)

    def again(self, shown: NDArray[np.uint32]) -> _Frame:
        """A frame that is to look as it did before, in the colours ``shown``."""
        still = (shown == self._canvas) & (shown != 0)
        palette = _choose(shown, still, None, OwnTables(MOST_COLOURS))
        weights = np.full(shown.shape, SCALE, np.uint16)
        quantiser = _quantiser(palette, shown.shape, 0, "none", 8, False)
        return _Frame(_ready(_pixels(shown), still, weights, quantiser, palette, ()), palette, again=True)


def _quantiser(
    palette: SharedPalette, shape: tuple[int, ...], amount: int, dither: Dither, matrix: Matrix, sparing: bool
) -> Quantiser:
    near = Nearest.of(palette.colours, EACH if palette.few else SOFT if amount else FINE)
    squares = thresholds(dither, matrix) if amount else None
    return Quantiser(near, shape[0], shape[1], amount=amount, reach=0, thresholds=squares, sparing=sparing)


def _ready(
    frame: NDArray[np.uint8],
    still: NDArray[np.bool_],
    weights: NDArray[np.uint16],
    quantiser: Quantiser,
    palette: SharedPalette,
    exact: Sequence[Colour],
) -> Ready:
    words = as_words(frame)
    carry = quantiser.carry()
    for rows in quantiser.halves:
        quantiser.take(frame, rows, carry)
    target, miss = np.empty_like(words), np.empty(words.shape, np.int32)
    weight = np.empty(words.shape, np.float32)
    entries = palette.colours.astype(np.int32)
    aim(words, quantiser.shown, weights, entries, quantiser.dithers, packed(exact), target, miss, weight)
    return Ready(target, quantiser.shown, miss, still, weight, frame)


def encode_own_tables(
    frames: Frames,
    choosing: OwnTables,
    *,
    amount: int,
    dither: Dither,
    matrix: Matrix,
    sparing: bool,
    reach: int,
    loss: int,
    firsts: Sequence[int],
    on_frame: Callable[[], None],
    tell: Tell,
) -> list[FrameBlock]:
    """The coded frames, each with its own colours; see :func:`..encoder.encode_gif`."""
    height, width = frames[0].shape[:2]
    flat = np.full((height, width), SCALE, np.uint16)

    def made_ready(frame: NDArray[np.uint8], still: NDArray[np.bool_]) -> _Frame:
        weights = visibility(frame) if loss else None
        palette = _choose(as_words(frame), still, weights, choosing)
        quantiser = _quantiser(palette, (height, width), amount, dither, matrix, sparing)
        visible = flat if weights is None else weights
        return _Frame(_ready(frame, still, visible, quantiser, palette, choosing.exact), palette)

    def coming() -> Generator[tuple[NDArray[np.uint8], Future[_Frame] | None], None, None]:
        """Each frame's clear pixels, and the frame made ready ahead, but for one that comes again."""
        before = np.zeros((height, width), np.uint32)
        """What each pixel's source was when it was last chosen anew."""
        ahead: deque[tuple[NDArray[np.uint8], Future[_Frame] | None]] = deque()
        whole = slice(0, height)
        with closing(BandCache(firsts if reach else ())) as sources, executor(frames, THREADS) as pool:
            try:
                for index, first in enumerate(firsts):
                    frame = frames[index]
                    still = np.empty((height, width), np.bool_)
                    _keep_still(as_words(frame), before, reach, still)
                    if reach and first < index:
                        before = sources.band(first, whole, width * 4).shown.view(np.uint32).copy()
                    sources.keep(index, whole, Band(before.view(np.uint8), None))
                    clear = np.ascontiguousarray(frame[:, :, 3] == 0).view(np.uint8)
                    ahead.append((clear, pool.submit(made_ready, frame, still) if first == index else None))
                    if len(ahead) > THREADS:
                        yield ahead.popleft()
                while ahead:
                    yield ahead.popleft()
            finally:
                for _, future in ahead:
                    if future is not None:
                        future.cancel()

    coder = _Coder(height, width, price(loss) or _FREE, choosing, moves=amount == 0)
    blocks: list[FrameBlock] = []
    with closing(BandCache(firsts)) as shelf, closing(coming()) as queue:
        clear, future = next(queue)
        begin = clear
        for index, first in enumerate(firsts):
            # Some viewers begin the next round on what the last frame left.
            next_clear, after = next(queue, (begin, None))
            if future is None:
                frame = coder.again(shelf.band(first, slice(0, height), width * 4).shown.view(np.uint32))
            else:
                frame = future.result()
            block = coder.code(frame, clear, next_clear)
            follow_on(blocks, block, tell)
            shelf.keep(index, slice(0, height), Band(coder.shown.view(np.uint8), None))
            on_frame()
            clear, future = next_clear, after
    tell(blocks[-1])
    return blocks
