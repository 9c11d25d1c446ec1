"""What every format is made behind: one protocol, so that nothing else needs to know any format by name."""

import json
from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict, dataclass
from fractions import Fraction
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..framing.frames import PlayedFrames
from ..recipe import BaseOutput
from ..stages import Stages
from ..store import Store
from ..timing.held import FormatTiming
from ..timing.plan import Plan

O_contra = TypeVar("O_contra", bound=BaseOutput, contravariant=True)
Json = Any
"""Plain data that :mod:`json` writes."""


@dataclass(frozen=True)
class CodedFile:
    """A file in the store."""

    sha256: str
    size: int
    """In bytes."""
    media_type: str


@dataclass(frozen=True)
class Coded:
    """An output's pictures, coded. Their time is yet to be written, where the format has room for it."""

    key: str
    """Names the pictures: equal for two outputs that differ only in time."""
    files: tuple[CodedFile, ...]
    info: dict[str, Any]
    """What was measured on the files: width, height, count of pictures, colours (``None``: not counted),
    transparent."""
    costs: tuple[int, ...] = ()
    """The bytes that each played step takes; empty where a file does not tell."""
    at: tuple[int, ...] = ()
    """Which of its pictures each played step shows, where that does not depend on time."""
    time: Json = None
    """Where the time is to be written."""

    def dump(self) -> bytes:
        return json.dumps(asdict(self)).encode()

    @classmethod
    def parse(cls, data: bytes) -> "Coded":
        document = json.loads(data)
        files = tuple(CodedFile(**file) for file in document.pop("files"))
        costs, at = tuple(document.pop("costs")), tuple(document.pop("at"))
        return cls(files=files, costs=costs, at=at, **document)


@dataclass(frozen=True)
class File:
    """A file as it leaves: with its time, under its name."""

    name: str
    media_type: str
    size: int
    """In bytes."""
    read: Callable[[], bytes]


@dataclass(frozen=True)
class Timed:
    """Coded pictures that were given their time."""

    files: tuple[File, ...]
    at: tuple[int, ...]
    """Which of the pictures each played step shows."""
    duration: Fraction
    """What it all lasts once, in seconds, as the files say."""
    count: int
    """How many pictures there are."""
    repeat: int
    notes: tuple[str, ...] = ()
    """What a person should know of the files."""
    described: str = ""
    """Names what the files say beside their pictures and time, where they do."""
    steps: tuple[int, ...] = ()
    """Of a set, which played step each file shows."""


OnCoded = Callable[[bytes], None]
"""Told a file as far as it is coded, in order: how it begins, then frame after frame, each whole."""


@dataclass(frozen=True)
class Tools:
    """What a format works with."""

    stages: Stages
    begin: Callable[[str, int], Callable[[], None]]
    """Begin a part of the work, of so many steps; what it returns is called once a step and may raise."""
    on_coded: OnCoded | None = None

    @property
    def store(self) -> Store:
        """Where finished files go."""
        return self.stages.store

    def keep(self, data: bytes, media_type: str) -> CodedFile:
        """Put a file into the store."""
        return CodedFile(self.store.put(data), len(data), media_type)

    def coded(self, stage: str, key: str, make: Callable[[], Coded]) -> Coded:
        """Coded pictures: as they are kept if their files are still there, otherwise made."""
        found = kept(self.stages, stage, key)
        if found is not None:
            return found
        self.stages.drop(stage, key)
        return Coded.parse(self.stages.obtain(stage, key, lambda: make().dump()))


def kept(stages: Stages, stage: str, key: str) -> Coded | None:
    """Coded pictures that are kept, if their files are there as well."""
    data = stages.get(stage, key)
    if data is None:
        return None
    coded = Coded.parse(data)
    return coded if all(stages.store.keep(file.sha256) for file in coded.files) else None


class Format(Protocol[O_contra]):
    """A kind of file that outputs can be."""

    version: int
    """Raised when the same pictures and settings give other bytes than before."""
    effort: int
    """How much longer coding a pixel takes than that of a GIF, roughly."""

    def hold(self, plan: Plan, output: O_contra) -> FormatTiming:
        """The plan's durations in the format's own unit. ``InputError`` for what it cannot hold."""
        ...

    def inputs(self, frames: PlayedFrames, output: O_contra, held: FormatTiming) -> Json:
        """All that the coded pictures depend on besides what is shown, brought to what it comes to: settings
        that can alter no pixel are not in it. ``InputError`` for what the format cannot hold."""
        ...

    def encode(
        self, frames: PlayedFrames, output: O_contra, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
        """Code the pictures and measure the files. ``key`` names what goes in."""
        ...

    def timed(self, coded: Coded, held: FormatTiming, output: O_contra, store: Store) -> Timed:
        """The files with their time. Touches no pixel."""
        ...

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        """The pictures of the files as they are seen, straight RGBA, decoded anew."""
        ...
