"""What runs in a search's own process: real encodings, each recorded as soon as it is measured."""

from typing import Any, cast

from sqlalchemy import func, select, update
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import Cancelled, JayFlickError
from ..core.progress import OnProgress, Progress, now_and_then
from ..core.recipe import Output, Recipe
from ..core.render import sources_of
from ..core.stages import Stages
from ..core.store import Store
from ..core.tuning.budget import May, search
from ..core.tuning.kinds import in_other_formats
from ..core.tuning.spread import spread
from ..core.tuning.together import search_together
from ..core.tuning.trial import LOOKED_AT, Trial, try_out
from .coded import keep_coded
from .database import transact
from .errors import database_full, disk_problem, fault, problem_of
from .frames import frames_of
from .models import Project, Revision, Search, SearchTrial, TrialRow, now
from .room import is_full
from .trials import OUTPUT, keep_trial, output_of
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
        output = recipe.output(wanted.output_id)
    stages = Stages(place.stages, store)
    may = cast(frozenset[May], frozenset(wanted.may))  # as it was checked when it was asked for
    most = wanted.most or 0
    watch = _wanted(sessions, search_id)

    def on_trial(trial: Trial) -> None:
        transact(sessions, _record, search_id, trial)

    told: dict[str, Any] = {"on_trial": on_trial, "on_progress": watch}
    try:
        match wanted.kind:
            case "budget":
                search(recipe, frames, output.id, most, stages, may=may, **told)
            case "together":
                search_together(recipe, frames, wanted.outputs or [], most, stages, may=may, **told)
            case "spread":
                known = _known(sessions, wanted, output, sources_of(recipe, frames, output.id, stages))
                spread(recipe, frames, output.id, stages, may=may, known=known, **told)
            case "formats":
                in_other_formats(recipe, frames, output.id, stages, **told)
            case _:
                as_set = OUTPUT.validate_python(wanted.as_set)
                on_trial(try_out(recipe, frames, as_set, stages, most=LOOKED_AT, on_progress=watch))
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


def _known(
    sessions: sessionmaker[Session], wanted: Search, output: Output, sources: str
) -> list[tuple[Output, int]]:
    """What was made of an output that shows the same as now, with its bytes."""
    mine = TrialRow.project_id == wanted.project_id, TrialRow.output_id == wanted.output_id
    with sessions() as session:
        rows = session.scalars(select(TrialRow).where(*mine, TrialRow.sources == sources))
        return [(output_of(row, output), row.bytes) for row in rows]


def _record(session: Session, search_id: int, trial: Trial) -> None:
    row = session.get(Search, search_id)
    if row is None:
        raise Cancelled("called off")
    session.get(Project, row.project_id, with_for_update=True)  # first, as a change does it
    session.refresh(row, with_for_update=True)
    if row.state != "running":
        raise Cancelled("called off")
    keep_coded(session, trial.rendered.coded)
    trial_id = keep_trial(session, row.project_id, trial.rendered, trial)
    mine = SearchTrial.search_id == search_id
    if session.scalar(select(SearchTrial.place).where(mine, SearchTrial.trial_id == trial_id)) is None:
        place = session.scalar(select(func.count()).where(mine))
        session.add(SearchTrial(search_id=search_id, place=place, trial_id=trial_id))


def _end(
    sessions: sessionmaker[Session], search_id: int, state: str, error: dict[str, object] | None = None
) -> None:
    ended = {"state": state, "error": error, "ended": now()}
    running = Search.id == search_id, Search.state == "running"
    transact(sessions, lambda session: session.execute(update(Search).where(*running).values(ended)))


def _wanted(sessions: sessionmaker[Session], search_id: int) -> OnProgress:
    """Stops the work once nobody wants it any more: called off, or its project deleted."""

    def look(progress: Progress) -> None:
        with sessions() as session:
            wanted = session.scalar(
                select(Search.id)
                .join(Project, Project.id == Search.project_id)
                .where(Search.id == search_id, Search.state == "running", Project.removed.is_(None))
            )
        if wanted is None:
            raise Cancelled("called off")

    return now_and_then(TICK, look)
