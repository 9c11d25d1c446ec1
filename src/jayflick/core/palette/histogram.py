"""Counting the colours of a sequence without holding its frames."""

import struct
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from .levels import COARSE, DARK, Levels

EXACT_LIMIT = 1 << 13
"""Up to so many different colours, each is counted by itself: drawn art keeps its few colours apart."""
EVERY = slice(None)
_MOST_WAITING = 1 << 24
"""So many pixels' levels fit 32 bits."""
_SLOTS = 1 << 15  # four times the limit: short probes


@compiled
def _collect(
    pixels: NDArray[np.uint32],
    weights: NDArray[np.uint16],
    slots: NDArray[np.int64],
    counts: NDArray[np.int64],
    found: int,
    limit: int,
) -> tuple[int, int, bool]:
    """Count each colour by itself until there are more than ``limit``.

    ``weights``: of each pixel; empty if all count as one. Returns how many colours there are, how many pixels
    were counted, and whether any of those was transparent.
    """
    last = np.int64(-1)
    place = 0
    clear = False
    weighed = weights.shape[0] > 0
    i, end = 0, pixels.shape[0]
    while i < end:
        if pixels[i] >> np.uint32(24) == 0:
            clear = True
            while i + 16 <= end:  # whole stretches at once
                seen = np.uint32(0)
                for j in range(16):
                    seen = np.uint32(seen | pixels[i + j])
                if seen >> np.uint32(24) != 0:
                    break
                i += 16
            while i < end and pixels[i] >> np.uint32(24) == 0:
                i += 1
            continue
        colour = np.int64(pixels[i] & np.uint32(0xFFFFFF))
        if colour != last:
            place = (colour * 2654435761 >> 12) & (slots.shape[0] - 1)
            while slots[place] >= 0 and slots[place] != colour:
                place = (place + 1) & (slots.shape[0] - 1)
            if slots[place] < 0:
                if found == limit:
                    return limit + 1, i, clear
                slots[place] = colour
                found += 1
            last = colour
        counts[place] += np.int64(weights[i]) if weighed else 1
        i += 1
    return found, pixels.shape[0], clear


@compiled
def _has_clear(pixels: NDArray[np.uint32]) -> bool:
    lowest = np.uint32(0xFFFFFFFF)
    for i in range(pixels.shape[0]):
        lowest = min(lowest, pixels[i])  # alpha is the highest byte
    return lowest < np.uint32(1 << 24)


@compiled
def _count(pixels: NDArray[np.uint32], pairs: NDArray[np.uint64], index: NDArray[np.uint32]) -> bool:
    """Count colours into their bins; returns whether any pixel is transparent."""
    clear = False
    for i in range(pixels.shape[0]):
        pixel = np.uint64(pixels[i])
        if pixel >> np.uint64(24) == 0:
            clear = True
            continue
        r, g, b = (
            pixel & np.uint64(255),
            (pixel >> np.uint64(8)) & np.uint64(255),
            (pixel >> np.uint64(16)) & np.uint64(255),
        )
        at = index[0, r] + index[1, g] + index[2, b]
        pairs[at, 0] += r | (g << np.uint64(32))
        pairs[at, 1] += b | np.uint64(1 << 32)
    return clear


@compiled
def _count_weighed(
    pixels: NDArray[np.uint32], weights: NDArray[np.uint16], sums: NDArray[np.int64], index: NDArray[np.uint32]
) -> bool:
    clear = False
    for i in range(pixels.shape[0]):
        pixel = np.uint64(pixels[i])
        if pixel >> np.uint64(24) == 0:
            clear = True
            continue
        r, g, b = (
            pixel & np.uint64(255),
            (pixel >> np.uint64(8)) & np.uint64(255),
            (pixel >> np.uint64(16)) & np.uint64(255),
        )
        at = index[0, r] + index[1, g] + index[2, b]
        weight = np.int64(weights[i])
        sums[at, 0] += np.int64(r) * weight
        sums[at, 1] += np.int64(g) * weight
        sums[at, 2] += np.int64(b) * weight
        sums[at, 3] += weight
    return clear


