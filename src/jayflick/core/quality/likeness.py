"""How like a picture is to what it was made of, and of many where they are worst.

Sources: PSNR as usual, 10 log10(255² / mean squared error), over all three channels; SSIM, see :mod:`.ssim`;
what else eyes complain of, see :mod:`.blemishes`.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from .blemishes import TILE, Blemishes, blemishes
from .ssim import WINDOW, ssim

Blemish = Literal["bands", "crawling", "edges", "hue"]
Place = tuple[int, int]
"""Left and top of a tile, in pixels."""
Places = dict[Blemish, Place]
"""Where bands, crawling and edges are worst in a picture."""

STANDS_OUT: dict[Blemish, float] = {"bands": 1.75, "crawling": 0.01, "edges": 10.0, "hue": 2.3}
"""From where each is taken to stand out: ours, by eye, but for hue, of which 2.3 units are commonly taken for a
just noticeable difference (common practice, no published source at hand)."""


@dataclass(frozen=True)
class Likeness:
    """Of one picture, or of many together."""

    error: float
    """Mean squared error over the three channels, in levels."""
    ssim: float | None
    """``None`` for pictures of under 7 × 7 pixels."""
    bands: float | None
    crawling: float | None
    """Since the picture before; ``None`` for the first, and where nothing stands still."""
    edges: float | None
    hue: float

    @property
    def psnr(self) -> float | None:
        """In dB; ``None`` when nothing differs."""
        return 10 * math.log10(255**2 / self.error) if self.error > 0 else None

    def figure(self, name: Blemish) -> float:
        value = {"bands": self.bands, "crawling": self.crawling, "edges": self.edges, "hue": self.hue}[name]
        return 0.0 if value is None else value


@compiled
def _squares(source: NDArray[np.uint8], shown: NDArray[np.uint8]) -> int:
    """The sum of all squared differences."""
    total = np.int64(0)
    for y in range(source.shape[0]):
        for x in range(source.shape[1]):
            for c in range(source.shape[2]):
                off = np.int64(source[y, x, c]) - np.int64(shown[y, x, c])
                total += off * off
    return int(total)


def likeness(
    source: NDArray[np.uint8],
    shown: NDArray[np.uint8],
    before: tuple[NDArray[np.uint8], NDArray[np.uint8]] | None = None,
) -> tuple[Likeness, Places]:
    """Of ``shown`` to ``source``, both of shape (height, width, 3), and where what stands out lies.

    ``before``: what both were when the picture before was shown.
    """
    error = _squares(np.ascontiguousarray(source), np.ascontiguousarray(shown)) / source.size
    alike = ssim(source, shown) if min(source.shape[:2]) >= WINDOW else None
    found = blemishes(source, shown, before)
    return Likeness(error, alike, found.bands, found.crawling, found.edges, found.hue), _places(found)


def together(parts: Sequence[Likeness]) -> Likeness:
    """Of many pictures: means, of bands, edges and hue those of their squares."""
    return Likeness(
        error=fmean(part.error for part in parts),
        ssim=_mean([part.ssim for part in parts]),
        bands=_root_mean_square([part.bands for part in parts]),
        crawling=_mean([part.crawling for part in parts]),
        edges=_root_mean_square([part.edges for part in parts]),
        hue=_root_mean_square([part.hue for part in parts]) or 0.0,
    )


def _mean(values: Sequence[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return fmean(known) if known else None


def _root_mean_square(values: Sequence[float | None]) -> float | None:
    mean = _mean([None if value is None else value * value for value in values])
    return None if mean is None else math.sqrt(mean)


@dataclass(frozen=True)
class Worst:
    """What stands out most, in which pictures, from 0, and in the worst of them where."""

    blemish: Blemish
    figure: float
    first: int
    last: int
    at: int
    place: Place | None
    """``None`` for hue, which is looked at as a whole."""


def worst(parts: Sequence[Likeness], places: Sequence[Places]) -> Worst | None:
    """What stands out most of some pictures in their order; ``None`` where nothing does."""
    at, name = max(
        ((at, name) for at in range(len(parts)) for name in get_args(Blemish)),
        key=lambda one: (parts[one[0]].figure(one[1]) / STANDS_OUT[one[1]], -one[0]),
    )
    limit = STANDS_OUT[name]
    if parts[at].figure(name) < limit:
        return None
    first = last = at
    while first > 0 and parts[first - 1].figure(name) >= limit:
        first -= 1
    while last + 1 < len(parts) and parts[last + 1].figure(name) >= limit:
        last += 1
    return Worst(name, parts[at].figure(name), first, last, at, places[at].get(name))


def _places(found: Blemishes) -> Places:
    names: tuple[Literal["bands", "crawling", "edges"], ...] = ("bands", "crawling", "edges")
    result: Places = {}
    for name in names:
        row, column = found.where(name)
        result[name] = column * TILE, row * TILE
    return result
