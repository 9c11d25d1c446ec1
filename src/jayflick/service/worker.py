"""What runs in a worker process: one job, from its rows to a safe result. May be run again at any time."""

import time
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import ColumnElement, select, update
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import Cancelled, JayFlickError
from ..core.heap import keep_freed_memory
from ..core.progress import Progress
from ..core.recipe import Recipe
from ..core.render import Rendered, render
from ..core.stages import Stages
from ..core.store import Store
from ..core.warm import compiled_before, warm
from .database import make_engine, make_sessions, transact
from .elsewhere import AwayError, Cluster, connected
from .errors import database_full, disk_problem, fault, problem_of
from .frames import StoredFrame, frames_of
from .growing import Growing
from .models import Job, Project, Revision, now
from .processes import forked_as
from .results import keep_result
from .room import is_full

TICK = 0.1
"""Seconds between two notes of progress; each also looks whether the job is still wanted."""


@dataclass(frozen=True)
class Place:
    """Where a worker finds the database and the files."""

    database: str
    store: Path
    stages: Path
    growing: Path
    """Where files lie while they are coded."""
    cluster: Cluster | None = None
    """Whose workers make pictures, if not this machine's."""


def begin() -> None:
    """First thing in a new worker process."""
    forked_as("worker")
    keep_freed_memory()


def compile_loops() -> None:
    """On a new machine, compile what else was loaded before the fork."""
    if not compiled_before():
        warm()


@cache
def sessions_of(database: str) -> sessionmaker[Session]:
    """Those of this process."""
    return make_sessions(make_engine(database))


def run_job(place: Place, job_id: int) -> str:
    """Carry out a claimed job and record how it ended; returns the state it ended in.

    Raises ``AwayError`` when it is to be made by a cluster and that does not answer.
    """
    sessions = sessions_of(place.database)
    store = Store(place.store)
    stages = Stages(place.stages, store)
    try:
        made: FinishedRender | None = None
        while not isinstance(step := transact(sessions, _next_step, job_id, made, store), str):
            # A change of time may come while pictures are made: once they are there they are given that time.
            reporter = _Reporter(sessions, job_id)
            if place.cluster is not None:
                connected(place.cluster).have_made(step.recipe, step.frames, step.output_id, stages, reporter)
            with closing(Growing(place.growing, job_id)) as growing:
                rendered = render(
                    step.recipe,
                    step.frames,
                    step.output_id,
                    stages,
                    on_progress=reporter,
                    on_coded=growing.add,
                )
            made = step.revision_id, rendered
        return step
    except Cancelled:
        return _finish(sessions, job_id, "cancelled")
    except AwayError:
        raise  # the job is claimed anew, by whoever is there
    except JayFlickError as error:
        return _finish(sessions, job_id, "failed", problem_of(error))
    except OSError as error:
        return _finish(sessions, job_id, "failed", disk_problem(error))
    except Exception as error:
        if isinstance(error, DBAPIError) and is_full(error):
            return _finish(sessions, job_id, "failed", database_full())
        if isinstance(error, OperationalError):
            raise  # the database went away; the job is claimed anew when it is back
        return _finish(sessions, job_id, "failed", fault(error))


FinishedRender = tuple[int, Rendered]
"""A revision, and what was made for it."""


class _Step(NamedTuple):
    """What is to be made now."""

    revision_id: int
    output_id: str
    recipe: Recipe
    frames: Sequence[StoredFrame]


def _next_step(session: Session, job_id: int, made: FinishedRender | None, store: Store) -> _Step | str:
    """What a job has yet to make; the state it ended in if it is called off, or what was ``made`` is wanted."""
    job = _at_work(session, job_id)
    if job is None:
        return "cancelled"
    if made is None:
        job.attempts += 1
    elif job.revision_id == made[0]:
        keep_result(session, job.project_id, made[0], job.output_id, made[1])
        job.state, job.ended = "done", now()
        return "done"
    revision = session.get_one(Revision, job.revision_id)
    frames = frames_of(session, revision.project_id, revision.frame_set, store).frames
    return _Step(revision.id, job.output_id, Recipe.model_validate(revision.recipe), frames)


def _at_work(session: Session, job_id: int) -> Job | None:
    """The job, if it is still wanted, locked: the project first, as a change does it, so that neither
    waits for the other.
    """
    job = session.get(Job, job_id)
    if job is None:
        return None
    session.get(Project, job.project_id, with_for_update=True)
    session.refresh(job, with_for_update=True)
    return job if job.state == "running" else None


def _finish(
    sessions: sessionmaker[Session], job_id: int, state: str, error: dict[str, object] | None = None
) -> str:
    ended = {"state": state, "error": error, "ended": now()}
    transact(sessions, lambda s: s.execute(update(Job).where(*_running(job_id)).values(ended)))
    return state


def _running(job_id: int) -> tuple[ColumnElement[bool], ...]:
    return Job.id == job_id, Job.state == "running"


class _Reporter:
    """Notes progress now and then, and stops the work when the job is no longer wanted."""

    def __init__(self, sessions: sessionmaker[Session], job_id: int) -> None:
        self._sessions = sessions
        self._job_id = job_id
        self._due = time.monotonic() + TICK
        self._unwanted = False

    def __call__(self, progress: Progress) -> None:
        if self._unwanted:
            raise Cancelled("called off")
        if time.monotonic() < self._due:
            return
        self._due = time.monotonic() + TICK
        self._unwanted = not transact(self._sessions, self._note, progress)
        if self._unwanted:
            raise Cancelled("called off")

    def _note(self, session: Session, progress: Progress) -> bool:
        """Note how far the work is; whether it is still wanted."""
        far = {"stage": progress.stage, "done": progress.done, "total": progress.total}
        noted = session.execute(update(Job).where(*_running(self._job_id)).values(far))
        if getattr(noted, "rowcount", 1) > 0:  # of rows that were changed
            return True
        return session.scalar(select(Job.state).where(Job.id == self._job_id)) == "running"
