"""Grouping the 256 levels of a channel: finely in the dark, where the eye tells levels apart."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Levels:
    """A grouping of levels, the same for each channel."""

    size: int
    """How long a table over all colours is."""
    index: NDArray[np.uint32]
    """Shape (3, 256): for each channel and level what it adds to a colour's place in such a table."""
    middle: NDArray[np.uint8]
    """Shape (256,): the level that stands for a level's group."""

    @classmethod
    def stepped(cls, *parts: tuple[int, int], interleaved: bool = False) -> "Levels":
        """Groups of ``step`` levels up to level ``end``, for each ``(end, step)``; the last end is 256.

        A table runs by red, then green, then blue. In an ``interleaved`` one their bits take turns, so that
        like colours, which come together in a picture, share cache lines and pages (the order of G. M. Morton,
        1966).
        """
        group = np.zeros(256, np.uint32)
        middle = np.zeros(256, np.uint8)
        start = count = 0
        for end, step in parts:
            for low in range(start, end, step):
                high = min(low + step, end)
                group[low:high] = count
                middle[low:high] = (low + high) // 2 if step > 1 else low
                count += 1
            start = end
        if not interleaved:
            index = np.stack([group * np.uint32(count * count), group * np.uint32(count), group])
            return cls(count**3, index, middle)
        bits = (count - 1).bit_length()
        spread = np.zeros(256, np.uint32)
        for bit in range(bits):
            spread |= ((group >> np.uint32(bit)) & np.uint32(1)) << np.uint32(3 * bit)
        return cls(1 << 3 * bits, np.stack([spread << np.uint32(2), spread << np.uint32(1), spread]), middle)


EACH = Levels.stepped((256, 1), interleaved=True)
"""Every level by itself: exact."""
FINE = Levels.stepped((64, 1), (128, 2), (256, 4), interleaved=True)
"""128 groups: for looking up many colours quickly."""
SOFT = Levels.stepped((16, 2), (256, 4), interleaved=True)
"""68 groups: for dithered colours, whose small errors are made good by their neighbours."""
COARSE = Levels.stepped((16, 1), (256, 4))
"""76 groups: for counting colours."""
DARK = Levels.stepped((64, 1), (256, 4), interleaved=True)
"""112 groups: for counting colours by how much they show, which in the dark is most."""
