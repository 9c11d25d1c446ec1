"""The tables. Revisions and results are only ever added; a project points at the ones that count."""

import os
from datetime import UTC, datetime
from typing import Any
from urllib.parse import quote, unquote_to_bytes

from sqlalchemy import (
    JSON,
    BigInteger,
    Dialect,
    Double,
    ForeignKey,
    Index,
    String,
    Table,
    Text,
    TypeDecorator,
    UniqueConstraint,
)
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

Id = String(32)
Sha256 = String(64)
Moment = DATETIME(fsp=6)


def now() -> datetime:
    """This moment, UTC, as the tables hold it (without a zone)."""
    return datetime.now(UTC).replace(tzinfo=None)


class OsPath(TypeDecorator[str]):
    """A path as the system gives it, whatever bytes it has: with these escaped as in a URL (RFC 3986)."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: str | None, dialect: Dialect) -> str | None:
        return value if value is None else quote(os.fsencode(value))

    def process_result_value(self, value: str | None, dialect: Dialect) -> str | None:
        return value if value is None else os.fsdecode(unquote_to_bytes(value))


class Base(DeclarativeBase):
    pass


def table_of(model: type[Base]) -> Table:
    """A model's table, for many rows at once that nobody needs as objects."""
    return Base.metadata.tables[model.__tablename__]


