"""Clearing away what nothing refers to any more, in small steps, while everything else goes on."""

import logging
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import accumulate

from sqlalchemy import delete, exists, func, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, aliased, sessionmaker

from ..core.stages import Stages
from ..core.store import Store
from . import projects
from .database import transact
from .models import (
    CodedFile,
    CodedPictures,
    Frame,
    FrameSet,
    Import,
    ImportClip,
    ImportFile,
    Job,
    Picture,
    Project,
    Result,
    Revision,
    TrialRow,
    now,
)

log = logging.getLogger(__name__)

GRACE = timedelta(hours=1)
"""How long what nothing refers to is left alone: something may be about to."""
FORGOTTEN = timedelta(days=1)
"""Age from which an import that is still open will not be finished."""
RECORDED = timedelta(seconds=30)
"""How long a result's file is left alone: it is recorded as soon as it is there."""
HISTORY = 20
"""Results that are kept of an output beside the current one: undo makes older ones again."""
TRIALS = 200
"""Trials that are kept of an output: the newest, those of which something is said before others."""
TRIAL_BYTES = 1 << 30
"""What they may take together: of numbered sets as large as a screen that is but a few."""
FIRST = 20.0
"""Seconds after the start until the first round: opening the shelf has precedence."""
_STEP = 200
"""The most rows of a table that go in one transaction."""


@dataclass
class Leftovers:
    """What is to be cleared away, and where."""

    sessions: sessionmaker[Session]
    store: Store
    stages: Stages
    most_stage_bytes: int

    def clear(self, grace: timedelta = GRACE, forgotten: timedelta = FORGOTTEN) -> int:
        """One round; returns how many files of the store went. Safe at any time with the usual ``grace``."""
        return sum(self.steps(grace, forgotten))

    def steps(self, grace: timedelta = GRACE, forgotten: timedelta = FORGOTTEN) -> Iterator[int]:
        """The steps of a round, each a short transaction; yields the files that each removed."""
        recorded = min(grace, RECORDED)
        while transact(self.sessions, _results, now() - recorded):
            yield 0
        for rows in (
            _projects,
            _imports(now() - forgotten),
            _jobs(now() - grace),
            _revisions(now() - grace),
            _abandoned_trials,
            _trials,
            _frame_sets,
            _pictures(now() - grace),
        ):
            while transact(self.sessions, rows):
                yield 0
        while thinned := transact(self.sessions, _coded, now() - recorded):
            yield self._discard(thinned, recorded)
        for number in range(256):
            yield self._files(f"{number:02x}", grace)
        self.stages.prune(self.most_stage_bytes)

    def _files(self, prefix: str, grace: timedelta) -> int:
        """Remove the files with this prefix that no picture, result or waiting clip has."""
        return self._discard(self.store.hashes(prefix), grace)

    def _discard(self, hashes: Sequence[str], grace: timedelta) -> int:
        """Remove those of these files that nothing refers to."""
        if not hashes:
            return 0
        with self.sessions() as session:
            kept = {
                sha256
                for column in (Picture.sha256, CodedFile.sha256, ImportClip.sha256)
                for sha256 in session.scalars(select(column).where(column.in_(hashes)))
            }
        before = time.time() - grace.total_seconds()
        return sum(self.store.discard(sha256, before) > 0 for sha256 in hashes if sha256 not in kept)


_Rows = Callable[[Session], bool]
"""Deletes some rows; whether there may be more."""


def _projects(session: Session) -> bool:
    return projects.empty_bin(session, projects.KEPT)


def _imports(before: datetime) -> _Rows:
    """Imports that nobody will finish; those that are finished need no rows any more."""

    def step(session: Session) -> bool:
        old = session.scalar(
            select(Import.id).where((Import.state == "done") | (Import.created < before)).limit(1)
        )
        session.execute(delete(Import).where(Import.id == old))
        return old is not None

    return step


def _results(session: Session, before: datetime) -> bool:
    """Older results of an output that has many: undo makes them again."""
    many = session.execute(
        select(Result.project_id, Result.output_id)
        .group_by(Result.project_id, Result.output_id)
        .having(func.count() > HISTORY + 1)
        .limit(_STEP)
    ).all()
    gone = False
    for project_id, output_id in many:
        mine = Result.project_id == project_id, Result.output_id == output_id
        current = select(Project.revision_id).where(Project.id == project_id).scalar_subquery()
        oldest_kept = select(Result.id).where(*mine).order_by(Result.id.desc()).limit(1).offset(HISTORY)
        oldest = session.scalar(oldest_kept)
        old = select(Result.id).where(
            *mine, Result.id < oldest, Result.revision_id != current, Result.created < before
        )
        ids = list(session.scalars(old.limit(_STEP)))
        session.execute(delete(Result).where(Result.id.in_(ids)))
        gone = gone or bool(ids)
    return gone


def _coded(session: Session, before: datetime) -> list[str]:
    """Coded pictures that neither a result nor a trial points at. Returns the hashes of their files."""
    shown = exists().where(Result.coded_key == CodedPictures.key)
    tried = exists().where(TrialRow.coded_key == CodedPictures.key)
    unused = select(CodedPictures.key).where(~shown, ~tried, CodedPictures.created < before).limit(_STEP)
    keys = list(session.scalars(unused.with_for_update(skip_locked=True)))
    files = list(session.scalars(select(CodedFile.sha256).where(CodedFile.coded_key.in_(keys))))
    session.execute(delete(CodedPictures).where(CodedPictures.key.in_(keys)))
    return files


