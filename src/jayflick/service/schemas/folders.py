"""Documents about folders of this machine, and about where a project's frames lie."""

from datetime import datetime
from typing import Literal

from pydantic import Field

from .document import Document, Problem
from .imports import FileTaken


class FolderSequence(Document):
    """Files of a folder that belong together, as their names tell."""

    pattern: str = Field(examples=["dusk_lamp_#.png"])
    kind: Literal["frames", "clip", "archive"] = Field(description="By the ending; nothing is read for it")
    count: int
    first: int | None = Field(description="The lowest number")
    last: int | None
    missing: int = Field(description="Numbers between them that have no file")
    bytes: int
    written: float = Field(description="When the newest was last written, in seconds since 1970")
    width: int | None = Field(description="Of the first of them; of the first 60 sequences")
    height: int | None


class FolderInfo(Document):
    """What is in a folder, without what is hidden and what leads outside."""

    root: str = Field(description="The name of the folder that may be read")
    path: str = Field(description="Of this one in it; empty for itself")
    folders: list[str]
    sequences: list[FolderSequence] = Field(description="By name")
    others: int = Field(description="Files that are none of frames, by their endings")
    more: bool = Field(description="There are more than 100,000 names; these are of the first")


class Folder(Document):
    root: str = Field(max_length=4096, description="The name of a folder that may be read")
    path: str = Field("", max_length=4096, description="Of a folder in it, with / between names")


class OpenInPlace(Folder):
    """Files that are opened where they lie; without sequences and folders all in this one, and below."""

    sequences: list[str] = Field([], max_length=3000, description="Patterns, as the folder lists them")
    folders: list[str] = Field([], max_length=3000, description="Of this folder, with all below them")


class OpenedInPlace(Document):
    folder: str = Field(description="What the folder is called that all of it lies in")
    files: list[FileTaken]


class SourceInfo(Document):
    """Where a project's frames lie, and how they differ from what the project has."""

    folder: str = Field(examples=["renders/dusk_lamp"])
    state: Literal["here", "apart", "gone", "closed", "refused"] = Field(
        description="apart: the project shows none of its frames; gone: it is not there; closed: it is in no "
        "folder that may be read; refused: no rights"
    )
    follows: bool = Field(description="Frames are taken in as they come")
    count: int = Field(description="Frames there")
    newer: int = Field(description="Frames there that differ from those of the project")
    added: int = Field(description="Frames there that the project has not")
    lacking: int = Field(description="Frames of the project that are not there any more")
    waiting: list[str] = Field(description="Files that are still being written")
    unusable: list[Problem] = Field(description="Files there that cannot be used, with why")
    busy: bool = Field(description="Frames are being taken in")
    problem: Problem | None = Field(description="Why they could not be taken in")
    arrived: datetime = Field(description="When a frame came last, UTC")
    stalled: bool = Field(description="Nothing came for much longer than between others")


class SourceChange(Document):
    """Whether frames are followed, and where they lie."""

    follows: bool
    folder: Folder | None = Field(None, description="Where they are now, if elsewhere")


class SourceMatch(Document):
    """How the frames in another folder compare with the project's."""

    folder: str
    same: int = Field(description="Of the same content, whatever they are called")
    other: int = Field(description="Of the same number or name, with other content")
    added: int
    lacking: int = Field(description="Frames of the project that are not there")
