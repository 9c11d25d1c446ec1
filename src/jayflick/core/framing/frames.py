"""Framed frames: lined up, toned, cropped and scaled, decoded once for all that is made of them."""

import hashlib
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import astuple, dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..pictures.kinds import decoders
from ..progress import OnProgress, Progress
from ..recipe import Framing, Gather, LineUp, Size, Tone
from ..stages import Stages, cache_key
from ..timing.shots import EMPTY, WHOLE, Shot
from .art import suited, whole_factor
from .between import Between, between
from .bleed import bled
from .edges import choked
from .mix import mix
from .moves import MOST_ENLARGED, Warp, covers, enlargement, warp_of, warped
from .prepared import Prepared, SourceFrame
from .resample import Filter
from .scale import frame_picture, placement
from .size import Placement, enlarged_by
from .tone import Curves, Levels, curves_of, matches, toned
from .trim import Box

FRAMING_VERSION = 5
READERS = 2
"""Frames decoded side by side."""


class PlayedFrames:
    """Framed frames, their soft alpha kept, fetched one at a time in played order."""

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

    @property
    def scaled_by(self) -> Filter | None:
        """The filter that the pictures are scaled by; ``None`` if they keep their size."""
        return self._framed.scaled_by(self._like)

    @property
    def source_size(self) -> tuple[int, int]:
        """Width and height of what is shown of the sources, before it is scaled."""
        return self._framed.cut(self._like)[0][2:]

    @property
    def enlarged(self) -> float | None:
        """By how much that is enlarged, if pixels are mixed for it."""
        return self._framed.enlarged(self._like)

    @property
    def notes(self) -> list[str]:
        """What a person should know of how they are scaled."""
        if self._framed.uneven(self._like):
            return ["pixels are of unlike sizes: nearest is even at whole factors only, such as 2 or 3 times"]
        return []

    @property
    def reads(self) -> set[int]:
        """The gathered frames whose files are read for them, at most: positions from 1."""
        return {*self._positions, *self._framed.telling}

    def position(self, index: int) -> int:
        """The gathered frame that picture ``index`` shows, or shows most of; 0 for an empty one."""
        return self._shots[index].position

    def only(self, index: int) -> "PlayedFrames":
        """One of the pictures by itself."""
        return PlayedFrames(self._framed, [self._shots[index]], self._stages)

    @cached_property
    def names(self) -> list[str]:
        """What each picture is made of, in played order: equal names, equal pictures."""
        name = {position: self._framed.name(position) for position in self._positions}
        name[EMPTY] = "empty {} {}".format(*self.canvas)
        return [
            ("~" if shot.motion else "+").join([f"{name[p]}x{w}" for p, w in shot.parts])
            for shot in self._shots
        ]

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
    def sample(self) -> "PlayedFrames":
        """A few of the pictures, neighbours among them, whatever the order and time they are played in."""
        there = {shot for shot in self._shots if shot.position != EMPTY}
        shots = sorted(there, key=lambda shot: (shot.position, str(shot)))
        quarters = {len(shots) // 4, len(shots) * 3 // 4}
        at = sorted({min(i + j, len(shots) - 1) for i in quarters for j in (0, 1)}) if shots else []
        return PlayedFrames(self._framed, [shots[i] for i in at], self._stages)

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


@dataclass(frozen=True)
class Treatment:
    """All that is done to a frame that is lined up, as it turns out: what changes nothing is not in it."""

    match: tuple[str, str] | None
    """The name of the frame whose tone it is brought to, and how."""
    tone: Tone | None
    crop: Box
    placement: Placement
    scaled_by: Filter | None
    choke: float
    bleed: bool


class Framed:
    """Source frames as outputs show them, straight RGBA, their soft alpha kept; each kept as a stage result."""

    def __init__(
        self,
        frames: Sequence[SourceFrame],
        framing: Framing,
        size: Size,
        stages: Stages,
        gather: Gather,
    ) -> None:
        """Frames of another size than most are first brought onto a canvas of it, if ``gather`` says so."""
        self.prepared = Prepared(frames, gather, stages)
        self._framing = framing
        self._size = size
        self._stages = stages
        self._own_tones = {position: some.tone for some in framing.tones for position in some.frames}
        # What is asked for each of thousands of frames at every change, kept by what it depends on.
        self._enlarged: dict[tuple[int, int], float] = {}
        self._warps: dict[int, Warp | None] = {}
        self._cuts: dict[tuple[int, int], tuple[Box, Placement]] = {}
        self._ways: dict[tuple[object, ...], str] = {}
        if framing.match is not None and framing.match.to > len(frames):
            raise InputError(
                f"there is no frame {framing.match.to} to match: there are {len(frames)}",
                remedy="match another frame",
            )

    @property
    def telling(self) -> set[int]:
        """The positions of frames that decide how others are framed."""
        match = self._framing.match
        return self.prepared.telling | ({match.to} if match is not None else set())

    def name(self, position: int) -> str:
        """What a framed picture is made of: its source and everything that is done to it.

        Settings that come to the same have the same name.
        """
        # All that treatments differ by from frame to frame, but for how each is moved.
        kind = (
            *(self.prepared.size(position), self.opaque(position)),
            *(self._alike(position), self._own_tones.get(position)),
        )
        if kind not in self._ways:
            treatment = _plain(self._treatment(position))
            self._ways[kind] = cache_key("framing", FRAMING_VERSION, decoders(), cv2.__version__, treatment)
        return f"{self.lined_up_name(position)} {self._ways[kind]}"

    def key(self, position: int) -> str:
        """The stage key of a framed picture."""
        return hashlib.sha256(self.name(position).encode()).hexdigest()

    def canvas(self, position: int) -> tuple[int, int]:
        """Width and height of a framed picture."""
        return self._placed(position).canvas

    def cut(self, position: int) -> tuple[Box, Placement]:
        """What of a frame is used, and where it lies on its canvas."""
        return self._cut(position)

    def source_pixels(self, position: int) -> int:
        """How many pixels a frame has before it is framed."""
        return self.prepared.source_pixels(position)

    def opaque(self, position: int) -> bool:
        """Whether a framed picture is sure to be opaque throughout."""
        warp = self._warp(position)
        whole = warp is None or covers(warp, self._crop(position), *self.prepared.size(position))
        return whole and self.prepared.opaque(position) and self._placed(position).covers

    def scaled_by(self, position: int) -> Filter | None:
        """The filter that a frame is scaled by; ``None`` if it keeps its size."""
        source, wanted = self._crop(position)[2:], self._placed(position).picture
        if source == wanted:
            return None
        how = self._size.resample
        return suited(self.prepared.art, source, wanted) if how == "auto" else how

    def enlarged(self, position: int) -> float | None:
        """By how much a frame is enlarged, if pixels are mixed for it."""
        mixed = self.scaled_by(position) not in (None, "nearest")
        return enlarged_by(self._size, *self._crop(position)[2:]) if mixed else None

    def uneven(self, position: int) -> bool:
        """Whether pixels of a frame that is scaled unmixed become unlike in size."""
        even = whole_factor(self._crop(position)[2:], self._placed(position).picture)
        return self.scaled_by(position) == "nearest" and not even

    def frame(self, position: int) -> NDArray[np.uint8]:
        """One frame, shape (height, width, 4)."""
        data = self._stages.obtain("framing", self.key(position), lambda: self._made(position).tobytes())
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
        if not shot.motion:
            return mix(shown, height, width)
        key = cache_key("between", 1, [[self.name(position), weight] for position, weight in shot.parts])
        data = self._stages.obtain("between", key, lambda: self.between(shot).picture.tobytes())
        return np.frombuffer(bytearray(data), np.uint8).reshape(height, width, 4)

    def between(self, shot: Shot) -> Between:
        """What moves between two frames, and where it is torn."""
        (one, _), (other, weight) = shot.parts
        first, second = self.frame(one), self.frame(other)
        if first.shape != second.shape:
            raise InputError(
                "frames of different sizes cannot be moved into each other", remedy="bring them to one size"
            )
        return between(first, second, weight / WHOLE)

    def lined_up(self, position: int) -> NDArray[np.uint8]:
        """One frame before it is toned, cropped and scaled, shape (height, width, 4)."""
        picture, warp = self.prepared.picture(position), self._warp(position)
        return picture if warp is None else warped(picture, warp)

    def lined_up_name(self, position: int) -> str:
        """What :meth:`lined_up` is made of: equal names, equal pictures."""
        warp = self._warp(position)
        name = self.prepared.name(position)
        return name if warp is None else f"{name} {','.join(map(str, warp))}"

    def levels(self, position: int, lined_up: NDArray[np.uint8] | None = None) -> Levels:
        """How often each level occurs in the part of a frame that is seen, before its tone is changed.

        ``lined_up``: its pixels, where they are there already.
        """
        crop = self._crop(position)
        key = cache_key("levels", 1, decoders(), self.lined_up_name(position), crop)

        def count() -> bytes:
            left, top, width, height = crop
            picture = self.lined_up(position) if lined_up is None else lined_up
            return Levels.of(np.ascontiguousarray(picture[top : top + height, left : left + width])).dump()

        return Levels.parse(self._stages.obtain("levels", key, count))

    def curves(self, position: int) -> Curves:
        """What becomes of each level of a frame, but for its saturation."""
        match = self._framing.match
        before = None
        if match is not None and matches(match, position):
            before = self.levels(position).matched(self.levels(match.to), match.by)
        return curves_of(self._framing.tone_of(position), before)

    def _made(self, position: int) -> NDArray[np.uint8]:
        todo = self._treatment(position)
        picture = self.lined_up(position)
        if todo.match is not None:
            self.levels(position, picture)  # before it is asked for without it
        if todo.match is not None or todo.tone is not None:
            saturation = todo.tone.saturation if todo.tone is not None else 0
            picture = toned(picture, self.curves(position), saturation)
        picture = frame_picture(picture, self._framing, self._size, todo.scaled_by or "area")
        picture = choked(picture, todo.choke)
        return bled(picture) if todo.bleed else picture

    def _treatment(self, position: int) -> Treatment:
        framing, soft = self._framing, not self.opaque(position)
        tone = framing.tone_of(position)
        return Treatment(
            self._alike(position),
            None if tone.plain else tone,
            self._crop(position),
            self._placed(position),
            self.scaled_by(position),
            framing.choke if soft else 0.0,
            framing.bleed and soft,
        )

    def _alike(self, position: int) -> tuple[str, str] | None:
        """The name of the picture whose tone a frame is brought to, and how; ``None`` for that one itself."""
        match = self._framing.match
        if match is None or not matches(match, position):
            return None
        name = f"{self.lined_up_name(match.to)} {self._crop(match.to)}"
        own = f"{self.lined_up_name(position)} {self._crop(position)}"
        return None if name == own else (name, match.by)

    def _cut(self, position: int) -> tuple[Box, Placement]:
        """What of a frame is used, and where it lies on its canvas."""
        size = self.prepared.size(position)
        if size not in self._cuts:
            crop = self._framing.crop_of(*size) or (0, 0, *size)
            self._cuts[size] = crop, placement(self._framing, self._size, *size)
        return self._cuts[size]

    def _crop(self, position: int) -> Box:
        return self._cut(position)[0]

    def _placed(self, position: int) -> Placement:
        return self._cut(position)[1]

    def _warp(self, position: int) -> Warp | None:
        """How a frame is moved, if it is."""
        line_up = self._framing.line_up
        if line_up is None:
            return None
        if position not in self._warps:
            size = self.prepared.size(position)
            if size not in self._enlarged:
                self._enlarged[size] = enlargement_of(line_up, *size)
            warp = warp_of(line_up, position, *size, self._enlarged[size])
            self._warps[position] = None if warp.whole == (0, 0) else warp
        return self._warps[position]


def enlargement_of(line_up: LineUp, width: int, height: int) -> float:
    """By how much frames of this size are enlarged so that no edge shows; ``InputError`` if that is no help."""
    if line_up.cover == "open":
        return 1.0
    most = enlargement(line_up, line_up.moves, width, height)
    if most > MOST_ENLARGED:
        raise InputError(
            "frames are moved so far that too little is left that all of them show",
            remedy="leave the edges open, or line up on another frame",
        )
    return most


def _plain(treatment: Treatment) -> list[object]:
    """A treatment as JSON holds it."""
    tone = treatment.tone.model_dump() if treatment.tone is not None else None
    return [
        *(treatment.match, tone, treatment.crop, astuple(treatment.placement)),
        *(treatment.scaled_by, treatment.choke, treatment.bleed),
    ]
