"""Documents of imports: files that come, and what gathering found in them."""

from typing import Annotated, Literal

from pydantic import Field

from ...core.text import CleanText
from .document import MOST_LISTED, Document, Number, Problem, SizeName
from .plans import SettingsRequest


class FrameInfo(Document):
    position: int = Field(description="Counts from 1 in the gathered order")
    number: int | None = Field(description="The counter in its name")
    name: str
    sha256: str = Field(description="Of its file")
    width: int
    height: int
    label: str = Field(examples=["16-bit RGBA"])
    transparent: bool


class ReportProblem(Document):
    kind: Literal[
        "unreadable",
        "size",
        "missing",
        "repeated",
        "stride",
        "backwards",
        "identical",
        "turn",
        "cut",
        "black-rim",
        "white-rim",
        "converted",
    ]
    file: str
    message: str
    remedy: str
    positions: list[Number] = Field(
        [], description="The frames it is about, from 1 in the gathered order", max_length=MOST_LISTED
    )


class ReportPart(Document):
    """One of the sequences that were put together."""

    pattern: str
    labels: list[str]
    first: Number = Field(description="Position of its first frame")
    last: Number


class Report(Document):
    """What gathering found in one sequence."""

    name: str
    pattern: str = Field(examples=["dusk_lamp_#.png"])
    labels: list[str] = Field([], description="What tells it from the others: direction, motion")
    count: Number
    first: Number | None
    last: Number | None
    missing: list[Number] = Field(max_length=MOST_LISTED)
    repeated: list[Number] = Field(max_length=MOST_LISTED)
    sizes: dict[SizeName, Number] = Field(examples=[{"960x540": 48}], max_length=MOST_LISTED)
    files: list[str] = Field(max_length=MOST_LISTED)
    problems: list[ReportProblem] = Field(max_length=MOST_LISTED)
    parts: list[ReportPart] = Field(
        [], description="The sequences, when several were put together", max_length=MOST_LISTED
    )


class ImportStarted(Document):
    id: str


class ClipInfo(Document):
    """A clip that is there and waits until it is said what is taken of it."""

    sha256: str
    name: str
    count: int = Field(description="Frames it holds")
    width: int
    height: int
    duration_ms: float
    rate: float | None = Field(description="Frames a second, on the average")


class TakeClip(Document):
    """What is taken of a clip."""

    first: int = Field(1, ge=1, description="Frame, from 1")
    last: int | None = Field(None, ge=1)
    step: int = Field(1, ge=1, le=1000, description="Every n-th of them")


class FileTaken(Document):
    """How one file of an import fared."""

    name: str
    frames: int = Field(description="How many frames it brought: several when it is a clip or an archive")
    picture: str | None = Field(description="SHA-256 of the first of them")
    problem: Problem | None = Field(description="Why it brought none, or not all it holds")
    clip: ClipInfo | None = Field(None, description="It is a clip that waits until it is said what is taken")


class SequenceFound(Report):
    """A sequence among an import's files, and what it looks like."""

    pictures: list[str] = Field(description="Hashes of at most 12 of its frames, in order, evenly apart")


class ImportReport(Document):
    """What the files of an import make together."""

    sequences: list[SequenceFound] = Field(description="Longest first")
    ignored: list[Problem] = Field(description="Files that are in none of them")
    project: str | None = Field(
        None, description="The name of the project that came with its frames; finishing makes it again"
    )


class NewProject(Document):
    """Which of an import's sequences become one project."""

    patterns: list[str] = Field(min_length=1, max_length=3000, description="Of the sequences, in this order")
    name: Annotated[CleanText, Field(min_length=1, max_length=200)] | None = Field(
        None, description="What it is called; otherwise it is called after its sequences"
    )
    separate: bool = Field(False, description="They are separate pictures: each becomes a project of its own")

    @property
    def title(self) -> str | None:
        """What the project is called, if anything is said: separate pictures are called as they are."""
        return None if self.separate else self.name


class Choice(Document):
    """What is to become of an import's sequences; those not named are not brought in."""

    projects: list[NewProject] = Field(min_length=1, max_length=3000)
    like: SettingsRequest | None = Field(None, description="Settings that each of them begins with")
