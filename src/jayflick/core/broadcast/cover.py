"""Whether a transition covers the picture while the sources are cut, and where the cut goes.

The cut lies where every pixel is opaque, in the middle of the longest run of such frames (common practice, no
published source).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled


@compiled
def _opaque_pixels(picture: NDArray[np.uint8]) -> int:
    count = 0
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            count += picture[y, x, 3] == 255
    return count


def opaque_share(picture: NDArray[np.uint8]) -> float:
    """The share of a picture, shape (height, width, 4), that is fully opaque, from 0 to 1.

    It is 1 only if every pixel is.
    """
    return float(_opaque_pixels(picture) / (picture.shape[0] * picture.shape[1]))


@dataclass(frozen=True)
class Cover:
    """How much of the picture each frame of a transition covers."""

    opaque: tuple[float, ...]
    """The share of each frame that is fully opaque, from 0 to 1."""

    @property
    def covered(self) -> tuple[tuple[int, int], ...]:
        """Runs of frames that cover all of the picture: first and last, from 1."""
        runs: list[tuple[int, int]] = []
        for number, share in enumerate(self.opaque, 1):
            if share < 1:
                continue
            if runs and runs[-1][1] == number - 1:
                runs[-1] = runs[-1][0], number
            else:
                runs.append((number, number))
        return tuple(runs)

    def hidden(self, cut: int) -> bool:
        """Whether a frame, from 1, hides that the sources are cut at it."""
        return cut <= len(self.opaque) and self.opaque[cut - 1] == 1

    @property
    def fullest(self) -> int:
        """The frame that covers most, from 1; the first of those."""
        return self.opaque.index(max(self.opaque)) + 1

    @property
    def cut(self) -> int | None:
        """The frame that the cut is best made at, from 1; ``None`` if none covers the picture.

        The middle of the longest run, the earlier one of two middles, and of two runs as long.
        """
        if not self.covered:
            return None
        first, last = max(self.covered, key=lambda run: run[1] - run[0])
        return (first + last) // 2
