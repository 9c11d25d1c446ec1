"""The colours that moving pictures show, and how much of them each is."""

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

MOST = 256
"""Colours that are told of, those that are used most."""


class Swatch(NamedTuple):
    """A colour."""

    colour: str
    """As #rrggbb."""
    share: float
    """Of all pixels that show a colour, over all pictures, 0 to 1."""


def swatches(pictures: Iterable[NDArray[np.uint8]]) -> list[Swatch]:
    """Of straight RGBA pictures of shape (height, width, 4), those that are used most first.

    A pixel that is clear shows none.
    """
    counts: dict[int, int] = {}
    for picture in pictures:
        rgb = picture[picture[:, :, 3] > 0][:, :3].astype(np.uint32)
        packed = rgb[:, 0] << 16 | rgb[:, 1] << 8 | rgb[:, 2]
        colours, numbers = np.unique(packed, return_counts=True)
        for colour, number in zip(colours.tolist(), numbers.tolist(), strict=True):
            counts[colour] = counts.get(colour, 0) + number
    whole = sum(counts.values())
    most = sorted(counts.items(), key=lambda one: (-one[1], one[0]))[:MOST]
    return [Swatch(f"#{colour:06x}", number / whole) for colour, number in most]
