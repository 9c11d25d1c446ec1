"""From true-colour frames to the bytes of a GIF, writing only what changes."""

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from contextlib import closing
from dataclasses import dataclass, replace
from itertools import islice
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...dither.kinds import Dither, Matrix
from ...dither.quantise import Quantiser
from ...dither.thresholds import thresholds
from ...palette.choose import Colour
from ...palette.levels import EACH, FINE, SOFT
from ...palette.nearest import Nearest
from ...palette.words import as_words, words_of
from . import lzw
from .band_cache import BandCache
from .edges import Edges, changed, union, vanished
from .lossy import encode_lossy
from .own_tables import OwnTables, encode_own_tables
from .runs import Runs, Tell, untold
from .shared import ALL_PLACES, SharedPalette
from .side_by_side import THREADS, Frames, executor
from .weighing import cost
from .writer import (
    DO_NOT_DISPOSE,
    MOST_STEPS,
    RESTORE_TO_BACKGROUND,
    SMALLEST,
    Box,
    FrameBlock,
    Layout,
    colour_table_bits,
)


@dataclass
class _Pending:
    """A frame whose disposal waits for the next one to be known."""

    indices: NDArray[np.uint8]
    canvas: NDArray[np.uint8]
    edges: Edges
    disposal: int = DO_NOT_DISPOSE
    steps: int = 1


def _quantised(frames: Frames, quantiser: Quantiser, firsts: Sequence[int]) -> Iterator[NDArray[np.uint8]]:
    """The indices of each frame in turn. One thread takes the upper halves, one follows with the lower.

    A frame that comes again looks as it did the first time, whatever came between: the way back of a loop is
    the way there.
    """
    height, width = quantiser.shown.shape
    top, bottom = quantiser.halves
    shelf = BandCache(firsts)

    def half(index: int, frame: NDArray[np.uint8], rows: slice, carry: NDArray[np.int32]) -> None:
        if firsts[index] < index:
            quantiser.take_again(frame, rows, shelf.band(firsts[index], rows, width))
        else:
            quantiser.take(frame, rows, carry)
            shelf.keep(index, rows, quantiser.band(rows))

    def upper(index: int) -> tuple[int, NDArray[np.uint8], NDArray[np.uint8], NDArray[np.int32]]:
        frame = frames[index]
        out = np.empty((height, width), np.uint8)
        carry = quantiser.carry()
        half(index, frame, top, carry)
        out[top] = quantiser.shown[top]
        return index, frame, out, carry

    def lower(
        above: Future[tuple[int, NDArray[np.uint8], NDArray[np.uint8], NDArray[np.int32]]],
    ) -> NDArray[np.uint8]:
        index, frame, out, carry = above.result()
        half(index, frame, bottom, carry)
        out[bottom] = quantiser.shown[bottom]
        return out

    with closing(shelf), executor(frames, 1) as first, executor(frames, 1) as second:
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


