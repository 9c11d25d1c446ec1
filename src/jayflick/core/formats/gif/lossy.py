"""GIF frames that may be a little further from their sources than the palette asks, for fewer bytes.

An error is always that against the frame's own source, so nothing builds up over frames, and each pixel's is
bounded. What stands still stays as it was first shown, pixel by pixel; a frame that comes again is shown as it
was the first time.
"""

from collections import deque
from collections.abc import Callable, Sequence
from concurrent.futures import Executor
from contextlib import closing

import numpy as np
from numpy.typing import NDArray

from ...dither.quantise import Band, Quantiser
from ...palette.choose import Colour
from ...palette.words import packed, words_of
from ...quality.visible import visibility
from . import lzw
from .band_cache import BandCache
from .edges import Edges, changed, vanished, with_area
from .ready import Ready, added, aim, needed, sum_up
from .runs import Tell, follow_on
from .search import Search
from .shared import SharedPalette
from .side_by_side import Frames, executor
from .writer import DO_NOT_DISPOSE, RESTORE_TO_BACKGROUND, SMALLEST, FrameBlock

_AHEAD = 2
"""Frames that are made ready before they are coded."""


def price(loss: int) -> float:
    """The squared error, of a pixel in a flat part of middling brightness, that a bit saved may cost.

    It doubles with every ten of ``loss`` (0 to 100), from half a level at ten.
    """
    return float(0.5 * (2 ** (loss / 10) - 1))


class _Preparing:
    """Makes frames ready one after the other, ahead of their coding."""

    def __init__(
        self,
        frames: Frames,
        quantiser: Quantiser,
        palette: NDArray[np.int32],
        exact: Sequence[Colour],
        firsts: Sequence[int],
    ) -> None:
        self._frames = frames
        self._quantiser = quantiser
        self._palette = palette
        self._exact = packed(exact)
        self._firsts = firsts
        self._shelf = BandCache(firsts)

    def frame(self, index: int) -> Ready:
        """The next frame: they are asked for in order, each once."""
        frame = self._frames[index]
        quantiser = self._quantiser
        height, width = quantiser.shown.shape
        first = self._firsts[index]
        still = np.empty((height, width), np.bool_)
        carry = quantiser.carry()
        for rows in quantiser.halves:
            still[rows] = quantiser.still(frame, rows)
            if first < index:
                quantiser.take_again(frame, rows, self._shelf.band(first, rows, width))
            else:
                quantiser.take(frame, rows, carry)
                self._shelf.keep(index, rows, quantiser.band(rows))
        fresh = quantiser.shown.copy()
        words = quantiser.words(frame, slice(0, height))
        target, miss = np.empty_like(words), np.empty((height, width), np.int32)
        weight = np.empty((height, width), np.float32)
        aim(
            words,
            fresh,
            visibility(frame),
            self._palette,
            quantiser.dithers,
            self._exact,
            target,
            miss,
            weight,
        )
        return Ready(target, fresh, miss, still, weight, frame)

    def close(self) -> None:
        self._shelf.close()


