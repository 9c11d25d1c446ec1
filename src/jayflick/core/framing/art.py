"""What kind of art a picture is, as far as it matters for scaling, and the filter that suits it."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from .resample import Filter

Art = Literal["pixels", "smooth"]
"""``pixels``: few colours, no soft edge, drawn pixel by pixel. ``smooth``: photographs, gradients, others."""
MOST_COLOURS = 64
"""The most colours of art that is drawn pixel by pixel (common practice, no published source)."""


def art_of(picture: NDArray[np.uint8]) -> Art | None:
    """The kind of a picture, straight RGBA, shape (height, width, 4); ``None`` when it tells nothing."""
    colours = _colours(np.ascontiguousarray(picture))
    if colours < 0:
        return "smooth"
    return "pixels" if colours > 1 else None


def suited(art: Art, source: tuple[int, int], wanted: tuple[int, int]) -> Filter:
    """The filter that suits art brought from one size, width and height, to another.

    Pixels stay pixels at whole factors; at others each gets its share, which keeps them sharp and as nearly of
    one size as can be. All else is averaged where it gets much smaller, and kept sharp where it does not.
    """
    if art == "pixels":
        return "nearest" if whole_factor(source, wanted) else "area"
    return "area" if wanted[0] * 2 <= source[0] and wanted[1] * 2 <= source[1] else "lanczos"


def whole_factor(source: tuple[int, int], wanted: tuple[int, int]) -> bool:
    """Whether every pixel becomes as many, in both directions."""
    return wanted[0] % source[0] == 0 and wanted[1] % source[1] == 0


@compiled
def _colours(picture: NDArray[np.uint8]) -> int:
    """How many colours are seen in it; -1 for more than are counted, or any soft alpha."""
    known = np.zeros(MOST_COLOURS, np.uint32)
    count = 0
    last = np.uint32(0)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            if picture[y, x, 3] == 0:
                continue
            if picture[y, x, 3] < 255:
                return -1
            red, green, blue = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            colour = (np.uint32(red) << 16) | (np.uint32(green) << 8) | np.uint32(blue)
            if count > 0 and colour == last:
                continue
            last = colour
            here = False
            for i in range(count):
                if known[i] == colour:
                    here = True
                    break
            if not here:
                if count == MOST_COLOURS:
                    return -1
                known[count] = colour
                count += 1
    return count
