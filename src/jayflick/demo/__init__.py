"""The Saltmarsh Ferry: frames drawn by code, the same bytes at every run."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from io import BytesIO
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..core.recipe import Alpha, FramesOutput, GifOutput, Recipe, Rhythm, Size, Take, Tuning, bytes_target
from ..core.targets.catalogue import find
from .buoy import draw_by_hand, draw_lenses
from .flock import DIRECTIONS, MOTIONS, draw_from_above
from .gull import COUNT, draw_gull
from .kite import draw_kite
from .lamp import draw_lamp
from .pier import draw_pier
from .tern import draw_tern
from .wake import draw_wake

Drawn = NDArray[np.uint8]


@dataclass(frozen=True)
class DemoProject:
    """Files as somebody might bring them, drawn when asked for, and the recipe their project starts with."""

    title: str
    folder: str
    files: Sequence[tuple[str, Callable[[], bytes]]]
    """Names and what makes their bytes. Unpadded numbers on purpose: order is by number."""
    recipe: Recipe | None = None
    """``None``: what any new project starts with."""


def png(picture: Drawn) -> bytes:
    """A picture, shape (height, width, 3 or 4), as a PNG file."""
    out = BytesIO()
    Image.fromarray(picture).save(out, "PNG", compress_level=6)
    return out.getvalue()


def _frame(draw: Callable[[int, int], Drawn], index: int, count: int) -> bytes:
    return png(draw(index, count))


def _loop(stem: str, count: int, draw: Callable[[int, int], Drawn]) -> list[tuple[str, Callable[[], bytes]]]:
    return [(f"{stem}_{index + 1}.png", partial(_frame, draw, index, count)) for index in range(count)]


def _cut_short(draw: Callable[[int, int], Drawn], index: int, count: int) -> bytes:
    whole = _frame(draw, index, count)
    return whole[: len(whole) // 3]


def _larger(draw: Callable[[int, int], Drawn], index: int, count: int) -> bytes:
    picture = Image.fromarray(draw(index, count))
    return png(np.array(picture.resize((picture.width * 2, picture.height * 2), Image.Resampling.BICUBIC)))


def _messy() -> list[tuple[str, Callable[[], bytes]]]:
    """A folder as it comes: 7 and 12 not there, 15 broken off, 4 of another size, the last is the first."""
    count = 20
    special = {4: _larger, 15: _cut_short}
    numbers = [number for number in range(1, count + 2) if number not in (7, 12)]
    return [
        (f"kite_{number}.png", partial(special.get(number, _frame), draw_kite, number - 1, count))
        for number in numbers
    ]


def _lenses() -> bytes:
    return png(draw_lenses())


def _bird(direction: str, motion: str, index: int) -> bytes:
    return png(draw_from_above(direction, motion, index))


def _flock() -> list[tuple[str, Callable[[], bytes]]]:
    return [
        (f"tern-{direction}-{motion}-{index + 1}.png", partial(_bird, direction, motion, index))
        for motion, count in MOTIONS.items()
        for direction in DIRECTIONS
        for index in range(count)
    ]


def clip(count: int = 36, rate: int = 24) -> bytes:
    """A short silent MP4 of the ferry's wake."""
    import av

    out = BytesIO()
    with av.open(out, "w", format="mp4") as container:
        # One thread, and no name of the coder in the file: the same bytes whatever the machine.
        stream: Any = container.add_stream("libx264", rate=rate, options={"threads": "1", "crf": "16"})
        stream.width, stream.height, stream.pix_fmt = 640, 360, "yuv420p"
        stream.codec_context.flags |= av.codec.context.Flags.bitexact
        for index in range(count):
            frame = av.VideoFrame.from_ndarray(draw_wake(index, count), format="rgb24")
            frame.pts, frame.time_base = index, Fraction(1, rate)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return out.getvalue()


DEMO = (
    DemoProject(
        "Gull across",
        "gull",
        _loop("gull", COUNT, draw_gull),
        Recipe(
            rhythm=Rhythm(rate="60"),
            outputs=(
                FramesOutput(
                    name="Switcher transition",
                    file_name="gull.zip",
                    names="gull_####",
                    take=Take(repeat=1),
                    target=find("switcher-transition"),
                ),
            ),
        ),
    ),
    DemoProject("Three lenses", "lenses", [("buoy-three-lenses.png", _lenses)]),
    DemoProject("Buoy by hand", "by_hand", _loop("by_hand", 24, draw_by_hand)),
    DemoProject("Terns from above", "terns", _flock()),
    DemoProject(
        "Wake",
        "wake",
        [("wake.mp4", clip)],
        Recipe(
            rhythm=Rhythm(rate="24"),
            outputs=(
                GifOutput(
                    file_name="wake.gif",
                    size=Size(width=400),
                    tuning=Tuning(colours=64, dither="diffusion", amount=40, tolerance=16),
                    target=bytes_target(1024 * 1024),
                ),
            ),
        ),
    ),
    DemoProject(
        "Pier bell",
        "pier",
        _loop("pier", 60, draw_pier),
        Recipe(
            rhythm=Rhythm(rate="60"),
            outputs=(
                GifOutput(
                    file_name="pier-bell.gif",
                    tuning=Tuning(colours=96, dither="none"),
                    target=bytes_target(1024 * 1024),
                ),
            ),
        ),
    ),
    DemoProject("Kite over the pier", "kite", _messy()),
    DemoProject(
        "Tern in flight",
        "tern",
        _loop("tern", 24, draw_tern),
        Recipe(
            rhythm=Rhythm(rate="24"),
            outputs=(
                GifOutput(
                    file_name="tern.gif",
                    alpha=Alpha(edges="matte", matte="#a9c4d4"),
                    tuning=Tuning(colours=64, dither="none"),
                    target=bytes_target(256 * 1024),
                ),
            ),
        ),
    ),
    DemoProject(
        "Dusk lamp",
        "dusk_lamp",
        _loop("dusk_lamp", 48, draw_lamp),
        Recipe(
            rhythm=Rhythm(rate="20"),
            outputs=(
                GifOutput(
                    file_name="dusk-lamp.gif",
                    size=Size(width=580),
                    tuning=Tuning(colours=128, dither="diffusion", amount=60, tolerance=8),
                    target=bytes_target(2048 * 1024),
                ),
            ),
        ),
    ),
)
"""The last one is on the shelf first."""
