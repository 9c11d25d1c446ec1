"""What runs in a worker process: one job, from its rows to a safe result. May be run again at any time."""

import json
import time
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from sqlalchemy import Engine, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import Cancelled, InputError, JayFlickError
from ..core.recipe import Recipe
from ..core.render import Progress, Rendered, render
from ..core.stages import Stages
from ..core.warm import warm
from .database import make_engine, make_sessions
from .frames import frames_of
from .mariadb import die_with_parent
from .models import Job, Result, Revision, now
from .store import Store

TICK = 0.1
"""Seconds between two notes of progress; each also looks whether the job is still wanted."""


@dataclass(frozen=True)
class Place:
    """Where a worker finds the database and the files."""

    database: str
    store: Path
    stages: Path


def begin() -> None:
    """First thing in a new worker process: end when the server ends, and load the compiled loops."""
    die_with_parent()
    warm()


@cache
def _sessions(database: str) -> tuple[Engine, sessionmaker[Session]]:
    engine = make_engine(database)
    return engine, make_sessions(engine)


def run_job(place: Place, job_id: int) -> str:
    """Carry out a claimed job and record how it ended; returns the state it ended in."""
    _, sessions = _sessions(place.database)
    store = Store(place.store)
    with sessions() as session:
        job = session.get(Job, job_id)
        revision = session.get(Revision, job.revision_id) if job else None
        if job is None or revision is None or job.state != "running":
            return job.state if job else "cancelled"
        recipe = Recipe.model_validate(revision.recipe)
        frames = frames_of(session, revision.project_id, revision.frame_set, store).frames
    try:
        rendered = render(
            recipe, frames, job.output_id, Stages(place.stages), on_progress=_Reporter(sessions, job_id)
        )
        sha256 = store.put(rendered.untimed)
    except Cancelled:
        return _finish(sessions, job_id, "cancelled")
    except JayFlickError as error:
        return _finish(sessions, job_id, "failed", problem_of(error))
    except OSError as error:
        return _finish(sessions, job_id, "failed", disk_problem(error))
    except OperationalError:
        raise  # the database went away; the job is claimed anew when it is back
    except Exception as error:
        message = f"an unexpected fault, {type(error).__name__}: {error}"
        return _finish(sessions, job_id, "failed", {"kind": "fault", "message": message})
    with sessions.begin() as session:
        keep_result(session, job.project_id, job.revision_id, job.output_id, rendered, sha256)
        session.execute(
            update(Job).where(Job.id == job_id, Job.state == "running").values(state="done", ended=now())
        )
    return "done"


def keep_result(
    session: Session, project_id: str, revision_id: int, output_id: str, rendered: Rendered, sha256: str
) -> None:
    """Record a result; doing it twice changes nothing."""
    document = {
        "info": rendered.info,
        "delays": [delay * 10 for delay in rendered.delays],
        "costs": rendered.costs,
        "positions": rendered.plan.positions,
        "blends": {index: str(shot) for index, shot in enumerate(rendered.plan.shots) if len(shot.parts) > 1},
        "places": rendered.plan.places,
        "dropped": rendered.plan.dropped,
        "scale": rendered.plan.scale,
        "durations": rendered.plan.durations,
        "notes": rendered.notes,
        "seconds": {stage: round(seconds, 4) for stage, seconds in rendered.seconds.items()},
    }
    values = {
        "project_id": project_id,
        "revision_id": revision_id,
        "output_id": output_id,
        "sha256": sha256,
        "pixels": rendered.pixels,
        "document": json.dumps(document, separators=(",", ":")),
        "created": now(),
    }
    session.execute(insert(Result).values(**values).on_duplicate_key_update(sha256=sha256))


def problem_of(error: JayFlickError) -> dict[str, object]:
    """An error as the interface shows it."""
    kind = "input" if isinstance(error, InputError) else "failed"
    return {"kind": kind, "message": error.message, "file": error.file, "remedy": error.remedy}


def disk_problem(error: OSError) -> dict[str, object]:
    """A file system's refusal as the interface shows it."""
    return {
        "kind": "disk",
        "message": f"the disk refused: {error.strerror or error}",
        "file": None,
        "remedy": "make room on the disk, then try again; nothing was lost",
    }


def _finish(
    sessions: sessionmaker[Session], job_id: int, state: str, error: dict[str, object] | None = None
) -> str:
    with sessions.begin() as session:
        session.execute(
            update(Job)
            .where(Job.id == job_id, Job.state == "running")
            .values(state=state, error=error, ended=now())
        )
    return state


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
        with self._sessions.begin() as session:
            noted = session.execute(
                update(Job)
                .where(Job.id == self._job_id, Job.state == "running")
                .values(stage=progress.stage, done=progress.done, total=progress.total)
            )
            if getattr(noted, "rowcount", 1) == 0:
                still = session.scalar(select(Job.state).where(Job.id == self._job_id))
                self._unwanted = still != "running"
        if self._unwanted:
            raise Cancelled("called off")
