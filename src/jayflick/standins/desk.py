"""The documents of the vision desk: what it is told, and what it tells."""

from typing import Literal

from pydantic import Field

from ..delivery.protocol import Document

MEMORIES = 6
Source = Literal["A", "B"]
Mode = Literal["once", "loop", "there-and-back"]


class Show(Document):
    """What the show runs at."""

    width: Literal[1920, 1280] = 1920
    rate: Literal[60, 50] = 60
    pace: float = Field(1.0, ge=0, le=1000, description="Frames a second that are converted; 0: at once")


class CutAt(Document):
    frame: int = Field(ge=1)


class Mix(Document):
    frames: int = Field(25, ge=1, le=250)


class Play(Document):
    memory: int = Field(ge=1, le=MEMORIES)


class Overlay(Document):
    """What an overlay layer shows."""

    memory: int | None = Field(None, ge=1, le=MEMORIES)
    mode: Mode | None = Field(None, description="How it plays; none: as it was made to")
    left: int | None = Field(None, ge=-4096, le=4096, description="On the raster; none: as it was made")
    top: int | None = Field(None, ge=-4096, le=4096)


class MemoryInfo(Document):
    number: int
    title: str = ""
    frames: int = 0
    bytes: int = 0
    box: tuple[int, int, int, int] | None = None
    cut: int | None = None
    mode: Mode = Field("loop", description="How it was made to play")


class Desk(Document):
    """The whole desk as it is now."""

    show: Show
    at: int = Field(description="The frame that is on air")
    program: Source
    preview: Source
    moving: str = Field(description="What is under way: nothing, a mix or a clip's title")
    began: int | None = Field(None, description="The frame at which that began")
    overlays: tuple[Overlay, ...]
    memories: tuple[MemoryInfo, ...]
    memory_used: int
    memory_total: int
    source_titles: tuple[str, ...]
