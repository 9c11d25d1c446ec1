"""Clips as a device holds them: its own frames, trimmed to what they use, and smaller ones for its monitors."""

import os
import weakref
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal, Protocol

from PIL import Image

from .errors import Refusal
from .intake import Work
from .pictures import has_alpha, opened, premultiplied, read, smaller
from .scenes import Drawer, Size

Box = tuple[int, int, int, int]
"""Left, top, width and height."""
STEP = 4
"""Boxes of smaller frames begin and end at multiples of it: these are whole pixels of a monitor as well."""
PIXEL = 4
"""Bytes of a pixel in a device's memory."""


class Frames(Protocol):
    """Where the frames of a clip come from."""

    def frame(self, number: int, scale: float) -> tuple[Image.Image, tuple[int, int]]:
        """A frame, from 0, straight RGBA, and its left and top; both at a scale of the raster."""


@dataclass(frozen=True)
class Drawn:
    """Frames that are drawn when they are asked for, all in one box."""

    draw: Drawer
    box: Box

    def frame(self, number: int, scale: float) -> tuple[Image.Image, tuple[int, int]]:
        left, top, width, height = (round(side * scale) for side in self.box)
        return self.draw(number, (max(width, 1), max(height, 1))), (left, top)


@dataclass(frozen=True)
class Small:
    """Where a frame's smaller pixels lie: its box on the canvas, and where in the file they begin."""

    box: Box
    size: Size
    begin: int


class Kept:
    """Frames on disk: the files as they came, and the pixels of smaller ones in one file."""

    def __init__(self, files: Sequence[Path], smalls: Sequence[Small], scale: float, pixels: Path, place: Size):
        self._files = tuple(files)
        self._smalls = tuple(smalls)
        self._scale = scale
        self._place = place
        # Stays readable when the clip is thrown away while it is on air.
        self._pixels = os.open(pixels, os.O_RDONLY)
        weakref.finalize(self, os.close, self._pixels)

    def frame(self, number: int, scale: float) -> tuple[Image.Image, tuple[int, int]]:
        small = self._smalls[number]
        left, top, width, height = small.box
        at = round((self._place[0] + left) * scale), round((self._place[1] + top) * scale)
        if scale <= self._scale:
            length = small.size[0] * small.size[1] * PIXEL
            data = os.pread(self._pixels, length, small.begin)
            picture = Image.frombytes("RGBA", small.size, data)
            if scale == self._scale:
                return picture, at
        else:
            picture = read(self._files[number]).crop((left, top, left + width, top + height))
        return smaller(picture, (max(round(width * scale), 1), max(round(height * scale), 1))), at


@dataclass(frozen=True)
class Clip:
    """A clip in one of a device's places."""

    title: str
    count: int
    rate: float
    raster: Size
    box: Box
    """What its frames use of the raster."""
    frames: Frames
    once: bool = False
    """Whether it was made to play once and rest."""
    cut: int | None = None
    """The frame, from 1, at which the sources are cut; ``None``: its middle."""

    @property
    def bytes(self) -> int:
        """What it takes in memory: four bytes a pixel of what is used of each frame."""
        return self.count * self.box[2] * self.box[3] * PIXEL

    @property
    def own_mode(self) -> Literal["once", "loop"]:
        """How it was made to play."""
        return "once" if self.once else "loop"

    @property
    def cut_at(self) -> int:
        return self.cut or (self.count + 1) // 2

    def lay(self, picture: Image.Image, number: int, at: Size | None = None) -> None:
        """Lay frame ``number``, from 0, over an opaque RGBA picture of the whole raster, at any scale.

        Porter and Duff's *over*; ``at`` is another left and top than its own, on the raster.
        """
        scale = picture.width / self.raster[0]
        frame, (left, top) = self.frames.frame(number, scale)
        if at is not None:
            left += round((at[0] - self.box[0]) * scale)
            top += round((at[1] - self.box[1]) * scale)
        lay_over(picture, frame, (left, top))

    def cut_set(self, cut: int) -> "Clip":
        if not 1 <= cut <= self.count:
            raise Refusal(f"the clip has frames 1 to {self.count}", remedy="cut at one of them")
        return replace(self, cut=cut)


