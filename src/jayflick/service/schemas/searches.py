"""Documents of trials: real encodings of an output, and searches that make them in the background."""

from datetime import datetime
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from ...core.recipe import Output
from ...core.text import CleanText
from ...core.tuning.budget import May
from .document import Document, Problem
from .likeness import Figures, StandsOut
from .results import OutputInfo

SearchKind = Literal["budget", "together", "spread", "formats", "one"]


class SearchRequest(Document):
    """What is to be tried of an output, in the background."""

    output: str = Field(max_length=40)
    kind: SearchKind = Field(
        "budget",
        description="budget: the truest file that fits; together: one budget for several outputs, shared out "
        "so that the worst of them is as true as can be; spread: others, where there are no trials yet; "
        "formats: the other formats that its target takes, about as like its frames; one: as it is set here",
    )
    outputs: list[Annotated[str, Field(max_length=40)]] | None = Field(
        None, min_length=1, max_length=20, description="The ids of those that share a budget"
    )
    as_set: Output | None = Field(None, description="The output as it might be, of the same id")
    most: int | None = Field(None, ge=1, le=1 << 40, description="The budget, in bytes")
    may: list[May] | None = Field(
        None, max_length=20, description="What may change; none: all but size and rate"
    )

    @model_validator(mode="after")
    def _has_a_budget(self) -> Self:
        if (self.kind in ("budget", "together")) != (self.most is not None):
            raise ValueError("most belongs to a search for a budget, and to no other")
        if (self.kind == "together") != (self.outputs is not None):
            raise ValueError("outputs belongs to a search for a budget together, and to no other")
        if (self.kind == "one") != (self.as_set is not None):
            raise ValueError("as_set belongs to a search of one, and to no other")
        if self.as_set is not None and self.as_set.id != self.output:
            raise ValueError("as_set is another output")
        return self


class TrialInfo(Document):
    """A real encoding of the output, measured or yet to be."""

    id: int
    output_id: str
    number: int = Field(description="Of the output, from 1")
    pixels: str = Field(description="Equal to that of a result whose pictures are the same")
    sources: str = Field(description="Equal to that of a result whose steps show the same pictures")
    format: str
    width: int
    height: int
    count: int
    bytes: int
    error: float | None = Field(description="What is lost of the likeness: 1 - SSIM; none until it is measured")
    likeness: Figures | None
    stands_out: StandsOut | None
    output: dict[str, Any] = Field(description="As it was set: a recipe's output without what names it")
    name: str
    note: str
    created: datetime


class TrialFile(Document):
    """What it takes to play a trial."""

    id: int
    key: str = Field(description="Names its file for caches: what is fetched with it never changes")
    pixels: str
    sources: str
    info: OutputInfo
    delays: list[float] = Field(description="Of each played frame, in ms")
    at: list[int] = Field(description="Which picture of the file each shows, from 0")


class TrialWords(Document):
    """What somebody says of a trial; what is left out stays."""

    name: Annotated[CleanText, Field(max_length=80)] | None = None
    note: Annotated[CleanText, Field(max_length=400)] | None = None


class SearchInfo(Document):
    """Trials that were asked for, and what came of it so far."""

    id: int
    kind: SearchKind
    output_id: str
    revision_id: int = Field(description="The revision that it began with")
    most: int | None = Field(description="The budget, in bytes")
    may: list[May]
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    trials: list[int] = Field(
        description="Their ids, in the order they were made; the first is the output as it was"
    )
    best: int | None = Field(description="The truest trial that fits the budget, so far; none if none does")
    nearest: int | None = Field(description="That, or else the smallest; none before there is any")
    outputs: list[str] | None = Field(description="The ids of those that share the budget")
    picks: list[TrialInfo] = Field(
        description="Of a budget together: one trial of each output, so far; none if they cannot fit"
    )
    error: Problem | None


class TrialsInfo(Document):
    """The trials of an output, the newest 200."""

    trials: list[TrialInfo] = Field(description="By their numbers")
    searches: list[SearchInfo] = Field(description="The newest of each kind, the newest first")
