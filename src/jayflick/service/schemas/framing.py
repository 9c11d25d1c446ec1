"""Documents of framing: what is used of frames, how they are lined up, and their levels."""

from typing import Literal

from pydantic import Field

from ...core.recipe import Crop, Framing, Move
from .document import Document, Position


class TrimInfo(Document):
    """What of the frames is used."""

    box: tuple[int, int, int, int] | None = Field(
        description="Left, top, width, height; none when that is all of them, or nothing"
    )
    width: int = Field(description="Of the frames")
    height: int


class LineUpRequest(Document):
    """Frames that are to be lined up on another."""

    anchor: int = Field(ge=1, description="The position of the frame that stays")
    positions: list[Position] = Field(min_length=1, max_length=48)
    free: Literal["shift", "turn", "scale"] = Field(
        "shift", description="What may be changed: the place, also the angle, also the size"
    )
    box: Crop | None = Field(None, description="Where the subject is on the anchor: only that counts")


class FoundMove(Document):
    """How a frame must be moved."""

    position: int
    move: Move | None = Field(description="None when there is nothing to line it up on")
    alike: float = Field(description="The correlation with the anchor then: 1 for equal pictures")


class SteadyInfo(Document):
    """What lined-up frames have in common."""

    common: tuple[int, int, int, int] | None = Field(description="Left, top, width, height that all cover")
    enlarged: float | None = Field(description="By how much all are enlarged so that no edge shows")


class LevelsRequest(Document):
    """Frames whose levels are asked for, and how they would be framed."""

    positions: list[Position] = Field(max_length=96)
    histogram: Position | None = Field(None, description="A frame whose histogram is asked for")
    framing: Framing = Framing()


class FrameLevels(Document):
    position: int
    before: float = Field(description="Mean luma (ITU-R BT.709), 0 to 255")
    after: float


class LevelsInfo(Document):
    """How bright frames are."""

    frames: list[FrameLevels]
    before: list[list[float]] | None = Field(
        description="Of red, green and blue, how large a share of the frame has each of 64 steps of levels"
    )
    after: list[list[float]] | None
