"""What runs in a search's own process: real encodings, each recorded as soon as it is measured."""

import time
from dataclasses import asdict
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import Cancelled, JayFlickError
from ..core.progress import Progress
from ..core.recipe import Recipe
from ..core.stages import Stages
from ..core.store import Store
from ..core.tuning.budget import search
from ..core.tuning.trial import Trial
from .database import transact
from .errors import database_full, disk_problem, fault, problem_of
from .frames import frames_of
from .likeness import figures_of
from .models import Project, Revision, Search, TrialRow, now
from .room import is_full
from .worker import TICK, Place, sessions_of


def run_search(place: Place, search_id: int) -> None:
    """Carry out a search, and record how it ended. What was tried before it is called off is kept."""
    sessions = sessions_of(place.database)
    store = Store(place.store)
    with sessions() as session:
        wanted = session.get(Search, search_id)
        if wanted is None:
            return
        revision = session.get_one(Revision, wanted.revision_id)
        frames = frames_of(session, revision.project_id, revision.frame_set, store).frames
        recipe = Recipe.model_validate(revision.recipe)
        output_id, most, may = wanted.output_id, wanted.most, frozenset(wanted.may)
    watch = _Watch(sessions, search_id)
    try:
        search(
            recipe,
            frames,
            output_id,
            most,
            Stages(place.stages, store),
            may=may,  # type: ignore[arg-type] # as it was checked when it was asked for
            on_trial=lambda trial: transact(sessions, _record, search_id, trial),
            on_progress=watch,
        )
        _end(sessions, search_id, "done")
    except Cancelled:
        _end(sessions, search_id, "cancelled")
    except JayFlickError as error:
        _end(sessions, search_id, "failed", problem_of(error))
    except OSError as error:
        _end(sessions, search_id, "failed", disk_problem(error))
    except Exception as error:
        if isinstance(error, DBAPIError) and is_full(error):
            _end(sessions, search_id, "failed", database_full())
        elif isinstance(error, OperationalError):
            raise
        else:
            _end(sessions, search_id, "failed", fault(error))


def _record(session: Session, search_id: int, trial: Trial) -> None:
    row = session.get(Search, search_id, with_for_update=True)
    if row is None or row.state != "running":
        raise Cancelled("called off")
    likeness: dict[str, Any] = {
        "likeness": figures_of(trial.likeness),
        "stands_out": None if trial.worst is None else asdict(trial.worst),
    }
    session.add(
        TrialRow(
            search_id=search_id,
            output=trial.output.model_dump(mode="json"),
            bytes=trial.size,
            error=trial.error,
            likeness=likeness,
        )
    )


def _end(
    sessions: sessionmaker[Session], search_id: int, state: str, error: dict[str, object] | None = None
) -> None:
    ended = {"state": state, "error": error, "ended": now()}
    running = Search.id == search_id, Search.state == "running"
    transact(sessions, lambda session: session.execute(update(Search).where(*running).values(ended)))


class _Watch:
    """Stops the work once nobody wants it any more: called off, or its project deleted."""

    def __init__(self, sessions: sessionmaker[Session], search_id: int) -> None:
        self._sessions = sessions
        self._search_id = search_id
        self._due = time.monotonic() + TICK

    def __call__(self, progress: Progress) -> None:
        if time.monotonic() < self._due:
            return
        self._due = time.monotonic() + TICK
        with self._sessions() as session:
            wanted = session.scalar(
                select(Search.id)
                .join(Project, Project.id == Search.project_id)
                .where(Search.id == self._search_id, Search.state == "running", Project.removed.is_(None))
            )
        if wanted is None:
            raise Cancelled("called off")
