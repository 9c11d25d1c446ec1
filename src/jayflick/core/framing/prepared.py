"""Frames as gathering leaves them: of one size, a rim's colour taken out."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ..pictures.kinds import decoders
from ..recipe import Cropping, Gather, Size
from ..stages import Stages, cache_key
from .alpha import unmatte
from .art import Art, art_of, suited
from .resample import Filter
from .scale import frame_picture


class SourceFrame(Protocol):
    """An untouched frame as it came."""

    @property
    def name(self) -> str: ...
    @property
    def sha256(self) -> str: ...
    @property
    def missing_after(self) -> int:
        """How many numbers are missing between it and the next of its sequence."""
        ...

    @property
    def width(self) -> int: ...
    @property
    def height(self) -> int: ...
    @property
    def transparent(self) -> bool:
        """Whether its file can hold pixels that are not opaque."""
        ...

    def read(self) -> NDArray[np.uint8]:
        """Decode to straight RGBA, shape (height, width, 4)."""
        ...


@dataclass(frozen=True)
class FrameFacts:
    """What is known of a frame without its pixels: what reads them adds how."""

    name: str
    sha256: str
    width: int
    height: int
    transparent: bool
    missing_after: int


def usual_size(frames: Sequence[SourceFrame], gather: Gather) -> tuple[int, int] | None:
    """The size that frames of another are scaled to, if that is wished: one of its own or that of most."""
    if gather.sizes == "same" or not frames:
        return None
    if gather.size is not None:
        return gather.size
    sizes = Counter((frame.width, frame.height) for frame in frames)
    return max(sizes, key=lambda size: sizes[size])


class Prepared:
    """Frames, positions from 1, as they are before they are lined up, toned, cropped and scaled."""

    def __init__(self, frames: Sequence[SourceFrame], gather: Gather, stages: Stages) -> None:
        self._frames = frames
        self._stages = stages
        self._usual = usual_size(frames, gather)
        self._over = gather.over
        self._clear = gather.clear

    def __len__(self) -> int:
        return len(self._frames)

    def size(self, position: int) -> tuple[int, int]:
        """Width and height."""
        frame = self._frames[position - 1]
        return self._usual or (frame.width, frame.height)

    def source_pixels(self, position: int) -> int:
        """How many pixels its file holds."""
        frame = self._frames[position - 1]
        return frame.width * frame.height

    def opaque(self, position: int) -> bool:
        """Whether it is sure to be opaque throughout."""
        frame = self._frames[position - 1]
        # One of another size may lie on a canvas of another shape.
        return not self._may_be_soft(position) and self.size(position) == (frame.width, frame.height)

    def name(self, position: int) -> str:
        """What it is made of, as it turns out: equal names, equal pictures."""
        frame = self._frames[position - 1]
        clear = position in self._clear
        over = self._over if frame.transparent and not clear else None
        by = self._by(position)
        if over is None and by is None and not clear:
            return frame.sha256
        scaled = None if by is None else [*self.size(position), by]
        return f"{frame.sha256} {cache_key('prepared', 1, over, scaled, *(['clear'] if clear else []))}"

    def picture(self, position: int) -> NDArray[np.uint8]:
        """Its pixels, straight RGBA, shape (height, width, 4)."""
        picture = self._frames[position - 1].read()
        if position in self._clear:
            picture[:, :, 3] = 0
        elif self._over is not None:
            picture = unmatte(picture, self._over)
        by = self._by(position)
        if by is not None:
            width, height = self.size(position)
            picture = frame_picture(picture, Cropping(), Size(width=width, height=height), by)
        return picture

    def _may_be_soft(self, position: int) -> bool:
        return self._frames[position - 1].transparent or position in self._clear

    def _by(self, position: int) -> Filter | None:
        """The filter it is brought to the size of the others by, if it has another."""
        frame = self._frames[position - 1]
        own = frame.width, frame.height
        return None if self.size(position) == own else suited(self.art, own, self.size(position))

    @property
    def telling(self) -> set[int]:
        """The positions of the frames that tell what kind of art they are."""
        count = len(self._frames)
        return {1, count // 2 + 1, count}

    @cached_property
    def art(self) -> Art:
        """What kind of art the frames are, told by the first, the middle and the last of them."""
        kinds = {self._art_of(self._frames[position - 1]) for position in self.telling}
        return "pixels" if "pixels" in kinds and "smooth" not in kinds else "smooth"

    def _art_of(self, frame: SourceFrame) -> str:
        key = cache_key("art", 1, decoders(), frame.sha256)
        return self._stages.obtain("art", key, lambda: (art_of(frame.read()) or "").encode()).decode()