def encode_gif(
    frames: Frames,
    shared: SharedPalette,
    *,
    amount: int = 0,
    dither: Dither = "diffusion",
    matrix: Matrix = 8,
    sparing: bool = False,
    reach: int = 0,
    loss: int = 0,
    exact: Sequence[Colour] = (),
    own: OwnTables | None = None,
    firsts: Sequence[int] | None = None,
    on_frame: Callable[[], None] = lambda: None,
    on_coded: Callable[[bytes], None] | None = None,
) -> bytes:
    """The frames as a GIF without its time, see :mod:`.retime`: no repeat, and each delay says how many frames
    it stands for, as equal neighbours are one that lasts longer.

    ``amount``: how much is dithered, in percent, 0 for no dither; a lossless palette leaves nothing to
    dither. ``dither``, ``matrix``: by what; see :mod:`...dither.kinds`. ``sparing``: flat areas and hard
    edges are not. ``reach``: how many levels a source may move while its pixel stays. ``loss``: 0 to 100,
    how much further from its source a pixel may be for fewer bytes; see :mod:`.lossy`. ``exact``: colours
    of the palette that such loss leaves alone. ``own``: colour tables by frame, unless ``shared`` leaves
    nothing to gain. ``firsts``: for each frame the index of the first that is equal to it. ``on_frame`` is
    called at most once a frame, with loss and with tables that have to pay once more each, and may raise to
    stop the work. ``on_coded`` is told the beginning of a file and then frame after frame of it as they are
    coded: what is true of them until all are there, when entries may move to the means of what they show, or
    another way turn out to be smaller. A frame's delay there is the steps that it stands for and one more, as
    browsers take a delay of 1 for none.
    """
    amount = 0 if shared.lossless or dither == "none" else amount
    runs = Runs.of(firsts or range(len(frames)))
    frames, firsts = runs.frames(frames), runs.firsts
    height, width = frames[0].shape[:2]

    def told(layout: Layout) -> Tell:
        if on_coded is None:
            return untold
        on_coded(layout.head())
        lengths = iter(runs.lengths)
        return lambda block: on_coded(
            layout.frame(block.lasting(min(1 + sum(islice(lengths, block.steps)), MOST_STEPS)))
        )

    def with_one_table(telling: Callable[[Layout], Tell]) -> _Coded:
        return _with_one_table(
            frames,
            shared,
            amount=amount,
            dither=dither,
            matrix=matrix,
            sparing=sparing,
            reach=reach,
            loss=loss,
            exact=exact,
            firsts=firsts,
            on_frame=on_frame,
            telling=telling,
        )

    if own is None or shared.lossless or len(frames) == 1:
        return with_one_table(told).file(runs)
    if own.where_they_pay and (shared.transparent or len(set(firsts)) < len(firsts)):
        return with_one_table(told).file(runs)  # what was cleared, and what comes again, looks just as it did
    layout = Layout(width, height, None, None)
    blocks = encode_own_tables(
        frames,
        own,
        amount=amount,
        dither=dither,
        matrix=matrix,
        sparing=sparing,
        reach=reach,
        loss=loss,
        firsts=firsts,
        on_frame=on_frame,
        tell=told(layout),
    )
    each = _Coded(layout, blocks)
    if not own.where_they_pay:
        return each.file(runs)
    one = with_one_table(lambda layout: untold)
    costs = [cost(coded.layout.file(coded.blocks), frames, loss) for coded in (each, one)]
    return (each if costs[0] < costs[1] else one).file(runs)


def _kept(frames: Frames, palette: NDArray[np.uint8]) -> Iterator[NDArray[np.uint8]]:
    """The indices of opaque frames whose every colour the palette holds."""
    words = words_of(palette)
    order = np.argsort(words)
    for index in range(len(frames)):
        yield order[np.searchsorted(words, as_words(frames[index]), sorter=order)].astype(np.uint8)


class _Coded(NamedTuple):
    """What a file is written of."""

    layout: Layout
    blocks: Sequence[FrameBlock]

    def file(self, runs: Runs) -> bytes:
        return self.layout.file(runs.spread(self.blocks))


def _with_one_table(
    frames: Frames,
    shared: SharedPalette,
    *,
    amount: int,
    dither: Dither,
    matrix: Matrix,
    sparing: bool,
    reach: int,
    loss: int,
    exact: Sequence[Colour],
    firsts: Sequence[int],
    on_frame: Callable[[], None],
    telling: Callable[[Layout], Tell],
) -> _Coded:
    palette = shared.colours
    none = len(palette)
    marked = none < ALL_PLACES and (len(frames) > 1 or shared.transparent)
    size = max(2, colour_table_bits(none + (1 if marked else 0)))
    height, width = frames[0].shape[:2]
    layout = Layout(width, height, palette, none if marked else None)
    tell = telling(layout)
    if none == ALL_PLACES:
        pictures = _kept(frames, palette)
        return _Coded(layout, _blocks(frames, pictures, shared, size, on_frame, tell))
    near = Nearest.of(palette, EACH if shared.few else SOFT if amount else FINE)

    def quantiser() -> Quantiser:
        squares = thresholds(dither, matrix) if amount else None
        return Quantiser(near, height, width, amount=amount, reach=reach, thresholds=squares, sparing=sparing)

    if loss:
        closely, moved = encode_lossy(
            frames,
            shared,
            quantiser(),
            size=size,
            loss=loss,
            exact=exact,
            firsts=firsts,
            on_frame=on_frame,
            tell=tell,
        )
        # On flat art an error can cost more later than it saves at once: no loss makes a file larger.
        try:
            pictures = _quantised(frames, quantiser(), firsts)
            blocks = _blocks(frames, pictures, shared, size, on_frame, untold, most=_length(closely))
        except _TooLarge:
            blocks, layout = closely, replace(layout, palette=moved)
    else:
        pictures = _quantised(frames, quantiser(), firsts)
        blocks = _blocks(frames, pictures, shared, size, on_frame, tell)
    return _Coded(layout, blocks)