class Project(Base):
    __tablename__ = "projects"

    id: Mapped[str] = mapped_column(Id, primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    changed: Mapped[datetime] = mapped_column(Moment, default=now, index=True)
    removed: Mapped[datetime | None] = mapped_column(Moment, default=None)
    revision_id: Mapped[int | None] = mapped_column(BigInteger, default=None)
    """The revision that counts now."""
    tip_id: Mapped[int | None] = mapped_column(BigInteger, default=None)
    """The revision that redo leads to."""


class FrameSet(Base):
    """A project's frames as they were brought in, or brought in anew; what is there never changes."""

    __tablename__ = "frame_sets"

    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    report: Mapped[dict[str, object]] = mapped_column(JSON)
    """What gathering found: the sequence document."""


class Picture(Base):
    __tablename__ = "pictures"

    sha256: Mapped[str] = mapped_column(Sha256, primary_key=True)
    bytes: Mapped[int] = mapped_column(BigInteger)
    width: Mapped[int] = mapped_column()
    height: Mapped[int] = mapped_column()
    label: Mapped[str] = mapped_column(String(40))
    transparent: Mapped[bool] = mapped_column()
    facts: Mapped[dict[str, Any] | None] = mapped_column(JSON, default=None)
    """What reading it changes (notes), and what was seen of its pixels (digest, signature, cut)."""
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class Frame(Base):
    __tablename__ = "frames"

    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    frame_set: Mapped[int] = mapped_column(primary_key=True, autoincrement=False, default=1)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    number: Mapped[int | None] = mapped_column(BigInteger, default=None)
    name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(ForeignKey("pictures.sha256"))
    written: Mapped[float | None] = mapped_column(Double, default=None)
    """When its file was last written, in seconds since 1970."""


class Revision(Base):
    __tablename__ = "revisions"

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    parent_id: Mapped[int | None] = mapped_column(BigInteger, default=None, index=True)
    label: Mapped[str] = mapped_column(String(120))
    gesture: Mapped[str] = mapped_column(String(40), default="")
    """Revisions of one gesture (a slider on its way) are undone together."""
    recipe: Mapped[dict[str, object]] = mapped_column(JSON)
    frame_set: Mapped[int] = mapped_column(default=1)
    """Which of the project's frames it works on."""
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class Import(Base):
    __tablename__ = "imports"

    id: Mapped[str] = mapped_column(Id, primary_key=True)
    state: Mapped[str] = mapped_column(String(12), default="open")
    project: Mapped[str | None] = mapped_column(LONGTEXT, default=None)
    """JSON: what an archive said of the project whose frames it holds."""
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class ImportFile(Base):
    __tablename__ = "import_files"
    __table_args__ = (UniqueConstraint("import_id", "name_key"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    import_id: Mapped[str] = mapped_column(ForeignKey("imports.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(255))
    name_key: Mapped[str] = mapped_column(Sha256)
    """SHA-256 of the name: names that differ only in case or accents are different files."""
    sha256: Mapped[str | None] = mapped_column(ForeignKey("pictures.sha256"), default=None)
    duration: Mapped[int | None] = mapped_column(BigInteger, default=None)
    """How long it was shown in the file it was taken out of, in flicks."""
    repeat: Mapped[int | None] = mapped_column(default=None)
    written: Mapped[float | None] = mapped_column(Double, default=None)
    """When its file was last written, in seconds since 1970."""
    message: Mapped[str] = mapped_column(Text, default="")
    remedy: Mapped[str] = mapped_column(Text, default="")
    folder: Mapped[str | None] = mapped_column(OsPath, default=None)
    """The folder that it was opened in, where it lies."""
    path: Mapped[str | None] = mapped_column(OsPath, default=None)
    """Its path there."""
    stamp: Mapped[list[int] | None] = mapped_column(JSON, default=None)
    """Its bytes, and when it was last written, in nanoseconds since 1970, as it was opened."""


class ImportClip(Base):
    """A clip that came with an import and waits until it is said what is taken of it."""

    __tablename__ = "import_clips"

    import_id: Mapped[str] = mapped_column(ForeignKey("imports.id", ondelete="CASCADE"), primary_key=True)
    sha256: Mapped[str] = mapped_column(Sha256, primary_key=True)
    name: Mapped[str] = mapped_column(String(255))
    bytes: Mapped[int] = mapped_column(BigInteger)


class Source(Base):
    """Where a project's frames lie that were opened in place."""

    __tablename__ = "sources"

    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    folder: Mapped[str] = mapped_column(OsPath)
    """Its absolute path."""
    prefix: Mapped[str] = mapped_column(String(255), default="")
    """What the project's frames are called by before their paths in the folder."""
    patterns: Mapped[list[str]] = mapped_column(JSON)
    """Which files in the folder are its frames: patterns of their paths, or the paths themselves."""
    follows: Mapped[bool] = mapped_column(default=False)
    """Whether what changes there is taken in as it comes."""
    seen: Mapped[str] = mapped_column(LONGTEXT)
    """JSON: by path what was seen of each file when it was read last; see :func:`.origins.written`."""
    arrived: Mapped[datetime] = mapped_column(Moment, default=now)
    """When a frame came last."""
    pause: Mapped[float] = mapped_column(Double, default=0.0)
    """The longest time, in seconds, that passed between two that came while it was followed."""


class KeptOutput(Base):
    """An output that is written into the hand-off folder whenever it is new and passes."""

    __tablename__ = "kept_outputs"

    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    output_id: Mapped[str] = mapped_column(String(40), primary_key=True)
    files: Mapped[dict[str, list[str]]] = mapped_column(JSON, default=dict)
    """By path in the folder the SHA-256 of what was written there, or is about to be: that may be replaced."""
    problem: Mapped[dict[str, Any] | None] = mapped_column(JSON, default=None)
    """Why the newest is not there."""


class OwnTarget(Base):
    """A target that somebody made here."""

    __tablename__ = "targets"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    document: Mapped[dict[str, object]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class Handoff(Base):
    """A file that left."""

    __tablename__ = "handoffs"
    __table_args__ = (Index("ix_handoffs_output", "project_id", "output_id", "id"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    output_id: Mapped[str] = mapped_column(String(40))
    key: Mapped[str] = mapped_column(Sha256)
    """The key of the coded pictures and their time, to tell whether the output has changed since."""
    file_name: Mapped[str] = mapped_column(String(120))
    place: Mapped[str] = mapped_column(String(12))
    """download or folder."""
    bytes: Mapped[int] = mapped_column(BigInteger)
    sha256: Mapped[str] = mapped_column(Sha256)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class Delivery(Base):
    """A file, or a set, that was sent to a device or a host, and what that answered."""

    __tablename__ = "deliveries"
    __table_args__ = (Index("ix_deliveries_output", "project_id", "output_id"),)

    id: Mapped[str] = mapped_column(Id, primary_key=True)
    """Also what the place knows it by, so that it is taken once, however often it is offered."""
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    output_id: Mapped[str] = mapped_column(String(40))
    key: Mapped[str] = mapped_column(Sha256)
    """The key of the coded pictures and their time, to tell whether the output has changed since."""
    place: Mapped[str] = mapped_column(String(40))
    """The name of a stand-in; empty for an address."""
    address: Mapped[str] = mapped_column(String(200))
    memory: Mapped[int | None] = mapped_column(default=None)
    state: Mapped[str] = mapped_column(String(12))
    """sending, taken, changed, refused, failed or cancelled."""
    answer: Mapped[dict[str, Any] | None] = mapped_column(JSON, default=None)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    ended: Mapped[datetime | None] = mapped_column(Moment, default=None)


class Job(Base):
    __tablename__ = "jobs"
    __table_args__ = (Index("ix_jobs_state", "state", "id"), Index("ix_jobs_output", "project_id", "output_id"))

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    revision_id: Mapped[int] = mapped_column(ForeignKey("revisions.id", ondelete="CASCADE"))
    output_id: Mapped[str] = mapped_column(String(40))
    pictures: Mapped[str] = mapped_column(Sha256, default="")
    """Names the pictures it makes, which do not depend on time."""
    work: Mapped[int] = mapped_column(BigInteger, default=0)
    """Pixels that making them goes through, roughly."""
    place: Mapped[int] = mapped_column(default=0)
    """Of several jobs of a project the lowest comes first: that of the output that is looked at."""
    state: Mapped[str] = mapped_column(String(12), default="queued")
    """new (what it takes has yet to be worked out), queued, running, done, failed, cancelled or superseded."""
    attempts: Mapped[int] = mapped_column(default=0)
    """How often a worker began it; those that did not end for reasons of their own do not count."""
    stage: Mapped[str] = mapped_column(String(20), default="")
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    error: Mapped[dict[str, object] | None] = mapped_column(JSON, default=None)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    ended: Mapped[datetime | None] = mapped_column(Moment, default=None)


class CodedPictures(Base):
    """An output's pictures, coded: results that differ only in time point at the same."""

    __tablename__ = "coded"

    key: Mapped[str] = mapped_column(Sha256, primary_key=True)
    document: Mapped[str] = mapped_column(LONGTEXT)
    """JSON: the files, what was measured on them, and where their time is to be written."""
    created: Mapped[datetime] = mapped_column(Moment, default=now, index=True)
    """When it was made, or last pointed at anew."""


class CodedFile(Base):
    """A file in the store that coded pictures are made of."""

    __tablename__ = "coded_files"

    coded_key: Mapped[str] = mapped_column(ForeignKey("coded.key", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    sha256: Mapped[str] = mapped_column(Sha256, index=True)
    bytes: Mapped[int] = mapped_column(BigInteger)


class Result(Base):
    __tablename__ = "results"
    __table_args__ = (
        UniqueConstraint("revision_id", "output_id"),
        Index("ix_results_output", "project_id", "output_id", "id"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    revision_id: Mapped[int] = mapped_column(ForeignKey("revisions.id", ondelete="CASCADE"))
    output_id: Mapped[str] = mapped_column(String(40))
    coded_key: Mapped[str] = mapped_column(ForeignKey("coded.key"))
    """The coded pictures, which have yet to be given their time."""
    document: Mapped[str] = mapped_column(LONGTEXT)
    """JSON: info, the time as the format holds it, positions, durations, notes, seconds."""
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class Search(Base):
    """Trials made in the background: for the truest file that fits a budget, of a spread, in other formats."""

    __tablename__ = "searches"
    __table_args__ = (
        Index("ix_searches_state", "state", "id"),
        Index("ix_searches_output", "project_id", "output_id", "id"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    revision_id: Mapped[int] = mapped_column(ForeignKey("revisions.id", ondelete="CASCADE"))
    output_id: Mapped[str] = mapped_column(String(40))
    kind: Mapped[str] = mapped_column(String(12))
    """budget, together, spread, formats or one."""
    outputs: Mapped[list[str] | None] = mapped_column(JSON, default=None)
    """The ids of those that share a budget."""
    as_set: Mapped[dict[str, Any] | None] = mapped_column(JSON, default=None)
    """The output as it might be, of a search of one."""
    most: Mapped[int | None] = mapped_column(BigInteger, default=None)
    """The budget, in bytes."""
    may: Mapped[list[str]] = mapped_column(JSON)
    """What may change."""
    state: Mapped[str] = mapped_column(String(12), default="queued")
    """queued, running, done, failed or cancelled."""
    error: Mapped[dict[str, object] | None] = mapped_column(JSON, default=None)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    ended: Mapped[datetime | None] = mapped_column(Moment, default=None)


class TrialRow(Base):
    """A real encoding of an output, whoever asked for it."""

    __tablename__ = "trials"
    __table_args__ = (
        UniqueConstraint("project_id", "output_id", "coded_key"),
        Index("ix_trials_number", "project_id", "output_id", "number"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    output_id: Mapped[str] = mapped_column(String(40))
    number: Mapped[int] = mapped_column()
    """Of the output, from 1."""
    coded_key: Mapped[str] = mapped_column(ForeignKey("coded.key"), index=True)
    sources: Mapped[str] = mapped_column(Sha256)
    """Names what its steps show before colours are chosen."""
    output: Mapped[dict[str, Any]] = mapped_column(JSON)
    document: Mapped[str] = mapped_column(LONGTEXT)
    """JSON: info, the time as the format holds it, delays, which picture each step shows."""
    bytes: Mapped[int] = mapped_column(BigInteger)
    error: Mapped[float | None] = mapped_column(Double, default=None)
    """What is lost of the likeness, once that is measured."""
    likeness: Mapped[dict[str, Any] | None] = mapped_column(JSON, default=None)
    """Its figures, and what stands out."""
    name: Mapped[str] = mapped_column(String(80), default="")
    note: Mapped[str] = mapped_column(String(400), default="")
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    """When it was made, or made again."""


class SearchTrial(Base):
    """Which trials a search made, in their order."""

    __tablename__ = "search_trials"

    search_id: Mapped[int] = mapped_column(ForeignKey("searches.id", ondelete="CASCADE"), primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trials.id", ondelete="CASCADE"), index=True)


class Batch(Base):
    """Something that was asked for of many projects at once."""

    __tablename__ = "batches"

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    label: Mapped[str] = mapped_column(String(200))
    action: Mapped[str] = mapped_column(LONGTEXT)
    """JSON: what is done to each."""
    undoes: Mapped[int | None] = mapped_column(BigInteger, default=None)
    """The batch that it takes back."""
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class BatchItem(Base):
    """What a batch does to one project, or to one of its outputs."""

    __tablename__ = "batch_items"
    __table_args__ = (Index("ix_batch_items_state", "state", "batch_id", "place"),)

    batch_id: Mapped[int] = mapped_column(ForeignKey("batches.id", ondelete="CASCADE"), primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    output_id: Mapped[str] = mapped_column(String(40), default="")
    """Empty: the project as a whole."""
    state: Mapped[str] = mapped_column(String(12), default="queued")
    """queued, working, done, failed or cancelled."""
    waits_for: Mapped[str] = mapped_column(String(40), default="")
    """While it is at work: the search or delivery that it waits for."""
    before: Mapped[int | None] = mapped_column(BigInteger, default=None)
    """The revision that counted before it changed the project."""
    after: Mapped[int | None] = mapped_column(BigInteger, default=None)
    """The revision that it made; none where it made none."""
    notes: Mapped[list[str]] = mapped_column(JSON, default=list)
    error: Mapped[dict[str, Any] | None] = mapped_column(JSON, default=None)
