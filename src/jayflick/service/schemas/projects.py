"""Documents of projects, their revisions and their frames."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from ...core.recipe import Recipe
from ...core.sequence.flight import Flight
from ...core.text import CleanText
from .checks import CheckInfo
from .document import Document, Number, Position, Problem
from .imports import FrameInfo, Report
from .results import ResultInfo
from .sending import DeliveryInfo, HandoffInfo, KeptInfo


class BinnedProject(Document):
    """A project that was deleted and can be restored."""

    id: str
    name: str
    removed: datetime
    kept_until: datetime


class JobInfo(Document):
    id: int
    project_id: str
    revision_id: int
    output_id: str
    state: Literal["queued", "running", "done", "failed", "cancelled", "superseded"]
    stage: str
    done: int
    total: int
    error: Problem | None


class RevisionInfo(Document):
    id: int
    label: str
    created: datetime


class FrameSetInfo(Document):
    """A project's frames, and what gathering found in them. They never change."""

    frames: list[FrameInfo]
    report: Report


class ProjectCard(Document):
    """A project on the shelf."""

    id: str
    name: str
    changed: datetime
    frames: int
    width: int
    height: int
    first_picture: str | None = Field(description="SHA-256 of the first frame's file")
    notes: int = Field(description="How many things gathering has to say of them")
    missing: int = Field(description="How many numbers are missing")
    recipe: Recipe
    results: list[ResultInfo]
    checks: dict[str, CheckInfo] = Field(description="By output, of those that have a target and a result")


class ProjectInfo(ProjectCard):
    """A project on the bench."""

    revision: RevisionInfo
    undo: str | None = Field(description="What undo would take back")
    redo: str | None = Field(description="What redo would do again")
    jobs: list[JobInfo] = Field(description="The newest job of each output, for the revision that counts")
    frame_set: int = Field(description="Which of its sets of frames")
    handoffs: list[HandoffInfo] = Field(description="The last of each output")
    kept: list[KeptInfo] = Field(description="Outputs that are kept written in the hand-off folder")
    deliveries: list[DeliveryInfo] = Field(description="The last of each output to each place")
    archive_parts: int = Field(description="In how many files the project is taken away")


class Views(Document):
    """How pictures are cut into views that lie side by side on them."""

    base_revision: int
    across: int = Field(ge=1, le=100)
    down: int = Field(ge=1, le=100)
    gutter: int = Field(0, ge=0, le=4096, description="Pixels between two of them")
    order: Literal["rows", "columns"] = "rows"


class FlightRequest(Document):
    """A cut-out that moves over a backdrop."""

    base_revision: int
    cut_out: Position
    backdrop: Position | None = Field(None, description="The frame under it; otherwise nothing is")
    flight: Flight


class Renew(Document):
    import_id: str = Field(pattern="^[0-9a-f]{32}$")


class Renewed(Document):
    """What became of a project's frames when others were laid over them."""

    same: int = Field(description="Brought again as they were, whatever they are called now")
    replaced: int
    added: int
    old: int = Field(description="Not brought; they stay")
    changed: list[int] = Field(description="Positions of the frames that are not as they were")


class Join(Document):
    project_id: str = Field(pattern="^[0-9a-f]{32}$", description="Whose frames are put behind")


class Rename(Document):
    name: Annotated[CleanText, Field(min_length=1, max_length=200)]


class Split(Document):
    positions: list[int] = Field(min_length=1, max_length=3000, description="Of the frames, from 1")
    separate: bool = Field(False, description="They are separate pictures: each becomes a project of its own")


class Edit(Document):
    """A new recipe, made from the revision that the client showed."""

    base_revision: Number
    label: Annotated[CleanText, Field(min_length=1, max_length=120, examples=["Colours to 64"])]
    gesture: Annotated[
        str, Field(max_length=40, description="Edits that follow each other under one name are undone together")
    ] = ""
    chosen: Annotated[
        str, Field(max_length=40, description="The output that is looked at: it is made first")
    ] = ""
    recipe: Recipe


class ImportDone(Document):
    """The projects an import made, and the files that went into none."""

    projects: list[ProjectCard]
    ignored: list[Problem]
