"""Frames shifted, turned and scaled so that their subject stands still."""

from typing import Annotated, Literal

from pydantic import Field

from .part import Part, Place, Side


class Move(Part):
    """How one frame is moved: scaled and turned about its middle, then shifted."""

    x: float = Field(0.0, ge=-65536, le=65536, description="To the right, in pixels")
    y: float = Field(0.0, ge=-65536, le=65536, description="Down, in pixels")
    turn: float = Field(0.0, ge=-360, le=360, description="In degrees, clockwise")
    scale: float = Field(1.0, ge=0.1, le=10)

    @property
    def still(self) -> bool:
        """Whether it moves nothing."""
        return self == Move()


Moves = Annotated[dict[Place, Move], Field(description="By position; frames that are not named stay")]


class LineUp(Part):
    """Frames lined up on one of them."""

    anchor: Place = Field(description="The position of the frame that the others are lined up on")
    moves: Moves = Field(default_factory=dict)
    drawn_on: tuple[Side, Side] = Field(
        description="Width and height of the frames that the shifts are measured on"
    )
    cover: Literal["open", "enlarge"] = Field(
        "open",
        description="What was outside a moved frame stays open, or all are enlarged by the least that hides it",
    )
