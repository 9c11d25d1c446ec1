"""Searches: trials that are asked for, carried out one at a time beside the jobs, shown, called off."""

import logging
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Executor, Future
from concurrent.futures.process import BrokenProcessPool, ProcessPoolExecutor
from contextlib import suppress
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import InputError
from ..core.recipe import Recipe, SheetOutput
from ..core.tuning.budget import USUAL, may_change
from ..core.tuning.choice import Candidate, best_of, nearest_of, shared_out
from ..core.tuning.kinds import other_kinds
from . import projects, trials
from .database import transact
from .errors import NotFound
from .events import Hub
from .models import Search, SearchTrial, now
from .schemas.searches import SearchInfo, SearchRequest, TrialInfo, TrialsInfo
from .searching import run_search
from .slots import NO_WORKER, process_pool
from .worker import Place

log = logging.getLogger(__name__)

UNDER_WAY = ("queued", "running")
KEPT = 10
"""Searches that are kept of an output, the newest of each kind."""
_POLL = 0.2
_PAUSE = 2.0
_DIED = {
    "kind": "fault",
    "message": "the process that searched died",
    "remedy": "search again; what was tried is kept",
}


class Searches:
    """One thread that takes what is asked for in turn; the process it works in comes with the first."""

    def __init__(
        self,
        sessions: sessionmaker[Session],
        place: Place,
        hub: Hub,
        make_executor: Callable[[], Executor] = process_pool,
    ) -> None:
        self._sessions = sessions
        self._place = place
        self._hub = hub
        self._make_executor = make_executor
        self._executor: Executor | None = None
        self._wake = threading.Event()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._loop, name="searches", daemon=True)

    def start(self) -> None:
        """What an earlier run did not finish is called off; what it tried is kept."""
        transact(self._sessions, _call_off, Search.state == "running")
        self._thread.start()

    def wake(self) -> None:
        self._wake.set()

    def stop(self) -> None:
        self._stop.set()
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join(5)
        self._end_process()

    def _loop(self) -> None:
        while not self._stop.is_set():
            self._wake.clear()
            try:
                while not self._stop.is_set() and (claimed := transact(self._sessions, _claim)) is not None:
                    self._carry_out(*claimed)
            except (SQLAlchemyError, OSError) as error:
                log.warning("searches wait: %s", type(error).__name__)
                self._stop.wait(_PAUSE)
            self._wake.wait(_PAUSE)

    def _carry_out(self, search_id: int, project_id: str) -> None:
        error = self._watch(self._begin(search_id), search_id, project_id)
        if isinstance(error, BrokenProcessPool) and not self._stop.is_set() and not self._tried(search_id):
            # It may have died idle, which shows only once it has been handed something.
            self._end_process()
            error = self._watch(self._begin(search_id), search_id, project_id)
        if self._stop.is_set():
            return
        if error is not None:
            log.warning("a search ended: %s", type(error).__name__)
            transact(self._sessions, _failed, search_id)
            if isinstance(error, BrokenProcessPool):
                self._end_process()
        self._hub.tell("search", project_id=project_id)

    def _watch(self, future: "Future[None]", search_id: int, project_id: str) -> BaseException | None:
        """Tell of each trial until a search ends, or the service does; what it ended of."""
        tried = -1
        while not future.done() and not self._stop.is_set():
            known = self._tried(search_id)
            if known != tried:
                tried = known
                self._hub.tell("search", project_id=project_id)
            with suppress(TimeoutError):
                future.exception(_POLL)
        return future.exception() if future.done() else None

    def _tried(self, search_id: int) -> int:
        with self._sessions() as session:
            return session.scalar(select(func.count()).where(SearchTrial.search_id == search_id)) or 0

    def _begin(self, search_id: int) -> "Future[None]":
        """Hand a search to its process, or to another if that died while it had nothing to do."""
        try:
            self._executor = self._executor or self._make_executor()
            return self._executor.submit(run_search, self._place, search_id)
        except NO_WORKER:
            self._end_process()
            self._executor = self._make_executor()
            return self._executor.submit(run_search, self._place, search_id)

    def _end_process(self) -> None:
        executor, self._executor = self._executor, None
        if executor is None:
            return
        if isinstance(executor, ProcessPoolExecutor):
            for process in list((executor._processes or {}).values()):
                process.terminate()
        executor.shutdown(wait=True, cancel_futures=True)


