"""Order and time of the frames."""

import itertools
from collections.abc import Iterable
from fractions import Fraction
from typing import Annotated, Any, Literal, Self

from pydantic import Field, field_serializer, field_validator, model_validator

from ..text import CleanText
from .part import MAX_PLACES, Direction, Flicks, Part, Place, Rate, Repeat

MAX_SPANS = 200


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


class Between(Part):
    """Pictures made between frames, in the same time."""

    count: int = Field(ge=1, le=16, description="How many between two frames")
    by: Literal["blend", "motion"] = Field(
        "motion", description="Both show through each other, or what moves is between the two"
    )
    after: frozenset[Place] | None = Field(None, description="Only after these places; otherwise after each")

    @field_serializer("after")
    def _in_order(self, value: frozenset[int] | None) -> list[int] | None:
        return None if value is None else sorted(value)


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
    between: Between | None = None
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

    @property
    def untimed(self) -> bool:
        """Whether nobody has said how fast the frames play: the rate is the one every project begins with."""
        whole = self.delay is None and self.length is None and self.speed == "100" and not self.holds
        return whole and self.rate == "24" and all(span.rate is None for span in self.spans)

    @model_validator(mode="after")
    def _range_runs_forward(self) -> Self:
        if self.first is not None and self.last is not None and self.first > self.last:
            raise ValueError("the first frame of the range comes after the last")
        return self


class Take(Part):
    """What of the rhythm an output takes, and the rate it plays at."""

    spans: tuple[Annotated[str, Field(min_length=1, max_length=80)], ...] = Field(
        (),
        max_length=MAX_SPANS,
        description="Only these spans, one after the other, each in its own direction; otherwise the range",
    )
    first: Place | None = Field(None, description="First place of a range of its own, instead of the rhythm's")
    last: Place | None = Field(None, description="Last place of it")
    rate: Rate | None = Field(None, description="Play at this rate")
    keep: Literal["time", "frames"] = Field(
        "time",
        description="At a rate of its own: the time, so that frames are dropped or shown longer, or the "
        "frames, one by one, each for one tick; with a length of its own always the time",
    )
    between: Literal["hold", "blend", "motion"] = Field(
        "hold",
        description="At a rate of its own: the frame that is due, a blend of it and the next, or what moves "
        "between the two",
    )
    length: Flicks | None = Field(
        None, description="What it all lasts here, all frames scaled alike, instead of the rhythm's length"
    )
    repeat: Repeat | None = Field(None, description="How often it plays here, instead of the rhythm's")

    @model_validator(mode="before")
    @classmethod
    def _with_one_span(cls, data: Any) -> Any:
        """Recipes used to take one span at most."""
        if not isinstance(data, dict) or "span" not in data or "spans" in data:
            return data
        rest = {key: value for key, value in data.items() if key != "span"}
        return rest if not data["span"] else rest | {"spans": [data["span"]]}

    @model_validator(mode="after")
    def _range_runs_forward(self) -> Self:
        if self.first is not None and self.last is not None and self.first > self.last:
            raise ValueError("the first frame of an output's range comes after its last")
        if self.spans and (self.first is not None or self.last is not None):
            raise ValueError("an output takes spans or a range of its own, not both")
        if len(set(self.spans)) < len(self.spans):
            raise ValueError("an output takes each span once")
        return self
