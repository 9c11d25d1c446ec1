"""True colours to palette indices: plainly, or with each pixel's error spread over its neighbours.

Both loops are told what is on show already. A pixel whose source has not moved keeps its index, and so does
one for which the shown colour serves at least as well as a fresh choice: still areas stay still (no crawling
dither), and what stays need not be written again.

Error diffusion follows R. W. Floyd and L. Steinberg, "An adaptive algorithm for spatial greyscale" (1976),
its rows taken in alternating directions. A pixel whose very colour is in the palette shows it, whatever errors
reach it, and passes none on: flat art stays flat.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from ..palette.nearest import EXACT, Nearest, among, bucket, empty_table, fill_cell
from ..palette.words import as_words, words_of
from .pixel import channels, is_still, square
from .placed import place
from .sparing import spared


@compiled
def _plain(
    frame: NDArray[np.uint32],
    before: NDArray[np.uint32],
    shown: NDArray[np.uint8],
    written: NDArray[np.uint32],
    none: int,
    palette: NDArray[np.int32],
    entries: NDArray[np.int32],
    candidates: NDArray[np.uint8],
    table: NDArray[np.uint16],
    exact: NDArray[np.uint8],
    index: NDArray[np.uint32],
    middle: NDArray[np.uint8],
    reach: int,
) -> None:
    for y in range(frame.shape[0]):
        seen = np.uint32(0)
        for x in range(frame.shape[1]):
            seen |= frame[y, x]
        if seen >> 24 == 0:
            shown[y] = none
            continue
        for column in range(frame.shape[1]):
            x = np.uint64(column)
            pixel = frame[y, x]
            # Without reach an unmoved source would only find the same answer again.
            if reach == 0 and pixel == before[y, x]:
                continue
            now = np.int64(shown[y, x])
            if pixel >> 24 == 0:
                shown[y, x] = none
                continue
            if reach > 0:
                if now != none and is_still(pixel, written[y, x], reach):
                    continue
                written[y, x] = pixel
            r, g, b = channels(pixel)
            fresh = np.int64(table[index[0, r] + index[1, g] + index[2, b]]) - 1
            if fresh >= EXACT - 1:
                fresh = np.int64(exact[np.uint64(fresh + 1 - EXACT), among(r, g, b)]) - 1
            if fresh < 0:
                fresh = fill_cell(r, g, b, entries, candidates, table, exact, index, middle)
            if fresh == now:
                continue
            was = fresh if now == none else now
            better = square(r, g, b, palette, fresh) < square(r, g, b, palette, was)
            shown[y, x] = fresh if better else was


@compiled
def _diffused(
    frame: NDArray[np.uint32],
    shown: NDArray[np.uint8],
    written: NDArray[np.uint32],
    none: int,
    palette: NDArray[np.int32],
    entries: NDArray[np.int32],
    candidates: NDArray[np.uint8],
    table: NDArray[np.uint16],
    exact: NDArray[np.uint8],
    index: NDArray[np.uint32],
    middle: NDArray[np.uint8],
    marked: NDArray[np.bool_],
    reach: int,
    amount: int,
    carry: NDArray[np.int32],
) -> None:
    height, width = frame.shape[0], frame.shape[1]
    # Errors in 1/16 levels for the row at hand and, written behind it as it goes, for the row below.
    here = carry.copy()
    below = np.zeros_like(here)
    spent = reach * reach
    for y in range(height):
        step = 1 if y & 1 == 0 else -1
        column = 0 if step == 1 else width - 1
        ahead_r = ahead_g = ahead_b = 0  # for the next pixel of this row
        under_r = under_g = under_b = 0  # for the pixel below the one at hand, so far
        after_r = after_g = after_b = 0  # for the one below the next, so far
        for _ in range(width):
            x = np.uint64(column)
            e = np.uint64(column + 1)
            behind = np.uint64(column + 1 - step)
            pixel = frame[y, x]
            now = np.int64(shown[y, x])
            er = eg = eb = 0
            if pixel >> 24 == 0:
                shown[y, x] = none
            elif now == none or not is_still(pixel, written[y, x], reach):
                r, g, b = channels(pixel)
                pick = np.int64(-1)
                if marked[bucket(pixel)]:  # the palette may hold this very colour
                    pick = np.int64(table[index[0, r] + index[1, g] + index[2, b]]) - EXACT
                    if pick >= 0:
                        pick = np.int64(exact[np.uint64(pick), among(r, g, b)]) - 1
                    p = np.uint64(max(pick, 0))
                    if palette[p, 0] != r or palette[p, 1] != g or palette[p, 2] != b:
                        pick = np.int64(-1)
                if pick < 0:
                    # What the pixel before brings comes last: all pixels of a row wait for each other by it.
                    r = min(max(((r << 4) + here[e, 0] + 8 + ahead_r) >> 4, 0), 255)
                    g = min(max(((g << 4) + here[e, 1] + 8 + ahead_g) >> 4, 0), 255)
                    b = min(max(((b << 4) + here[e, 2] + 8 + ahead_b) >> 4, 0), 255)
                    pick = np.int64(table[index[0, r] + index[1, g] + index[2, b]]) - 1
                    if pick >= EXACT - 1:
                        pick = np.int64(exact[np.uint64(pick + 1 - EXACT), among(r, g, b)]) - 1
                    if pick < 0:
                        pick = fill_cell(r, g, b, entries, candidates, table, exact, index, middle)
                was = pick if now == none else now
                serves = square(r, g, b, palette, was) <= square(r, g, b, palette, pick) + spent
                pick = was if serves else pick
                shown[y, x] = pick
                written[y, x] = pixel
                p = np.uint64(pick)
                er = (r - palette[p, 0]) * amount >> 7
                eg = (g - palette[p, 1]) * amount >> 7
                eb = (b - palette[p, 2]) * amount >> 7
            below[behind, 0] = under_r + er * 3
            below[behind, 1] = under_g + eg * 3
            below[behind, 2] = under_b + eb * 3
            under_r, under_g, under_b = after_r + er * 5, after_g + eg * 5, after_b + eb * 5
            after_r, after_g, after_b = er, eg, eb
            ahead_r, ahead_g, ahead_b = er * 7, eg * 7, eb * 7
            column += step
        last = np.uint64(column + 1 - step)
        below[last, 0] = under_r
        below[last, 1] = under_g
        below[last, 2] = under_b
        here, below = below, here
    carry[:] = here


@compiled
def _unmoved(
    frame: NDArray[np.uint32],
    before: NDArray[np.uint32],
    shown: NDArray[np.uint8],
    none: int,
    reach: int,
    out: NDArray[np.bool_],
) -> None:
    for y in range(frame.shape[0]):
        for x in range(frame.shape[1]):
            pixel = frame[y, x]
            there = pixel >> np.uint32(24) != 0 and np.int64(shown[y, x]) != none
            out[y, x] = there and is_still(pixel, before[y, x], reach)


class Quantiser:
    """Quantises the frames of one loop in order, remembering what is on show.

    ``shown`` holds the indices last shown, shape (height, width); ``none`` (one past the last entry) stands
    for "nothing". ``amount`` is the share of each error that is diffused, 0 to 100, or, with ``thresholds``
    (shape (side, side)), how much of a mixture by place there is; ``reach`` how many levels a channel's source
    may move while its pixel stays as it was; ``sparing``: whether flat areas and hard edges are not dithered.

    A frame may be taken in bands of rows from the top down. A band needs only the band above it of the same
    frame and itself of the frame before, so two threads can follow each other through a sequence.
    """

    def __init__(
        self,
        nearest: Nearest,
        height: int,
        width: int,
        *,
        amount: int,
        reach: int,
        thresholds: NDArray[np.uint8] | None = None,
        sparing: bool = False,
    ) -> None:
        self.none = len(nearest.palette)
        self.shown = np.full((height, width), self.none, np.uint8)
        self._written = np.zeros((height, width), np.uint32)
        """What each pixel's source was when it was last chosen anew."""
        self._before: dict[tuple[int, int], NDArray[np.uint32]] = {}
        """The last source of each band, by its first row and the one after its last."""
        self._nearest = nearest
        self._palette = nearest.palette.astype(np.int32)
        self._amount = round(amount * 128 / 100)
        self._reach = reach
        self._thresholds = thresholds
        self._entries = words_of(nearest.palette)
        self._spared = np.zeros((height, width), np.uint32) if sparing and amount > 0 else None
        """Where some pixels are not dithered, what each pixel's source was; ``_written`` then holds what is
        taken for it."""
        self._mixtures = None if thresholds is None else empty_table(nearest.levels.size, np.uint32)

    @property
    def dithers(self) -> bool:
        return self._amount > 0

    @property
    def halves(self) -> tuple[slice, slice]:
        """The bands that frames are taken in: rows change direction with each, so they are always these two."""
        height = len(self.shown)
        return slice(0, height // 2), slice(height // 2, height)

    def carry(self) -> NDArray[np.int32]:
        """The errors that enter the first row of a frame: none."""
        return np.zeros((self.shown.shape[1] + 2, 3), np.int32)

    def take(self, frame: NDArray[np.uint8], rows: slice, carry: NDArray[np.int32]) -> None:
        """Show a band of the next frame, in ``shown``.

        ``frame``: the whole frame, shape (height, width, 4), alpha 0 or not. ``carry``: errors entering the
        band's first row, replaced by those leaving its last.
        """
        near = self._nearest
        shown = self.shown[rows]
        words = self.words(frame, rows) if self._spared is None else self._sparing(frame, rows, self._spared)
        band = (shown, self._written[rows], self.none, self._palette, near.entries)
        lookup = (near.candidates, near.table, near.exact, near.levels.index, near.levels.middle)
        if self._amount > 0 and self._thresholds is not None and self._mixtures is not None:
            place(
                words,
                self._written[rows],
                shown,
                self.none,
                self._palette,
                near.table,
                near.exact,
                self._mixtures,
                near.levels.index,
                near.levels.middle,
                self._thresholds,
                rows.start,
                self._reach,
                self._amount,
            )
        elif self._amount == 0:
            before = self._before.get((rows.start, rows.stop))
            _plain(words, np.zeros_like(words) if before is None else before, *band, *lookup, self._reach)
            self._before[rows.start, rows.stop] = words
        else:
            _diffused(words, *band, *lookup, near.marked, self._reach, self._amount, carry)

    def _sparing(
        self, frame: NDArray[np.uint8], rows: slice, sources: NDArray[np.uint32]
    ) -> NDArray[np.uint32]:
        """What is taken for a band: where it is not to be dithered, an entry's own colour: it shows itself."""
        still = self.still(frame, rows)
        words = self.words(frame, rows)
        plain = np.where(spared(self.words(frame, slice(0, len(self.shown))), rows), words, np.uint32(0))
        entries = np.full(words.shape, self.none, np.uint8)
        near = self._nearest
        _plain(
            plain,
            np.zeros_like(plain),
            entries,
            np.zeros_like(plain),
            self.none,
            self._palette,
            near.entries,
            near.candidates,
            near.table,
            near.exact,
            near.levels.index,
            near.levels.middle,
            0,
        )
        taken = np.where(entries == self.none, words, self._entries[entries])
        sources[rows] = np.where(still, sources[rows], words)
        return np.where(still, self._written[rows], taken)

    def still(self, frame: NDArray[np.uint8], rows: slice) -> NDArray[np.bool_]:
        """Where a band of the next frame, which is to be taken after this, has not moved and stays as it is."""
        words, shown = self.words(frame, rows), self.shown[rows]
        before = (self._written if self._spared is None else self._spared)[rows]
        if not self.dithers and self._reach == 0:
            before = self._before.get((rows.start, rows.stop), before)
        out = np.empty(shown.shape, np.bool_)
        _unmoved(words, before, shown, self.none, self._reach, out)
        return out

    def take_again(self, frame: NDArray[np.uint8], rows: slice, band: "Band") -> None:
        """Show a band of a frame just as it was shown before."""
        words = self.words(frame, rows)
        self.shown[rows] = band.shown
        self._written[rows] = words if band.written is None else band.written
        if self._spared is not None:
            self._spared[rows] = self._written[rows]
        if self._amount == 0:
            self._before[rows.start, rows.stop] = words

    def band(self, rows: slice) -> "Band":
        """What it takes to show a band again as it is shown now."""
        sources = self._written if self._spared is None else self._spared
        return Band(self.shown[rows].copy(), sources[rows].copy() if self._reach else None)

    def words(self, frame: NDArray[np.uint8], rows: slice) -> NDArray[np.uint32]:
        """A pixel as one word: red lowest, alpha highest."""
        return as_words(frame)[rows]


@dataclass(frozen=True)
class Band:
    """Some rows of a frame as they were shown."""

    shown: NDArray[np.uint8]
    written: NDArray[np.uint32] | None
    """What each pixel's source was when it was chosen; ``None`` where that is the frame itself."""
