"""Files that hold many pictures: animated ones, clips and multi-page ones, taken apart into frames.

Sources: GIF89a, section 23; WebP container specification, Animation.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..content import Content
from ..errors import InputError
from ..formats.gif.reader import read_gif
from ..timing.flicks import HUNDREDTH, MILLISECOND
from . import clip, gif, png, usual
from .apng import open_apng

MAX_PICTURES = 3000
"""The most pictures one file is taken apart into."""


@dataclass(frozen=True)
class Moving:
    """The pictures of one file, as they are seen, one after the other."""

    durations: tuple[int, ...] | None
    """How long each is shown, in flicks; ``None`` when the file does not say."""
    repeat: int | None
    """How often it plays: 0 for ever; ``None`` when the file does not say."""
    pictures: Iterator[NDArray[np.uint8]]
    """Straight RGBA, shape (height, width, 4), all of one size. May raise anything when the file is broken."""
    remarks: Sequence[str] = ()
    """What was wrong with pictures that came so far."""


def open_clip(data: Content, name: str, cut: clip.Cut) -> Moving:
    """Open a clip; ``cut``: what is taken of it. Raises ``InputError``."""
    times = clip.durations(data, name, MAX_PICTURES, cut)
    return Moving(times, None, clip.pictures(data, name, cut))


def open_moving(data: bytes, name: str) -> Moving:
    """Open a picture file of several pictures. Raises ``InputError``."""
    if gif.knows(data, name):
        read = read_gif(data, name=name, forgiving=True)
        # Viewers play 0 and 1 as about 10 (common practice, no published source): that is what was seen.
        delays = tuple((frame.delay if frame.delay > 1 else 10) * HUNDREDTH for frame in read.frames)
        return _checked(Moving(delays, read.repeat, read.pictures(name=name), read.remarks), name)
    if png.knows(data, name):
        return _checked(_apng(data, name), name)
    return _checked(_pages(data, name), name)


def _checked(moving: Moving, name: str) -> Moving:
    if moving.durations is not None and len(moving.durations) > MAX_PICTURES:
        raise InputError(
            f"holds {len(moving.durations)} pictures; the limit is {MAX_PICTURES}",
            file=name,
            remedy="split it into parts first",
        )
    return moving


def _apng(data: bytes, name: str) -> Moving:
    """An APNG; the still picture before the animation, when it is not part of it, is not played."""
    read = open_apng(data, name)
    return Moving(read.delays, read.repeat, read.pictures())


def _pages(data: bytes, name: str) -> Moving:
    """Animated WebP and AVIF; multi-page TIFF, which has no time."""
    with usual.open_image(data, name) as image:
        count = int(getattr(image, "n_frames", 1))
        kind = image.format
        repeat = image.info.get("loop")
    if count > MAX_PICTURES:
        raise InputError(
            f"holds {count} pictures; the limit is {MAX_PICTURES}",
            file=name,
            remedy="split it into parts first",
        )
    if kind == "TIFF":
        return Moving(None, None, (usual.decode_page(data, page, name) for page in range(count)))
    durations = []
    with usual.open_image(data, name) as image:
        for index in range(count):
            image.seek(index)
            image.load()
            durations.append(round(image.info.get("duration", 0)) * MILLISECOND)

    def pictures() -> Iterator[NDArray[np.uint8]]:
        with usual.open_image(data, name) as image:
            for index in range(count):
                image.seek(index)
                yield np.array(image.convert("RGBA"))

    return Moving(tuple(durations), repeat if isinstance(repeat, int) else 0, pictures())