@compiled
def _sum_up(pairs: NDArray[np.uint64], sums: NDArray[np.int64]) -> None:
    for at in range(sums.shape[0]):
        if pairs[at, 1]:
            sums[at, 0] += np.int64(pairs[at, 0] & np.uint64(0xFFFFFFFF))
            sums[at, 1] += np.int64(pairs[at, 0] >> np.uint64(32))
            sums[at, 2] += np.int64(pairs[at, 1] & np.uint64(0xFFFFFFFF))
            sums[at, 3] += np.int64(pairs[at, 1] >> np.uint64(32))
            pairs[at] = 0


@compiled
def _spill(
    slots: NDArray[np.int64], counts: NDArray[np.int64], sums: NDArray[np.int64], index: NDArray[np.uint32]
) -> None:
    """Move colours counted by themselves into their bins."""
    for i in range(slots.shape[0]):
        if slots[i] >= 0:
            r, g, b = slots[i] & 255, (slots[i] >> 8) & 255, (slots[i] >> 16) & 255
            at = index[0, r] + index[1, g] + index[2, b]
            sums[at, 0] += r * counts[i]
            sums[at, 1] += g * counts[i]
            sums[at, 2] += b * counts[i]
            sums[at, 3] += counts[i]
            counts[i] = 0


@compiled
def _merge(
    more: NDArray[np.int64],
    times: NDArray[np.int64],
    slots: NDArray[np.int64],
    counts: NDArray[np.int64],
    found: int,
    limit: int,
) -> int:
    for i in range(more.shape[0]):
        if more[i] < 0:
            continue
        place = (more[i] * 2654435761 >> 12) & (slots.shape[0] - 1)
        while slots[place] >= 0 and slots[place] != more[i]:
            place = (place + 1) & (slots.shape[0] - 1)
        if slots[place] < 0:
            if found == limit:
                return limit + 1
            slots[place] = more[i]
            found += 1
        counts[place] += times[i]
        times[i] = 0  # so that what is left over, should they be too many, is counted once
    return found


_HEAD = struct.Struct("<Q???")


@dataclass(frozen=True)
class Counted:
    """The colours that frames were found to hold, in a fixed order."""

    colours: NDArray[np.float64]
    """Shape (n, 3): each colour, or the mean of each group of neighbouring ones."""
    pixels: NDArray[np.float64]
    """Shape (n,): how many there are of it, or how much they weigh."""
    exact: bool
    """Whether every colour is counted by itself."""
    transparent: bool
    """Whether any pixel is transparent."""
    weighed: bool

    def holds(self, colour: tuple[int, int, int]) -> bool:
        """Whether a colour was seen; of groups, whether any of its group was."""
        if self.exact:
            return bool((self.colours == colour).all(axis=1).any())
        index = (DARK if self.weighed else COARSE).index
        channels = np.arange(3)
        groups = index[channels, self.colours.astype(np.int64)]  # a group's mean lies within it
        return bool((groups == index[channels, np.array(colour)]).all(axis=1).any())

    def dump(self) -> bytes:
        head = _HEAD.pack(len(self.pixels), self.exact, self.transparent, self.weighed)
        return head + self.colours.tobytes() + self.pixels.tobytes()

    @classmethod
    def parse(cls, data: bytes) -> "Counted":
        """Read what :meth:`dump` wrote."""
        count, exact, transparent, weighed = _HEAD.unpack_from(data)
        numbers = np.frombuffer(data, np.float64, offset=_HEAD.size).copy()  # compiled loops know no others
        return cls(numbers[: 3 * count].reshape(-1, 3), numbers[3 * count :], exact, transparent, weighed)


