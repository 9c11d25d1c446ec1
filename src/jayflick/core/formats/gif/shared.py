"""The one palette that all frames of a file share."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...palette.choose import Colour, choose_palette
from ...palette.histogram import EVERY, Counted, Histogram
from ...quality.visible import visibility
from .side_by_side import Frames, executor, threads_for

MOST_COLOURS = 255
ALL_PLACES = 256
LONG = 4_000_000
"""So many pixels of a sequence are enough to choose its palette; of longer ones every second to fourth row is
counted, another one in each frame."""


@dataclass(frozen=True)
class SharedPalette:
    """The palette that all frames of a file share, or that one of them has to itself."""

    colours: NDArray[np.uint8]
    """Shape (n, 3), at most 255: one index is left to mark what does not change; 256 where art of just so many
    colours, all of it opaque, is to be kept as it is."""
    lossless: bool
    """Whether it holds every colour of every frame."""
    transparent: bool
    """Whether any frame has a transparent pixel."""
    few: bool
    """Whether the frames hold few enough colours for each to be looked up exactly."""


def share_palette(
    frames: Frames,
    colours: int,
    *,
    matte: Colour | None = None,
    locked: Sequence[Colour] = (),
    weighed: bool = False,
    kept: bool = False,
    on_frame: Callable[[], None] = lambda: None,
) -> SharedPalette:
    """Choose the palette for all frames: :func:`count_colours`, then :func:`palette_of`."""
    counted = count_colours(frames, weighed=weighed, on_frame=on_frame)
    return palette_of(counted, colours, matte, locked, kept=kept)


def palette_of(
    counted: Counted,
    colours: int,
    matte: Colour | None = None,
    locked: Sequence[Colour] = (),
    *,
    kept: bool = False,
) -> SharedPalette:
    """The palette for frames whose colours were counted.

    ``matte``: the page colour, which it holds exactly if it occurs. ``locked``: colours that it holds exactly,
    no more than ``colours``. ``kept``: whether opaque art of just 256 colours gets all places, and no entry
    is left to mark what does not change.
    """
    found = counted.colours.astype(np.uint8)
    most = MOST_COLOURS
    if kept and counted.exact and not counted.transparent and len(_together(found, locked)) == ALL_PLACES:
        most = ALL_PLACES
    palette = choose_palette(counted, min(colours, most), matte, locked)
    if len(palette) == 0:
        palette = np.zeros((1, 3), np.uint8)  # wholly transparent art still needs a table
    lossless = counted.exact and len(_together(found, palette)) == len(palette)
    return SharedPalette(palette, lossless, counted.transparent, counted.exact)


def _together(found: NDArray[np.uint8], others: NDArray[np.uint8] | Sequence[Colour]) -> NDArray[np.uint8]:
    """Each colour once; shapes (n, 3)."""
    return np.unique(np.concatenate([found, np.array(others, np.uint8).reshape(-1, 3)]), axis=0)


def count_colours(
    frames: Frames, *, weighed: bool = False, on_frame: Callable[[], None] = lambda: None
) -> Counted:
    """The colours of all frames, counted side by side.

    ``weighed``: whether a pixel counts by how much an error would show there. ``on_frame`` is called once a
    frame and may raise to stop.
    """
    height, width = frames[0].shape[:2]
    step = min(max(len(frames) * height * width // LONG, 1), 4, len(frames))
    threads = threads_for(frames)

    def part(first: int) -> Histogram:
        histogram = Histogram.empty(weighed=weighed)
        for index in range(first, len(frames), threads):
            frame = frames[index]
            weights = visibility(frame) if weighed else None
            histogram.add(frame, weights, rows=slice(index % step, None, step) if step > 1 else EVERY)
            on_frame()
        return histogram

    with executor(frames, threads) as pool:
        parts = list(pool.map(part, range(threads)))
    total = parts[0]
    for other in parts[1:]:
        total.merge(other)
    return total.counted()
