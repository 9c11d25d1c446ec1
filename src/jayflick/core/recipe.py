"""The recipe: everything done to a project's untouched frames, as one typed document."""

import itertools
import re
from collections.abc import Iterable
from fractions import Fraction
from typing import Annotated, Literal, Self

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    field_serializer,
    field_validator,
    model_validator,
)

from .pictures.header import MAX_PIXELS
from .text import CleanText
from .timing.flicks import LONGEST, MAX_RATE

MAX_SIDE = 4096
"""The longest side of an output, in pixels."""
MAX_PLACES = 20_000
"""The most frames an order may have, and the most that one output plays."""
MAX_SPANS = 200

Flicks = Annotated[int, Field(ge=1, le=LONGEST, description="Time in 1/705,600,000 s")]
Colour = Annotated[str, AfterValidator(str.lower), Field(pattern=r"^#[0-9a-fA-F]{6}$", examples=["#262a2e"])]


class Part(BaseModel):
    """What all parts of a recipe share: frozen, and unknown keys are refused, so nothing is lost silently."""

    model_config = ConfigDict(frozen=True, extra="forbid", json_schema_serialization_defaults_required=True)


def _is_rate(value: str) -> str:
    if re.fullmatch(r"\d{1,9}(\.\d{1,6}|/[1-9]\d{0,8})?", value) and 0 < Fraction(value) <= MAX_RATE:
        return value
    raise ValueError(f"a rate is over 0 up to {MAX_RATE} frames a second: 24, 12.5 or 24000/1001")


Rate = Annotated[
    str,
    AfterValidator(_is_rate),
    Field(max_length=24, description="Frames a second: 24, 12.5 or 24000/1001", examples=["24000/1001"]),
]
Side = Annotated[int, Field(ge=1, le=1 << 16, description="In pixels")]
Direction = Literal["forward", "reverse", "there-and-back"]
Repeat = Annotated[int, Field(ge=0, le=65536, description="How often it plays: 0 for ever, 1 once")]
Place = Annotated[int, Field(ge=1, le=MAX_PLACES)]


class Span(Part):
    """A named run of frames. What it leaves open it has from the whole."""

    name: CleanText = Field(min_length=1, max_length=80, examples=["walk NE"])
    first: Place
    last: Place
    rate: Rate | None = Field(None, description="The rate of its frames, wherever they play")
    direction: Direction | None = Field(None, description="When it is played by itself")
    repeat: Repeat | None = Field(None, description="When it is played by itself")

    @model_validator(mode="after")
    def _runs_forward(self) -> Self:
        if self.first > self.last:
            raise ValueError(f"the first frame of the span {self.name} comes after its last")
        return self


def span_name(wanted: str, spans: Iterable[Span]) -> str:
    """A name for another span: the one that is wanted, with a number if it is taken."""
    taken = {span.name for span in spans}
    names = itertools.chain([wanted[:80]], (f"{wanted[:75]} {number}" for number in itertools.count(2)))
    return next(name for name in names if name not in taken)


class Rhythm(Part):
    """Order and time of the frames.

    Frames stand in places that count from 1: in the gathered order, or in one made by hand.
    """

    order: tuple[Annotated[int, Field(ge=0)], ...] | None = Field(
        None,
        min_length=1,
        max_length=MAX_PLACES,
        description="The order made by hand: which gathered frame stands in each place; 0 is an empty one",
    )
    rate: Rate = "24"
    delay: Flicks | None = Field(None, description="One delay for all frames, instead of the rate")
    holds: dict[Place, Flicks] = Field(
        default_factory=dict, description="Delays of single frames, by place; they win over rate and delay"
    )
    first: Place | None = Field(None, description="First place of the range")
    last: Place | None = Field(None, description="Last place of the range")
    spans: tuple[Span, ...] = Field((), max_length=MAX_SPANS)
    step: int = Field(1, ge=1, le=1000, description="Play every n-th frame of the range")
    thinned: Literal["faster", "same-time"] = Field(
        "faster",
        description="With a step: the time of the frames between goes with them, or to the frame before",
    )
    direction: Direction = "forward"
    dissolve: int = Field(
        0, ge=0, le=1000, description="How many frames at the end fade into as many at the beginning"
    )
    cycles: int = Field(
        1, ge=1, le=1000, description="How often the range stands in the file, one after the other"
    )
    speed: str = Field(
        "100", pattern=r"^\d{1,4}(\.\d{1,3})?$", description="In percent: 200 plays in half the time"
    )
    length: Flicks | None = Field(None, description="What it all lasts, instead of the speed")
    repeat: Repeat = 0

    @field_validator("speed")
    @classmethod
    def _moves(cls, value: str) -> str:
        if not 1 <= Fraction(value) <= 5000:
            raise ValueError("a speed is from 1 to 5000 percent")
        return value

    @field_validator("spans")
    @classmethod
    def _names_differ(cls, value: tuple[Span, ...]) -> tuple[Span, ...]:
        if len({span.name for span in value}) < len(value):
            raise ValueError("two spans have the same name")
        return value

    @model_validator(mode="after")
    def _range_runs_forward(self) -> Self:
        if self.first is not None and self.last is not None and self.first > self.last:
            raise ValueError("the first frame of the range comes after the last")
        return self