def ask(session: Session, project_id: str, request: SearchRequest) -> int:
    """Queue a search for the output as it is now; an earlier one that is under way is called off."""
    project = projects.find(session, project_id, lock=True)
    revision = projects.current(session, project)
    try:
        recipe = Recipe.model_validate(revision.recipe)
        output = recipe.output(request.output)
    except KeyError:
        raise NotFound("there is no such output") from None
    wished = frozenset(USUAL if request.may is None else request.may)
    may = wished if request.kind == "together" else wished & may_change(output)
    if request.as_set is not None and isinstance(request.as_set, SheetOutput):
        raise InputError("a sheet is not measured", file=output.file_name, remedy="choose another output")
    if request.kind == "formats":
        if not other_kinds(output):
            raise InputError(
                "its target takes no other format", file=output.file_name, remedy="check against another target"
            )
    elif request.kind == "together":
        ids = {one.id for one in recipe.outputs if not isinstance(one, SheetOutput)}
        if not set(request.outputs or ()) <= ids:
            raise NotFound("there is no such output that can be measured")
    elif request.kind != "one" and not may:
        raise InputError(
            "nothing that may change spares bytes here",
            file=output.file_name,
            remedy="allow another size or rate, or choose another format",
        )
    together = [one.id for one in recipe.outputs if one.id in (request.outputs or ())]
    mine = (Search.project_id == project_id) & (Search.output_id == output.id)
    _call_off(session, mine)
    row = Search(
        project_id=project_id,
        revision_id=revision.id,
        output_id=output.id,
        kind=request.kind,
        most=request.most,
        may=sorted(may),
        outputs=together or None,
        as_set=None if request.as_set is None else request.as_set.model_dump(mode="json"),
    )
    session.add(row)
    session.flush()
    alike = mine & (Search.kind == request.kind)
    newest = session.scalars(select(Search.id).where(alike).order_by(Search.id.desc()).limit(KEPT)).all()
    session.execute(delete(Search).where(alike, Search.id < newest[-1]))
    return row.id


def cancel(session: Session, project_id: str, search_id: int) -> None:
    """Call a search off; what it tried is kept."""
    _call_off(session, (Search.project_id == project_id) & (Search.id == search_id))


def trials_of(session: Session, project_id: str, output_id: str) -> TrialsInfo:
    """The trials of an output, and the newest searches for some."""
    projects.find(session, project_id)
    known = trials.shown(session, project_id, output_id)
    its_own = (Search.output_id == output_id) | (Search.kind == "together")
    mine = Search.project_id == project_id, its_own
    newest: dict[str, Search] = {}
    for row in session.scalars(select(Search).where(*mine).order_by(Search.id.desc())):
        newest.setdefault(row.kind, row)
    return TrialsInfo(trials=known, searches=[_shown(session, row, known) for row in newest.values()])


def _shown(session: Session, row: Search, known: Sequence[TrialInfo]) -> SearchInfo:
    if row.kind == "together":
        made = trials.made_by(session, row.id)
    else:
        by_id = {trial.id: trial for trial in known}
        of_it = select(SearchTrial.trial_id).where(SearchTrial.search_id == row.id).order_by(SearchTrial.place)
        made = [by_id[trial_id] for trial_id in session.scalars(of_it) if trial_id in by_id]
    candidates = [_candidate(trial) for trial in made]
    best = nearest = None
    if row.most is not None and row.kind == "budget":
        best, nearest = best_of(candidates, row.most), nearest_of(candidates, row.most)
    return SearchInfo(
        id=row.id,
        kind=row.kind,
        output_id=row.output_id,
        revision_id=row.revision_id,
        most=row.most,
        may=row.may,
        state=row.state,
        trials=[trial.id for trial in made],
        best=None if best is None else made[best].id,
        nearest=None if nearest is None else made[nearest].id,
        outputs=row.outputs,
        picks=_picks(made, row.outputs or [], row.most or 0),
        error=row.error,
    )


def found_by(session: Session, search_id: int) -> tuple[TrialInfo | None, int | None]:
    """The truest trial that fits a search's budget, and the bytes of the least that it made."""
    made = trials.made_by(session, search_id)
    most = session.get_one(Search, search_id).most or 0
    best = best_of([_candidate(trial) for trial in made], most)
    return None if best is None else made[best], min((trial.bytes for trial in made), default=None)


def _picks(made: Sequence[TrialInfo], outputs: Sequence[str], most: int) -> list[TrialInfo]:
    """Of trials of several outputs one each, together in a budget."""
    tried = [[trial for trial in made if trial.output_id == one] for one in outputs]
    if not tried or not all(tried):
        return []
    picks = shared_out([[_candidate(trial) for trial in some] for some in tried], most)
    return [] if picks is None else [some[at] for some, at in zip(tried, picks, strict=True)]


def _candidate(trial: TrialInfo) -> Candidate:
    out = trial.stands_out
    return Candidate(trial.bytes, trial.error or 0.0, None if out is None else (out.blemish, out.figure))


def _claim(session: Session) -> tuple[int, str] | None:
    """The search that has waited longest, now running."""
    waiting = select(Search).where(Search.state == "queued").order_by(Search.id).limit(1).with_for_update()
    row = session.scalar(waiting)
    if row is None:
        return None
    row.state = "running"
    return row.id, row.project_id


def _call_off(session: Session, which: Any) -> None:
    under_way = Search.state.in_(UNDER_WAY)
    session.execute(update(Search).where(which, under_way).values(state="cancelled", ended=now()))


def _failed(session: Session, search_id: int) -> None:
    running = Search.id == search_id, Search.state == "running"
    session.execute(update(Search).where(*running).values(state="failed", error=_DIED, ended=now()))
