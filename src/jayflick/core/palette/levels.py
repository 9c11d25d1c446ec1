"""Grouping the 256 levels of a channel: finely in the dark, where the eye and OKLab tell levels apart."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Levels:
    """A grouping of levels, the same for each channel."""

    count: int
    """How many groups a channel has."""
    index: NDArray[np.uint32]
    """Shape (3, 256): for each channel and level what it adds to a colour's place in a table of count³."""
    middle: NDArray[np.uint8]
    """Shape (256,): the level that stands for a level's group."""

    @classmethod
    def stepped(cls, *parts: tuple[int, int]) -> "Levels":
        """Groups of ``step`` levels up to level ``end``, for each ``(end, step)``; the last end is 256."""
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
        return cls(count, np.stack([group * np.uint32(count * count), group * np.uint32(count), group]), middle)


EACH = Levels.stepped((256, 1))
"""Every level by itself: exact, a table of 16 million."""
FINE = Levels.stepped((16, 1), (64, 2), (256, 4))
"""88 groups: for looking up many colours quickly."""
COARSE = Levels.stepped((8, 2), (24, 4), (256, 8))
"""37 groups: for counting colours."""