class _Coder:
    """Codes frames one after the other, knowing what the last one left on show."""

    def __init__(self, quantiser: Quantiser, search: Search, size: int, marked: bool, beside: Executor) -> None:
        self._none = quantiser.none
        self._search = search
        self._words = words_of(search.palette[: self._none].astype(np.uint8))
        self._size = size
        self._marked = marked
        self._beside = beside
        self.shown = np.full(quantiser.shown.shape, self._none, np.uint8)
        """The entries that the last frame shows."""
        self._canvas = self.shown
        """The same after its disposal."""
        self._begun = False

    def exactly(self, wanted: NDArray[np.uint8], gone: Edges) -> FrameBlock | None:
        """Code a frame that shows just ``wanted``; ``gone``: what the next one wants cleared.

        ``None`` where the last one, lasting longer, does.
        """
        edges = changed(self._canvas, wanted)
        if self._lasts(edges, gone):
            return None
        edges = with_area(edges, gone)
        data = self._plain(wanted, edges)
        return self._block(edges, gone, data, wanted)

    def closely(self, ready: Ready, gone: Edges) -> FrameBlock | None:
        """Code a frame that may be further from its source, if that is worth its error."""
        none, search, canvas = self._none, self._search, self._canvas
        fresh = np.where(ready.still, self.shown, ready.fresh)
        plain_edges = changed(canvas, fresh)
        if self._lasts(plain_edges, gone):
            return None
        plain_edges = with_area(plain_edges, gone)
        plain = self._beside.submit(self._plain, fresh, plain_edges)
        planes = ready.target, ready.miss, ready.still, ready.weight
        over = self._words[canvas]
        edges = needed(*planes, over, search.saved)
        if self._lasts(edges, gone):
            bits = -8 * (SMALLEST + len(plain.result()))
            if added(*planes, canvas, search.palette) + bits * search.price <= 0:
                return None
        edges = with_area(edges, gone)
        left, top, right, bottom = edges
        window = np.s_[top:bottom, left:right]
        last = np.where(ready.fresh[window] == none, ready.fresh[window], self.shown[window])
        data, written = search.encode(
            ready.target[window],
            ready.fresh[window],
            ready.miss[window],
            last,
            canvas[window] == last,
            ready.still[window],
            ready.weight[window],
            over[window],
        )
        now = canvas.copy()
        np.copyto(now[window], written, where=written != none)
        bits = 8 * (len(data) - len(plain.result()))
        if added(*planes, now, search.palette) + bits * search.price > 0:
            return self._block(plain_edges, gone, plain.result(), fresh)
        return self._block(edges, gone, data, now)

    def _lasts(self, edges: Edges, gone: Edges) -> bool:
        """Whether the last frame shows a frame of which ``edges`` are to be written."""
        stays = self._begun and self._canvas is self.shown  # nothing of it was cleared
        return stays and edges[2] <= edges[0] and gone[2] <= gone[0]

    def _plain(self, wanted: NDArray[np.uint8], edges: Edges) -> NDArray[np.uint8]:
        left, top, right, bottom = edges
        window = np.s_[top:bottom, left:right]
        return lzw.encode(wanted[window], self._canvas[window], self._none, size=self._size, free=self._marked)

    def _block(
        self, edges: Edges, gone: Edges, data: NDArray[np.uint8], shown: NDArray[np.uint8]
    ) -> FrameBlock:
        left, top, right, bottom = edges
        self._begun = True
        self.shown = self._canvas = shown
        clears = gone[2] > gone[0]
        if clears:
            self._canvas = shown.copy()
            self._canvas[top:bottom, left:right] = self._none
        disposal = RESTORE_TO_BACKGROUND if clears else DO_NOT_DISPOSE
        return FrameBlock((left, top, right - left, bottom - top), disposal, data)


def encode_lossy(
    frames: Frames,
    shared: SharedPalette,
    quantiser: Quantiser,
    *,
    size: int,
    loss: int,
    exact: Sequence[Colour],
    firsts: Sequence[int],
    on_frame: Callable[[], None],
    tell: Tell,
) -> tuple[list[FrameBlock], NDArray[np.uint8]]:
    """The coded frames, and the palette, its entries moved to the mean of the pixels that show them.

    Entries stay where they are if art is of few colours, which are then its own, or dithered, when what is
    shown is right on average only, and where they are ``exact``.
    """
    none = quantiser.none
    height, width = quantiser.shown.shape
    whole = slice(0, height)
    search = Search(shared.colours, size, price(loss))
    sums = np.zeros((256, 4))
    moves = not shared.few and not quantiser.dithers
    blocks: list[FrameBlock] = []
    marked = len(frames) > 1 or shared.transparent
    with (
        closing(_Preparing(frames, quantiser, search.palette, exact, firsts)) as preparing,
        closing(BandCache(firsts)) as shelf,
        executor(frames, 1) as ahead,
        executor(frames, 1) as beside,
    ):
        coder = _Coder(quantiser, search, size, marked, beside)
        coming = deque(ahead.submit(preparing.frame, index) for index in range(min(_AHEAD, len(frames))))
        try:
            ready = coming.popleft().result()
            begin = ready.fresh
            for index, first in enumerate(firsts):
                if index + _AHEAD < len(frames):
                    coming.append(ahead.submit(preparing.frame, index + _AHEAD))
                after = coming.popleft().result() if coming else None
                # Some viewers begin the next round on what the last frame left.
                gone = vanished(ready.fresh, begin if after is None else after.fresh, quantiser.none)
                if first < index:
                    block = coder.exactly(shelf.band(first, whole, width).shown, gone)
                else:
                    block = coder.closely(ready, gone)
                    shelf.keep(index, whole, Band(coder.shown, None))
                follow_on(blocks, block, tell)
                if moves:
                    sum_up(coder.shown, ready.source, ready.weight, sums)
                on_frame()
                if after is not None:
                    ready = after
        finally:
            for future in coming:
                future.cancel()
    tell(blocks[-1])
    palette = at_means(shared.colours, sums[:none], exact) if moves else shared.colours
    return blocks, palette


def at_means(
    colours: NDArray[np.uint8], sums: NDArray[np.float64], exact: Sequence[Colour]
) -> NDArray[np.uint8]:
    """A palette, shape (n, 3), its entries but ``exact`` moved to the means of what they show, by
    :func:`..ready.sum_up`."""
    moves = sums[:, 3] > 0
    for colour in exact:
        moves &= (colours != colour).any(axis=1)
    moved = colours.copy()
    moved[moves] = np.rint(sums[moves, :3] / sums[moves, 3:]).astype(np.uint8)
    return moved