def lay_over(picture: Image.Image, frame: Image.Image, at: Size) -> None:
    """*over*, where part of the frame may hang out of the picture."""
    left, top = at
    box = (
        max(-left, 0),
        max(-top, 0),
        min(frame.width, picture.width - left),
        min(frame.height, picture.height - top),
    )
    if box[0] < box[2] and box[1] < box[3]:
        picture.alpha_composite(frame, (max(left, 0), max(top, 0)), box)


def keep_clip(
    files: Sequence[Path],
    raster: Size,
    folder: Path,
    work: Work,
    *,
    title: str,
    rate: float,
    whole: bool,
    place: Size = (0, 0),
    straight: bool = True,
    monitor: int = 960,
) -> Clip:
    """Check every picture of a set, and make it a clip.

    ``whole``: frames are of the raster's own size; otherwise they may be smaller, and lie at ``place``.
    ``straight``: they must hold alpha, not multiplied into their colours. ``monitor`` is the width of smaller
    frames. ``Refusal`` names the picture that is broken, of another size, or lacks its alpha.
    """
    boxes: list[Box] = []
    smalls: list[Small] = []
    looked: list[Image.Image] = []
    size: Size | None = None
    scale = min(monitor / raster[0], 1)
    pixels = folder / ".monitor"
    with pixels.open("wb") as out:
        for number, path in enumerate(files):
            with opened(path) as header:
                found, alpha = header.size, has_alpha(header)
            size = size or found
            require_size(path.name, found, size, raster, whole=whole)
            if straight and not alpha:
                raise Refusal("has no alpha channel", file=path.name, remedy="export it with straight alpha")
            picture = read(path)
            left, top, right, bottom = picture.getchannel("A").getbbox() or (0, 0, 0, 0)
            if right:
                boxes.append((left, top, right, bottom))
            left, top = left // STEP * STEP, top // STEP * STEP
            width, height = max(-(-(right - left) // STEP), 1) * STEP, max(-(-(bottom - top) // STEP), 1) * STEP
            part = smaller(
                picture.crop((left, top, left + width, top + height)),
                (max(round(width * scale), 1), max(round(height * scale), 1)),
            )
            smalls.append(Small((left, top, width, height), part.size, out.tell()))
            out.write(part.tobytes())
            if straight and number % max(len(files) // 6, 1) == 0:
                half = max(picture.width // 2, 1), max(picture.height // 2, 1)
                looked.append(picture.resize(half, Image.Resampling.NEAREST))
                if len(looked) == 6 and premultiplied(looked):
                    break
            work.step(len(files))
    if straight and premultiplied(looked):
        raise Refusal(
            "its alpha is premultiplied, so its edges would come out dark",
            file=files[0].name,
            remedy="export it with straight alpha",
        )
    if not boxes:
        raise Refusal("every frame is fully transparent", remedy="send frames that show something")
    left, top = min(box[0] for box in boxes), min(box[1] for box in boxes)
    right, bottom = max(box[2] for box in boxes), max(box[3] for box in boxes)
    used = place[0] + left, place[1] + top, right - left, bottom - top
    return Clip(title, len(files), rate, raster, used, Kept(files, smalls, scale, pixels, place))


def require_size(name: str, found: Size, first: Size, raster: Size, *, whole: bool) -> None:
    """``Refusal`` when a frame is not of the first one's size, or that does not go with the raster."""
    said = f"is {found[0]} × {found[1]}"
    if whole and found != raster:
        show = f"{raster[0]} × {raster[1]}"
        raise Refusal(f"{said}; the show runs at {show}", file=name, remedy=f"render it at {show}")
    if found != first:
        remedy = "render it at the size of the others"
        raise Refusal(f"{said}, the first is {first[0]} × {first[1]}", file=name, remedy=remedy)
    if found[0] > raster[0] or found[1] > raster[1]:
        said = f"{said}, larger than the raster of {raster[0]} × {raster[1]}"
        raise Refusal(said, file=name, remedy="scale it down, or crop it")
