"""What part of the picture is used, how large it becomes, and what lies under it."""

from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from .line_up import LineUp
from .part import MAX_SIDE, Colour, Part, Side
from .tone import Match, Tone, ToneOfSome


def _has_area(crop: tuple[int, int, int, int]) -> tuple[int, int, int, int]:
    if crop[0] < 0 or crop[1] < 0 or crop[2] < 1 or crop[3] < 1:
        raise ValueError("a crop has a corner at 0 or more and an area")
    return crop


Crop = Annotated[
    tuple[int, int, int, int],
    AfterValidator(_has_area),
    Field(description="Left, top, width, height in source pixels"),
]


def _carried(at: int, side: int, drawn: int) -> int:
    """A place on a side of ``drawn`` pixels on one of ``side``, to the nearest pixel, halves up."""
    return (2 * at * side + drawn) // (2 * drawn)


class Cropping(Part):
    """What part of the picture is used, before outputs scale it."""

    crop: Crop | None = None
    drawn_on: tuple[Side, Side] | None = Field(
        None,
        description="Width and height of the frames that the crop was drawn on; on frames of another size "
        "it is the same part of the picture",
    )

    def crop_of(self, width: int, height: int) -> tuple[int, int, int, int] | None:
        """The crop on frames of this size."""
        if self.crop is None or self.drawn_on is None or self.drawn_on == (width, height):
            return self.crop
        (left, top, across, down), (drawn_across, drawn_down) = self.crop, self.drawn_on
        ends = [_carried(at, width, drawn_across) for at in (left, left + across)]
        rows = [_carried(at, height, drawn_down) for at in (top, top + down)]
        left, top = min(ends[0], width - 1), min(rows[0], height - 1)
        return left, top, max(1, min(ends[1], width) - left), max(1, min(rows[1], height) - top)


class Framing(Cropping):
    """What is done to the pictures of all outputs: lined up and matched, their tone, cropped, their edges."""

    line_up: LineUp | None = None
    match: Match | None = None
    tone: Tone = Tone()
    tones: tuple[ToneOfSome, ...] = Field((), max_length=200, description="Where frames have one of their own")
    choke: float = Field(
        0.0, ge=0, le=4, description="By how many pixels of the output soft edges are drawn in"
    )
    bleed: bool = Field(
        False, description="Spread the colours of the art under clear pixels, for what filters or compresses it"
    )

    @model_validator(mode="after")
    def _each_frame_has_one_tone(self) -> Self:
        named = [position for some in self.tones for position in some.frames]
        if len(set(named)) < len(named):
            raise ValueError("a frame has two tones of its own")
        return self

    def tone_of(self, position: int) -> Tone:
        """The tone of a frame: one of its own, or that of all."""
        return next((some.tone for some in self.tones if position in some.frames), self.tone)


Point = Literal[
    "centre", "top-left", "top", "top-right", "left", "right", "bottom-left", "bottom", "bottom-right"
]
Offset = Annotated[int, Field(ge=-(1 << 16), le=1 << 16, description="In pixels of the canvas")]


class PictureSize(Part):
    """How large a picture lies on its canvas: a share of its own size, or sides; of one the other follows."""

    percent: float | None = Field(None, ge=0.1, le=1000)
    width: int | None = Field(None, ge=1, le=MAX_SIDE)
    height: int | None = Field(None, ge=1, le=MAX_SIDE)

    @model_validator(mode="after")
    def _says_it_once(self) -> Self:
        sides = self.width is not None or self.height is not None
        if sides == (self.percent is not None):
            raise ValueError("a picture on its canvas has a percentage, or a width, a height or both")
        return self


class Size(Part):
    """An output's size. With one side given the other follows in proportion; with none it is the source's."""

    width: int | None = Field(None, ge=1, le=MAX_SIDE)
    height: int | None = Field(None, ge=1, le=MAX_SIDE)
    fit: Literal["contain", "cover", "stretch", "scale-down", "inside", "place"] = Field(
        "contain",
        description="With both sides given: all of the picture on the canvas, all of the canvas, or both, "
        "distorted. scale-down: as contain, but never enlarged. inside: as large as lies within the sides, "
        "never enlarged, nothing around it. place: on the canvas at its own size, or at that of picture",
    )
    picture: PictureSize | None = Field(
        None, description="With place: how large the picture lies on the canvas; otherwise its own size"
    )
    at: Point | tuple[Offset, Offset] = Field(
        "centre",
        description="Where the picture lies on a canvas of another shape: one of nine points, or left and top",
    )
    resample: Literal["auto", "area", "lanczos", "nearest"] = Field(
        "auto",
        description="How pixels are made of others: what suits the art; the mean of what each covers; sharper; "
        "the nearest, unmixed, for art that is drawn pixel by pixel",
    )


class Alpha(Part):
    """How soft edges become the one bit of alpha that a GIF holds."""

    edges: Literal["cutoff", "dither", "matte", "fill"] = Field(
        "cutoff",
        description="cutoff: a pixel is there or not. dither: soft edges become a dot "
        "pattern. matte: soft edges lie over the page colour. "
        "fill: the page colour fills everything, nothing is transparent",
    )
    cutoff: int = Field(128, ge=1, le=255, description="The least alpha that is kept, for edges cut off")
    matte: Colour = Field("#ffffff", description="The page colour under soft edges")

    @property
    def over_page(self) -> bool:
        """Whether soft edges lie over the page colour."""
        return self.edges in ("matte", "fill")
