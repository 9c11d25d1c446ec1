"""Framed frames: cropped and scaled, decoded once for all that is made of them."""

import hashlib
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import astuple
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ..pictures.kinds import decoders
from ..progress import OnProgress, Progress
from ..recipe import Framing, Gather, Size
from ..stages import Stages, cache_key
from ..timing.shots import EMPTY, Shot
from .alpha import unmatte
from .mix import mix
from .scale import frame_picture, placement
from .size import Placement

FRAMING_VERSION = 4
READERS = 2
"""Frames decoded side by side."""


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


class PlayedFrames:
    """Frames cropped and scaled, their soft alpha kept, fetched one at a time in played order."""

    def __init__(self, framed: "Framed", shots: Sequence[Shot], stages: Stages) -> None:
        self._shots = shots
        self._framed = framed
        self._stages = stages
        positions = {position for shot in shots for position, _ in shot.parts if position != EMPTY}
        self._like = min(positions, default=1)
        self._positions = sorted(positions)

    def __len__(self) -> int:
        return len(self._shots)

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        """What is played as number ``index``, straight RGBA, shape (height, width, 4)."""
        return self._framed.shot(self._shots[index], like=self._like)

    @property
    def canvas(self) -> tuple[int, int]:
        """Width and height of the pictures."""
        return self._framed.canvas(self._like)

    def only(self, index: int) -> "PlayedFrames":
        """One of the pictures by itself."""
        return PlayedFrames(self._framed, [self._shots[index]], self._stages)

    @cached_property
    def names(self) -> list[str]:
        """What each picture is made of, in played order: equal names, equal pictures."""
        name = {position: self._framed.name(position) for position in self._positions}
        name[EMPTY] = "empty {} {}".format(*self.canvas)
        return ["+".join([f"{name[p]}x{w}" for p, w in shot.parts]) for shot in self._shots]

    @cached_property
    def firsts(self) -> list[int]:
        """For each picture the index of the first that is equal to it."""
        seen: dict[str, int] = {}
        return [seen.setdefault(name, index) for index, name in enumerate(self.names)]

    @property
    def empty(self) -> bool:
        """Whether there is nothing on any picture."""
        return not self._positions

    @property
    def opaque(self) -> bool:
        """Whether every pixel of every picture is sure to be opaque."""
        every = all(self._framed.opaque(position) for position in self._positions)
        return every and not any(EMPTY in dict(shot.parts) for shot in self._shots)

    @property
    def in_order_of_name(self) -> "PlayedFrames":
        """The same pictures in an order that does not depend on the one they are played in."""
        order = sorted(range(len(self)), key=self.names.__getitem__)
        return PlayedFrames(self._framed, [self._shots[i] for i in order], self._stages)

    @property
    def pixels(self) -> int:
        """How many pixels making them goes through: their own, and those of sources not framed yet."""
        width, height = self.canvas
        own = len(self) * width * height
        if not self._positions or self._stages.has("framing", self._framed.key(self._positions[0])):
            return own
        # Reading and scaling one takes about as long as coding three.
        return own + 3 * sum(self._framed.source_pixels(position) for position in self._positions)

    def prepare(self, on_progress: OnProgress) -> None:
        """Decode and frame all pictures that are not there yet, side by side."""
        wanted = [p for p in self._positions if not self._stages.has("framing", self._framed.key(p))]
        with ThreadPoolExecutor(READERS) as pool:
            try:
                for done, _ in enumerate(pool.map(self._prepare_one, wanted), 1):
                    on_progress(Progress("framing", done, len(wanted)))
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise

    def _prepare_one(self, position: int) -> None:
        self._framed.frame(position)


def usual_size(frames: Sequence[SourceFrame], gather: Gather) -> tuple[int, int] | None:
    """The size that frames of another are scaled to, if that is wished: one of its own or that of most."""
    if gather.sizes == "same" or not frames:
        return None
    if gather.size is not None:
        return gather.size
    sizes = Counter((frame.width, frame.height) for frame in frames)
    return max(sizes, key=lambda size: sizes[size])


class Framed:
    """Source frames cropped and scaled, straight RGBA, their soft alpha kept; each kept as a stage result."""

    def __init__(
        self,
        frames: Sequence[SourceFrame],
        framing: Framing,
        size: Size,
        stages: Stages,
        gather: Gather,
    ) -> None:
        """Frames of another size than most are first brought onto a canvas of it, if ``gather`` says so."""
        self._frames = frames
        self._framing = framing
        self._size = size
        self._stages = stages
        self._usual = usual_size(frames, gather)
        self._over = gather.over
        self._ways: dict[tuple[int, int, bool], str] = {}

    def _placed(self, width: int, height: int) -> Placement:
        return placement(self._framing, self._size, *(self._usual or (width, height)))

    def name(self, position: int) -> str:
        """What a framed picture is made of: its source and everything that is done to it, as it turns out.

        Settings that come to the same have the same name.
        """
        frame = self._frames[position - 1]
        kind = frame.width, frame.height, frame.transparent
        if kind not in self._ways:
            own = frame.width, frame.height
            scaled = self._usual if self._usual not in (None, own) else None
            over = self._over if frame.transparent else None
            crop = self._framing.crop_of(*(self._usual or own)) or (0, 0, *(self._usual or own))
            self._ways[kind] = cache_key(
                "framing", FRAMING_VERSION, decoders(), over, scaled, crop, astuple(self._placed(*own))
            )
        return f"{frame.sha256} {self._ways[kind]}"

    def key(self, position: int) -> str:
        """The stage key of a framed picture."""
        return hashlib.sha256(self.name(position).encode()).hexdigest()

    def canvas(self, position: int) -> tuple[int, int]:
        """Width and height of a framed picture."""
        frame = self._frames[position - 1]
        return self._placed(frame.width, frame.height).canvas

    def source_pixels(self, position: int) -> int:
        """How many pixels a frame has before it is framed."""
        frame = self._frames[position - 1]
        return frame.width * frame.height

    def opaque(self, position: int) -> bool:
        """Whether a framed picture is opaque throughout: its source is, and it covers the canvas."""
        frame = self._frames[position - 1]
        if self._usual is not None and self._usual != (frame.width, frame.height):
            return False  # it may lie on a canvas of another shape
        return not frame.transparent and self._placed(frame.width, frame.height).covers

    def frame(self, position: int) -> NDArray[np.uint8]:
        """One frame, shape (height, width, 4)."""
        frame, usual = self._frames[position - 1], self._usual

        def make() -> bytes:
            picture = frame.read()
            if self._over is not None:
                picture = unmatte(picture, self._over)
            if usual is not None and usual != (frame.width, frame.height):
                picture = frame_picture(picture, Framing(), Size(width=usual[0], height=usual[1]))
            return frame_picture(picture, self._framing, self._size).tobytes()

        data = self._stages.obtain("framing", self.key(position), make)
        # Writable, as other frames are: loops are compiled for each kind of array apart.
        width, height = self.canvas(position)
        return np.frombuffer(bytearray(data), np.uint8).reshape(height, width, 4)

    def shot(self, shot: Shot, *, like: int = 1) -> NDArray[np.uint8]:
        """What a shot shows, shape (height, width, 4). An empty one is as large as the frame ``like``."""
        if len(shot.parts) == 1 and shot.position != EMPTY:
            return self.frame(shot.position)
        shown = [(self.frame(position), weight) for position, weight in shot.parts if position != EMPTY]
        width, height = self.canvas(like)
        if shown:
            height, width = shown[0][0].shape[:2]
        return mix(shown, height, width)