def _jobs(before: datetime) -> _Rows:
    """Jobs that ended, except the last words of those for the revision that counts."""

    def step(session: Session) -> bool:
        counts = exists().where(Project.id == Job.project_id, Project.revision_id == Job.revision_id)
        ended = select(Job.id).where(Job.ended < before, ~counts).limit(_STEP)
        return _deleted(session, Job, list(session.scalars(ended)))

    return step


def _revisions(before: datetime) -> _Rows:
    """Revisions that neither undo nor redo leads to: those of a gesture on its way, and abandoned ones."""
    child = aliased(Revision)

    def step(session: Session) -> bool:
        counts = exists().where(
            Project.id == Revision.project_id,
            (Project.revision_id == Revision.id) | (Project.tip_id == Revision.id),
        )
        leaves = (
            select(Revision.id)
            .where(~exists().where(child.parent_id == Revision.id), ~counts, Revision.created < before)
            .limit(_STEP)
        )
        return _deleted(session, Revision, list(session.scalars(leaves)))

    return step


def _trials(session: Session) -> bool:
    """The oldest trials of an output that has many, or such as take much room."""
    many, large = func.count() > TRIALS, (func.sum(TrialRow.bytes) > TRIAL_BYTES) & (func.count() > 1)
    found = session.execute(
        select(TrialRow.project_id, TrialRow.output_id)
        .group_by(TrialRow.project_id, TrialRow.output_id)
        .having(many | large)
        .limit(1)
    ).first()
    if found is None:
        return False
    mine = TrialRow.project_id == found.project_id, TrialRow.output_id == found.output_id
    spoken_of = (TrialRow.name != "") | (TrialRow.note != "")
    first = spoken_of.desc(), TrialRow.created.desc(), TrialRow.id.desc()
    rows = session.execute(select(TrialRow.id, TrialRow.bytes).where(*mine).order_by(*first)).all()
    taken = accumulate(row.bytes for row in rows)
    kept = sum(place == 0 or (place < TRIALS and size <= TRIAL_BYTES) for place, size in enumerate(taken))
    session.execute(delete(TrialRow).where(TrialRow.id.in_([row.id for row in rows[kept:]])))
    return True


def _abandoned_trials(session: Session) -> bool:
    """Trials of an output that no revision has any more: neither undo nor redo leads to it."""
    for project_id, output_id in session.execute(select(TrialRow.project_id, TrialRow.output_id).distinct()):
        ids = func.json_extract(Revision.recipe, "$.outputs[*].id")
        has = Revision.project_id == project_id, func.json_contains(ids, func.json_quote(output_id))
        now_on_show = select(Project.revision_id).where(Project.id == project_id).scalar_subquery()
        # Most are in the one that counts: no need to look into them all.
        for more in ([Revision.id == now_on_show], []):
            if session.scalar(select(Revision.id).where(*has, *more).limit(1)) is not None:
                break
        else:
            mine = TrialRow.project_id == project_id, TrialRow.output_id == output_id
            session.execute(delete(TrialRow).where(*mine))
            return True
    return False


def _frame_sets(session: Session) -> bool:
    """Sets of frames that no revision works on, but for the newest: its number must not be given again."""
    several = select(FrameSet.project_id).group_by(FrameSet.project_id).having(func.count() > 1)
    used = exists().where(Revision.project_id == FrameSet.project_id, Revision.frame_set == FrameSet.number)
    later = aliased(FrameSet)
    newer = exists().where(later.project_id == FrameSet.project_id, later.number > FrameSet.number)
    unused = session.execute(
        select(FrameSet.project_id, FrameSet.number)
        .where(FrameSet.project_id.in_(several), ~used, newer)
        .limit(1)
    ).first()
    if unused is None:
        return False
    project_id, number = unused
    session.execute(delete(Frame).where(Frame.project_id == project_id, Frame.frame_set == number))
    session.execute(delete(FrameSet).where(FrameSet.project_id == project_id, FrameSet.number == number))
    return True


def _pictures(before: datetime) -> _Rows:
    """Pictures that no frame shows."""

    def step(session: Session) -> bool:
        shown = exists().where(Frame.sha256 == Picture.sha256)
        coming = exists().where(ImportFile.sha256 == Picture.sha256)
        unused = select(Picture.sha256).where(~shown, ~coming, Picture.created < before).limit(_STEP)
        gone = list(session.scalars(unused.with_for_update(skip_locked=True)))
        session.execute(delete(Picture).where(Picture.sha256.in_(gone)))
        return bool(gone)

    return step


def _deleted(session: Session, table: type[Job] | type[Revision], ids: list[int]) -> bool:
    session.execute(delete(table).where(table.id.in_(ids)))
    return bool(ids)


class Sweeper:
    """A thread that clears away, with pauses between steps so that nobody has to wait for it."""

    def __init__(self, leftovers: Leftovers, pause: float) -> None:
        """``pause``: seconds between two rounds."""
        self._leftovers = leftovers
        self._pause = pause
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._loop, name="sweeper", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()
        self._thread.join(10)

    def _loop(self) -> None:
        pause = min(self._pause, FIRST)
        while not self._stop.wait(pause):
            pause = self._pause
            try:
                for _ in self._leftovers.steps():
                    if self._stop.wait(0.01):
                        return
            except (SQLAlchemyError, OSError) as error:  # the next round finds what is left
                log.warning("clearing away was put off: %s", type(error).__name__)