class Take(Part):
    """What of the rhythm an output takes, and the rate it plays at."""

    span: str | None = Field(None, max_length=80, description="Only this span; otherwise the range")
    rate: Rate | None = Field(
        None, description="Play at this rate in the same time: frames are dropped or shown longer"
    )
    between: Literal["hold", "blend"] = Field(
        "hold", description="At a rate of its own: the frame that is due, or a blend of it and the next"
    )


class Framing(Part):
    """What part of the picture is used, before outputs scale it."""

    crop: tuple[int, int, int, int] | None = Field(
        None, description="Left, top, width, height in source pixels"
    )

    @field_validator("crop")
    @classmethod
    def _has_area(cls, value: tuple[int, int, int, int] | None) -> tuple[int, int, int, int] | None:
        if value is not None and (value[0] < 0 or value[1] < 0 or value[2] < 1 or value[3] < 1):
            raise ValueError("a crop has a corner at 0 or more and an area")
        return value


class Size(Part):
    """An output's size. With one side given the other follows in proportion; with none it is the source's."""

    width: int | None = Field(None, ge=1, le=MAX_SIDE)
    height: int | None = Field(None, ge=1, le=MAX_SIDE)
    fit: Literal["contain", "cover", "stretch"] = Field(
        "contain",
        description="With both sides given: all of the picture, all of the canvas, or both, distorted",
    )


class Alpha(Part):
    """How soft edges become the one bit of alpha that a GIF holds."""

    edges: Literal["cutoff", "matte", "fill"] = Field(
        "cutoff",
        description="cutoff: a pixel is there or not. matte: soft edges lie over the page colour. "
        "fill: the page colour fills everything, nothing is transparent",
    )
    cutoff: int = Field(128, ge=1, le=255, description="The least alpha that is kept, for edges cut off")
    matte: Colour = Field("#ffffff", description="The page colour under soft edges")


class Tuning(Part):
    """What is spent on an output: colours, dither and how much may stay as it was."""

    colours: int = Field(256, ge=2, le=256)
    dither: Literal["none", "diffusion"] = "diffusion"
    amount: int = Field(60, ge=0, le=100, description="How much of the error is diffused, in percent")
    tolerance: int = Field(
        0,
        ge=0,
        le=100,
        description="How far a pixel may stay as it was: 0 exactly, 100 about 50 levels of 255",
    )


class Output(Part):
    """One file that leaves the project."""

    id: str = Field("page", pattern=r"^[a-z0-9-]{1,40}$")
    name: CleanText = Field("Page loop", min_length=1, max_length=80)
    file_name: CleanText = Field(
        "loop.gif", min_length=5, max_length=120, pattern=r"^[^/\\\x00-\x1f\x7f]+\.gif$"
    )
    format: Literal["gif"] = "gif"
    take: Take = Take()
    size: Size = Size()
    alpha: Alpha = Alpha()
    tuning: Tuning = Tuning()
    budget: int | None = Field(None, ge=1024, le=1 << 32, description="The most bytes it should have")


Positions = frozenset[Annotated[int, Field(ge=1)]]


class Gather(Part):
    """Which of the frames are used, and how what is wrong with the set is made good."""

    left_out: Positions = Field(
        frozenset(), description="Positions of frames that are not used; the others keep theirs"
    )
    folded: Positions = Field(
        frozenset(), description="Positions of frames that are not shown, their time going to the one before"
    )
    gaps: Literal["skip", "hold", "blend"] = Field(
        "skip",
        description="Missing numbers: played over, the frame before held as long as they would last, "
        "or blends of the frames around them in their stead",
    )
    sizes: Literal["same", "scale"] = Field(
        "same", description="Frames of another size than most: refused, or scaled to it"
    )
    size: tuple[Side, Side] | None = Field(
        None, description="Width and height that frames of another size are scaled to; otherwise those of most"
    )
    over: Colour | None = Field(
        None,
        description="The colour that is in the frames' soft edges and is taken out of them; black for frames "
        "whose colours were multiplied by their alpha",
    )

    @field_validator("size")
    @classmethod
    def _of_bounded_pixels(cls, size: tuple[int, int] | None) -> tuple[int, int] | None:
        if size is not None and size[0] * size[1] > MAX_PIXELS:
            raise ValueError(
                f"{size[0]} × {size[1]} is more than the {MAX_PIXELS // 10**6} million pixels allowed"
            )
        return size

    @field_serializer("left_out", "folded")
    def _in_order(self, value: frozenset[int]) -> list[int]:
        return sorted(value)


class Recipe(Part):
    """The whole document. The same recipe and frames always give the same bytes."""

    version: Literal[1] = 1
    gather: Gather = Gather()
    rhythm: Rhythm = Rhythm()
    framing: Framing = Framing()
    outputs: tuple[Output, ...] = Field((Output(),), min_length=1, max_length=20)

    @field_validator("outputs")
    @classmethod
    def _ids_differ(cls, value: tuple[Output, ...]) -> tuple[Output, ...]:
        if len({output.id for output in value}) < len(value):
            raise ValueError("two outputs have the same id")
        return value

    def output(self, output_id: str) -> Output:
        """The output with this id; ``KeyError`` if there is none."""
        for output in self.outputs:
            if output.id == output_id:
                return output
        raise KeyError(output_id)
