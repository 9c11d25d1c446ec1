"""Counting the colours of a sequence without holding its frames."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled

BINS = 1 << 15
EXACT_LIMIT = 256
_SLOTS = 1024  # four times the limit: short probes


@compiled
def _count(frame: NDArray[np.uint8], sums: NDArray[np.int64]) -> None:
    height, width = frame.shape[0], frame.shape[1]
    for y in range(height):
        for x in range(width):
            if frame[y, x, 3]:
                r, g, b = frame[y, x, 0], frame[y, x, 1], frame[y, x, 2]
                i = (np.int64(r >> 3) << 10) | (np.int64(g >> 3) << 5) | np.int64(b >> 3)
                sums[i, 0] += r
                sums[i, 1] += g
                sums[i, 2] += b
                sums[i, 3] += 1


@compiled
def _collect(
    frame: NDArray[np.uint8], slots: NDArray[np.int64], counts: NDArray[np.int64], found: int, limit: int
) -> int:
    last = np.int64(-1)
    place = 0
    for y in range(frame.shape[0]):
        for x in range(frame.shape[1]):
            if frame[y, x, 3] == 0:
                continue
            colour = (
                (np.int64(frame[y, x, 0]) << 16) | (np.int64(frame[y, x, 1]) << 8) | np.int64(frame[y, x, 2])
            )
            if colour != last:
                place = (colour * 2654435761 >> 12) & (slots.shape[0] - 1)
                while slots[place] >= 0 and slots[place] != colour:
                    place = (place + 1) & (slots.shape[0] - 1)
                if slots[place] < 0:
                    if found == limit:
                        return limit + 1
                    slots[place] = colour
                    found += 1
                last = colour
            counts[place] += 1
    return found


@dataclass
class Histogram:
    """Colours seen so far, in 32 levels a channel, and exactly while there are at most 256 of them."""

    sums: NDArray[np.int64]
    """Shape (32768, 4): sums of red, green and blue levels, and the number of pixels, in each bin."""
    slots: NDArray[np.int64]
    counts: NDArray[np.int64]
    found: int = 0
    transparent: bool = False

    @classmethod
    def empty(cls) -> "Histogram":
        return cls(np.zeros((BINS, 4), np.int64), np.full(_SLOTS, -1, np.int64), np.zeros(_SLOTS, np.int64))

    def add(self, frame: NDArray[np.uint8], *, transparent: bool) -> None:
        """Count a frame, shape (height, width, 4); pixels of alpha 0 do not count as colours."""
        _count(frame, self.sums)
        self.transparent |= transparent
        if self.found <= EXACT_LIMIT:
            self.found = _collect(frame, self.slots, self.counts, self.found, EXACT_LIMIT)

    def merge(self, other: "Histogram") -> None:
        """Take in what another histogram counted."""
        self.sums += other.sums
        self.transparent |= other.transparent
        if self.found > EXACT_LIMIT or other.found > EXACT_LIMIT:
            self.found = EXACT_LIMIT + 1
            return
        colours = other.slots[other.slots >= 0]
        frame = np.empty((1, len(colours), 4), np.uint8)
        for c, shift in enumerate((16, 8, 0)):
            frame[0, :, c] = (colours >> shift) & 255
        frame[0, :, 3] = 255
        self.found = _collect(frame, self.slots, self.counts, self.found, EXACT_LIMIT)

    def exact(self) -> NDArray[np.uint8] | None:
        """All colours, shape (n, 3), in rising order, if there are at most 256; otherwise ``None``."""
        if self.found > EXACT_LIMIT:
            return None
        colours = np.sort(self.slots[self.slots >= 0])
        return np.stack([(colours >> shift) & 255 for shift in (16, 8, 0)], axis=1).astype(np.uint8)
