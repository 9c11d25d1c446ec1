"""What all parts of a recipe share."""

import re
from fractions import Fraction
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, PlainSerializer

from ..errors import InputError
from ..timing.flicks import LONGEST, MAX_RATE
from ..typed import read_colour

MAX_SIDE = 4096
"""The longest side of an output, in pixels."""
MAX_PLACES = 20_000
"""The most frames an order may have, and the most that one output plays."""

Flicks = Annotated[int, Field(ge=1, le=LONGEST, description="Time in 1/705,600,000 s")]


def _whole_colour(value: object) -> object:
    """A short or bare colour written out; what is none is left for the pattern to refuse."""
    try:
        return read_colour(value) if isinstance(value, str) else value
    except InputError:
        return value


Colour = Annotated[str, BeforeValidator(_whole_colour), Field(pattern=r"^#[0-9a-f]{6}$", examples=["#262a2e"])]


class Part(BaseModel):
    """What all parts of a recipe share: frozen, and unknown keys are refused, so nothing is lost silently."""

    model_config = ConfigDict(
        frozen=True, extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True
    )


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
Positions = Annotated[frozenset[Annotated[int, Field(ge=1)]], PlainSerializer(sorted, list[int])]
