"""What makes a transition cover: the least enlargement that does, and a colour put behind it for a while."""

from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..framing.art_box import Box
from ..recipe import Backing
from ..srgb import to_levels, to_linear

MOST_ENLARGED = 4
"""Art that has to be made larger than that to cover is another art."""


def covering_part(picture: NDArray[np.uint8]) -> Box | None:
    """The largest part of a picture, in the picture's own proportions, that is opaque throughout.

    Enlarged to the whole it covers, and nothing less enlarged does. Of several as large the one nearest to the
    middle. Its sides are whole pixels: its proportions are those of the whole within one pixel. ``None`` when
    it would have to be enlarged more than ``MOST_ENLARGED`` times.
    """
    height, width = picture.shape[:2]
    open_ = np.zeros((height + 1, width + 1), np.int32)
    np.cumsum(np.cumsum(picture[:, :, 3] < 255, axis=0, dtype=np.int32), axis=1, out=open_[1:, 1:])

    def found(across: int) -> Box | None:
        down = max(1, -(-across * height // width))  # rounded up: it must not show what lies beside it
        if down > height:
            return None
        holes = (
            open_[down:, across:] - open_[:-down, across:] - open_[down:, :-across] + open_[:-down, :-across]
        )
        tops, lefts = np.nonzero(holes == 0)
        if len(tops) == 0:
            return None
        far = np.abs(2 * lefts + across - width) + np.abs(2 * tops + down - height)
        best = int(np.argmin(far))
        return Box(int(lefts[best]), int(tops[best]), across, down)

    # A smaller part lies in every larger one, so the widest is found by halving.
    least, most = max(1, width // MOST_ENLARGED), width
    best = found(least)
    if best is None:
        return None
    while least < most:
        middle = (least + most + 1) // 2
        part = found(middle)
        if part is None:
            most = middle - 1
        else:
            best, least = part, middle
    return best


def source_part(part: Box, crop: Box, placed: Box) -> Box:
    """What of the frames shows in a part of an output's picture.

    ``crop``: what of the frames it shows; ``placed``: where on the picture that lies. Shrunk to whole pixels.
    """
    across, down = Fraction(crop.width, placed.width), Fraction(crop.height, placed.height)
    left = crop.left + (part.left - placed.left) * across
    top = crop.top + (part.top - placed.top) * down
    right, bottom = left + part.width * across, top + part.height * down
    whole_left, whole_top = -(-left // 1), -(-top // 1)
    width, height = int(right // 1 - whole_left), int(bottom // 1 - whole_top)
    return Box(int(whole_left), int(whole_top), max(1, width), max(1, height))


def mean_colour(picture: NDArray[np.uint8]) -> str:
    """The mean colour, in light, of a picture's opaque pixels, as ``#rrggbb``; black if there are none."""
    solid = picture[::4, ::4][picture[::4, ::4, 3] == 255][:, :3]
    if len(solid) == 0:
        return "#000000"
    mean = to_levels(to_linear(solid / 255.0).mean(axis=0))
    red, green, blue = (int(level) for level in np.rint(np.clip(mean, 0, 1) * 255))
    return f"#{red:02x}{green:02x}{blue:02x}"


def strength(backing: Backing, step: int) -> int:
    """How opaque the colour behind a played frame is, from 1, in levels of 255."""
    before, after = backing.first - step, step - backing.last
    away = max(before, after)
    if away <= 0:
        return 255
    return max(0, round(255 * (backing.fade + 1 - away) / (backing.fade + 1)))


def backed(picture: NDArray[np.uint8], colour: str, level: int) -> NDArray[np.uint8]:
    """A picture over a colour of an alpha, straight RGBA.

    The *over* of Porter and Duff, Compositing Digital Images (SIGGRAPH 1984), on levels, as switchers do it.
    """
    if level == 0:
        return picture
    alpha = picture[:, :, 3:].astype(np.uint32)
    behind = level * (255 - alpha)  # of 255 × 255
    whole = 255 * alpha + behind
    paint = np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)], np.uint32)
    result = np.empty_like(picture)
    weighed = picture[:, :, :3] * (255 * alpha) + paint * behind
    result[:, :, :3] = np.where(whole > 0, (weighed + whole // 2) // np.maximum(whole, 1), paint)
    result[:, :, 3] = (whole[:, :, 0] + 127) // 255
    return result