class _TooLarge(Exception):
    """Frames take more bytes than they may."""


def _length(blocks: Sequence[FrameBlock]) -> int:
    return sum(SMALLEST + len(block.data) for block in blocks)


def _blocks(
    frames: Frames,
    pictures: Iterator[NDArray[np.uint8]],
    shared: SharedPalette,
    size: int,
    on_frame: Callable[[], None],
    tell: Tell,
    most: int | None = None,
) -> list[FrameBlock]:
    """The frames, coded each by itself while the next is looked at.

    ``pictures``: their indices, shape (height, width); one past the last entry is nothing. Raises
    :class:`_TooLarge` as soon as they take more than ``most`` bytes.
    """
    transparent = shared.transparent
    marked = len(shared.colours) < ALL_PLACES and (len(frames) > 1 or transparent)
    none = len(shared.colours) if marked else 0  # nothing that is opaque is looked for in what was cleared
    height, width = frames[0].shape[:2]
    canvas = np.full((height, width), none, np.uint8)
    first: NDArray[np.uint8] | None = None
    pending: _Pending | None = None
    edges: Edges
    coded: list[FrameBlock] = []
    taken = 0
    queue: deque[Future[FrameBlock]] = deque()

    def code(frame: _Pending) -> FrameBlock:
        left, top, right, bottom = frame.edges
        window = np.s_[top:bottom, left:right]
        data = lzw.encode(frame.indices[window], frame.canvas[window], none, size=size, free=marked)
        box: Box = (left, top, right - left, bottom - top)
        return FrameBlock(box, frame.disposal, data).lasting(frame.steps)

    def clear_after(frame: _Pending, gone: Edges) -> None:
        frame.disposal = RESTORE_TO_BACKGROUND
        frame.edges = union(frame.edges, gone)

    with executor(frames, THREADS) as pool:
        try:
            for indices in pictures:
                if pending is not None and np.array_equal(indices, pending.indices):
                    pending.steps += 1
                    on_frame()
                    continue
                if pending is None:
                    first = indices
                    # Where art is transparent, its first frame need not cover the canvas any more than others.
                    edges = changed(canvas, indices) if transparent else (0, 0, width, height)
                else:
                    if transparent:
                        gone = vanished(canvas, indices, none)
                        if gone[2] > gone[0]:
                            clear_after(pending, gone)
                            left, top, right, bottom = pending.edges
                            canvas = canvas.copy()
                            canvas[top:bottom, left:right] = none
                    queue.append(pool.submit(code, pending))
                    edges = changed(canvas, indices)
                if edges[2] <= edges[0]:
                    edges = (0, 0, 1, 1)  # nothing to be drawn; a frame must still have an area
                pending = _Pending(indices, canvas, edges)
                canvas = indices
                while len(queue) > 2 * THREADS:
                    coded.append(queue.popleft().result())
                    tell(coded[-1])
                    taken += _length(coded[-1:])
                    if most is not None and taken > most:
                        raise _TooLarge
                on_frame()
            if pending is not None and first is not None:
                if transparent and len(frames) > 1:
                    # Some viewers begin the next round on what the last one left; if there is none, it stays.
                    gone = vanished(canvas, first, none)
                    if gone[2] > gone[0]:
                        clear_after(pending, gone)
                queue.append(pool.submit(code, pending))
            for future in queue:
                coded.append(future.result())
                tell(coded[-1])
            if most is not None and _length(coded) > most:
                raise _TooLarge
        finally:
            for future in queue:
                future.cancel()
    return coded
