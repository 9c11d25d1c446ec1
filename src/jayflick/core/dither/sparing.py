"""Where a picture had better not be dithered: in flat areas, and along hard edges."""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from .pixel import channels

HARD = 48
"""From so many levels of any channel on, the step to a neighbour is a hard edge."""


@compiled
def _spared(words: NDArray[np.uint32], first: int, out: NDArray[np.bool_]) -> None:
    height, width = words.shape
    for row in range(out.shape[0]):
        y = first + row
        for x in range(width):
            pixel = words[y, x]
            if pixel >> np.uint32(24) == 0:
                out[row, x] = False
                continue
            r, g, b = channels(pixel)
            flat, hard = True, False
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    if y + dy < 0 or y + dy >= height or x + dx < 0 or x + dx >= width:
                        continue
                    beside = words[y + dy, x + dx]
                    if beside == pixel:
                        continue
                    flat = False
                    if dy != 0 and dx != 0:
                        continue
                    r0, g0, b0 = channels(beside)
                    step = max(abs(r - r0), abs(g - g0), abs(b - b0))
                    hard = hard or step >= HARD or beside >> np.uint32(24) == 0
            out[row, x] = flat or hard


def spared(words: NDArray[np.uint32], rows: slice) -> NDArray[np.bool_]:
    """Where pixels of some rows lie in a flat area (all eight neighbours are equal) or at a hard edge.

    ``words``: the whole frame, shape (height, width), red lowest, alpha highest.
    """
    out = np.empty((rows.stop - rows.start, words.shape[1]), np.bool_)
    _spared(words, rows.start, out)
    return out
