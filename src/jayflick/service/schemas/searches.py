"""Documents of searches: the truest file of an output that fits a budget."""

from typing import Literal

from pydantic import Field

from ...core.tuning.budget import May
from .checks import SettingInfo
from .document import Document, Problem
from .likeness import Figures, StandsOut


class SearchRequest(Document):
    """A budget that an output is to fit."""

    output: str = Field(max_length=40)
    most: int = Field(ge=1, le=1 << 40, description="In bytes")
    may: list[May] | None = Field(
        None, max_length=20, description="What may change; none: all but size and rate"
    )


class TrialInfo(Document):
    """A real encoding of the output, measured."""

    id: int
    bytes: int
    error: float = Field(description="What is lost of the likeness: 1 - SSIM")
    likeness: Figures
    stands_out: StandsOut | None
    settings: list[SettingInfo] = Field(description="What is not the same in all trials, as it is in this one")


class SearchInfo(Document):
    """A search, and what it tried so far."""

    id: int
    output_id: str
    revision_id: int = Field(description="The revision that it began with")
    most: int
    may: list[May]
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    trials: list[TrialInfo] = Field(
        description="In the order they were made; the first is the output as it was"
    )
    best: int | None = Field(description="The truest trial that fits, so far; none if none does")
    nearest: int | None = Field(description="That, or else the smallest; none before there is any")
    error: Problem | None
