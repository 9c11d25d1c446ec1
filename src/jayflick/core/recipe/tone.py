"""Brightness, contrast and colour of frames."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from .part import Part, Place, Positions

Percent = Annotated[int, Field(ge=-100, le=100)]


class Tone(Part):
    """How bright, how contrasty, how colourful. Applied in the order of its fields, to sRGB levels but for the
    exposure, which is of light."""

    exposure: float = Field(0.0, ge=-4, le=4, description="In stops: 1 doubles the light")
    black: int = Field(0, ge=0, le=254, description="The level that becomes 0")
    white: int = Field(255, ge=1, le=255, description="The level that becomes 255")
    gamma: float = Field(1.0, ge=0.2, le=5, description="Over 1 brightens the middle; black and white stay")
    contrast: Percent = Field(0, description="100 is four times the slope at middle grey, -100 a quarter")
    saturation: Percent = Field(0, description="-100 is grey, 100 twice as colourful")

    @model_validator(mode="after")
    def _white_above_black(self) -> Self:
        if self.black >= self.white:
            raise ValueError("the black level lies below the white one")
        return self

    @property
    def plain(self) -> bool:
        """Whether it changes nothing."""
        return self == Tone()


class ToneOfSome(Part):
    """A tone that some frames have instead of the one of all."""

    frames: Positions = Field(description="Their positions")
    tone: Tone


class Match(Part):
    """Frames brought to the tone of one of them, so that shots made seconds apart do not flicker."""

    to: Place = Field(description="The position of the frame that stays as it is")
    by: Literal["levels", "histogram"] = Field(
        "levels", description="The mean and the contrast of each channel, or its whole distribution"
    )
    frames: Positions | None = Field(None, description="Only these; otherwise all")