@dataclass
class Histogram:
    """Colours seen so far: each by itself while they are few, then in bins of neighbouring levels."""

    levels: Levels
    sums: NDArray[np.int64]
    """Shape (bins, 4): sums of red, green and blue levels, and the number of pixels, in each bin, or of
    both by weight."""
    pairs: NDArray[np.uint64]
    """Shape (bins, 2): what is not in ``sums`` yet, two of them to a word: half the additions will do."""
    slots: NDArray[np.int64]
    counts: NDArray[np.int64]
    found: int = 0
    transparent: bool = False
    _waiting: int = 0
    """Pixels in ``pairs``."""

    @classmethod
    def empty(cls, *, weighed: bool = False) -> "Histogram":
        """One that nothing was counted in; in a ``weighed`` one each pixel counts by a weight of its own."""
        levels = DARK if weighed else COARSE
        return cls(
            levels,
            np.zeros((levels.size, 4), np.int64),
            np.zeros((0 if weighed else levels.size, 2), np.uint64),
            np.full(_SLOTS, -1, np.int64),
            np.zeros(_SLOTS, np.int64),
        )

    def add(
        self, frame: NDArray[np.uint8], weights: NDArray[np.uint16] | None = None, *, rows: slice = EVERY
    ) -> None:
        """Count a frame, shape (height, width, 4); pixels of alpha 0 do not count as colours.

        ``weights``: shape (height, width), for a histogram that is weighed.

        Once colours are counted in bins, only ``rows`` are: in a long sequence, taking turns, some of them are
        enough to tell how much of each colour there is.
        """
        pixels = np.ascontiguousarray(frame).reshape(-1).view("<u4")  # red lowest, alpha highest
        each = np.empty(0, np.uint16) if weights is None else weights.reshape(-1)
        if self.exact:
            self.found, done, clear = _collect(pixels, each, self.slots, self.counts, self.found, EXACT_LIMIT)
            self.transparent |= clear
            if self.exact:
                return
            _spill(self.slots, self.counts, self.sums, self.levels.index)
            pixels, each = pixels[done:], each[done:]
        elif rows != EVERY:
            words = np.ascontiguousarray(frame).view("<u4").reshape(frame.shape[:2])
            self.transparent |= _has_clear(pixels)
            pixels = words[rows].reshape(-1)
            each = each if weights is None else weights[rows].reshape(-1)
        if weights is not None:
            self.transparent |= _count_weighed(pixels, each, self.sums, self.levels.index)
            return
        for at in range(0, len(pixels), _MOST_WAITING):
            part = pixels[at : at + _MOST_WAITING]
            if self._waiting + len(part) > _MOST_WAITING:
                self._sum_up()
            self._waiting += len(part)
            self.transparent |= _count(part, self.pairs, self.levels.index)

    def _sum_up(self) -> None:
        if self._waiting:
            _sum_up(self.pairs, self.sums)
            self._waiting = 0

    def merge(self, other: "Histogram") -> None:
        """Take in what another histogram counted, which is used up by it."""
        self.transparent |= other.transparent
        if self.exact and other.exact:
            self.found = _merge(other.slots, other.counts, self.slots, self.counts, self.found, EXACT_LIMIT)
            if self.exact:
                return
        self.found = EXACT_LIMIT + 1
        for part in (self, other):
            _spill(part.slots, part.counts, part.sums, part.levels.index)
            part._sum_up()
        self.sums += other.sums

    @property
    def exact(self) -> bool:
        """Whether every colour is counted by itself."""
        return self.found <= EXACT_LIMIT

    def counted(self) -> "Counted":
        """What was counted: each colour while these are few, otherwise each bin."""
        weighed = self.levels is DARK
        if not self.exact:
            self._sum_up()
            sums = self.sums[self.sums[:, 3] > 0].astype(np.float64)
            means, pixels = sums[:, :3] / sums[:, 3:], np.ascontiguousarray(sums[:, 3])
            return Counted(means, pixels, exact=False, transparent=self.transparent, weighed=weighed)
        taken = np.flatnonzero(self.slots >= 0)
        taken = taken[np.argsort(self.slots[taken])]
        colours = self.slots[taken]
        rgb = np.stack([(colours >> shift) & 255 for shift in (0, 8, 16)], axis=1).astype(np.float64)
        pixels = self.counts[taken].astype(np.float64)
        return Counted(rgb, pixels, exact=True, transparent=self.transparent, weighed=weighed)
