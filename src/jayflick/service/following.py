"""Watching where projects' frames lie: changes are told, and taken in where a project follows them."""

import logging
import threading
import time
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError

from ..core.errors import Cancelled, JayFlickError
from ..watching import is_far, settled
from . import sources
from .errors import NotFound, disk_problem, problem_of
from .intake import Intake
from .models import Job, Project, Source
from .parts import Service
from .queueing import UNDER_WAY
from .schemas.document import Problem
from .schemas.projects import Renewed

log = logging.getLogger(__name__)

SETTLE = 0.4
"""Seconds for which a folder is still before what changed in it is told."""
MOST_WATCHED = 500
"""Projects whose folders are watched: those that were changed last."""
LOOKED_UP = 1.0
"""Seconds between two looks for projects that were opened in place meanwhile."""
LET_FINISH = 8.0
"""Seconds for which frames that came wait while the outputs of those before are made: the loop shall play."""
SIDE_BY_SIDE = 2
"""Projects whose frames are taken in at a time."""
AGAIN = 5.0
"""Seconds after which watching is tried again when it failed."""


@dataclass
class Standing:
    """How taking in a project's frames stands."""

    turn: threading.Lock = field(default_factory=threading.Lock)
    busy: bool = False
    again: bool = False
    """Something changed while it was busy."""
    waiting: list[str] = field(default_factory=list)
    """Files that are on their way."""
    until: float | None = None
    """When one that cannot be used is not waited for any longer."""
    problem: Problem | None = None


class Following:
    """Watches the folders of all sources, those of the system's own events and those that must be polled."""

    def __init__(self, service: Service) -> None:
        self._service = service
        self._standings: dict[str, Standing] = {}
        self._guard = threading.Lock()
        self._stopping = threading.Event()
        self._news = threading.Event()
        """Something happened since the sources were looked up: there may be others."""
        self._looked = 0.0
        self._known: dict[str, set[Path]] = {}
        self._anew = {far: threading.Event() for far in (False, True)}
        self._threads: list[threading.Thread] = []
        self._pool = ThreadPoolExecutor(SIDE_BY_SIDE, thread_name_prefix="following")
        self._taking: set[Intake] = set()

    def start(self) -> None:
        """Begin, if there is anything that could be watched."""
        if not self._service.folders.roots:
            return
        self._service.hub.hearers.append(self._news.set)
        for far in self._anew:
            thread = threading.Thread(target=self._run, args=(far,), name="following", daemon=True)
            thread.start()
            self._threads.append(thread)

    def look_again(self) -> None:
        """After a commit: there are other sources, or other wishes."""
        for anew in self._anew.values():
            anew.set()

    def interrupt(self) -> None:
        """End what is being read."""
        self._stopping.set()
        self.look_again()
        with self._guard:
            for intake in self._taking:
                intake.wanted.cancel()

    def stop(self) -> None:
        self.interrupt()
        for thread in self._threads:
            thread.join()
        self._pool.shutdown(cancel_futures=True)

    def standing(self, project_id: str) -> Standing:
        with self._guard:
            return self._standings.setdefault(project_id, Standing())

    def take_in(self, project_id: str, *, only_changed: bool = False) -> Renewed | None:
        """Take in what differs in a project's source, one at a time; what became of its frames."""
        standing = self.standing(project_id)
        with standing.turn:
            standing.busy = True
            self._tell(project_id)
            mine: list[Intake] = []

            def begun(intake: Intake) -> None:
                with self._guard:
                    self._taking.add(intake)
                mine.append(intake)
                if self._stopping.is_set():
                    intake.wanted.cancel()

            try:
                done, standing.waiting = sources.renew(
                    self._service, project_id, only_changed=only_changed, intake=begun
                )
                standing.problem = None
                standing.until = time.monotonic() + sources.PATIENCE + 1 if standing.waiting else None
                return done
            finally:
                with self._guard:
                    self._taking.difference_update(mine)
                standing.busy = False
                self._tell(project_id)

    def _tell(self, project_id: str) -> None:
        self._service.hub.tell("source", project_id=project_id)

    def _run(self, far: bool) -> None:
        while not self._stopping.is_set():
            self._anew[far].clear()
            try:
                self._watch(far)
            except Exception:  # the database may be away, or the system out of watches: neither ends this
                if not self._stopping.is_set():
                    log.warning("folders could not be watched; it is tried again", exc_info=True)
                self._anew[far].wait(AGAIN)

    def _watch(self, far: bool) -> None:
        self._known = self._watched()
        found = {
            project_id: {folder for folder in folders if is_far(folder) == far}
            for project_id, folders in self._known.items()
        }
        folders = sorted(set().union(*found.values()))
        if not folders:
            while not self._anew[far].wait(SETTLE):
                self._look_up()
            return
        for changed in settled(folders, SETTLE, _none, self._due, below=False, until=self._anew[far]):
            self._look_up()
            for project_id, its in found.items():
                if its & changed or (its and self._overdue(project_id)):
                    self._changed(project_id)

    def _watched(self) -> dict[str, set[Path]]:
        with self._service.sessions() as session:
            rows = session.scalars(
                select(Source)
                .join(Project, Project.id == Source.project_id)
                .where(Project.removed.is_(None))
                .order_by(Project.changed.desc())
                .limit(MOST_WATCHED)
            ).all()
        return {
            row.project_id: {Path(row.folder, inside) for inside in _folders_of(row.patterns)}
            for row in rows
            if self._service.folders.of(row.folder) is not None
        }

    def _look_up(self) -> None:
        """Have other folders watched if there are other sources by now."""
        if not self._news.is_set() or time.monotonic() - self._looked < LOOKED_UP:
            return
        self._news.clear()
        self._looked = time.monotonic()
        if self._watched() != self._known:
            self.look_again()

    def _due(self) -> bool:
        self._look_up()
        with self._guard:
            standings = list(self._standings.values())
        now = time.monotonic()
        return any(one.until is not None and now >= one.until for one in standings)

    def _overdue(self, project_id: str) -> bool:
        until = self.standing(project_id).until
        return until is not None and time.monotonic() >= until

    def _changed(self, project_id: str) -> None:
        self._tell(project_id)
        standing = self.standing(project_id)
        with self._guard:
            standing.until = None
            if standing.again:
                return
            standing.again = True
        self._pool.submit(self._follow, project_id, standing)

    def _follow(self, project_id: str, standing: Standing) -> None:
        """Take in what changed, if the project follows; what goes wrong is kept to be shown."""
        try:
            if not self._follows(project_id):
                return
            self._let_finish(project_id)
            standing.again = False
            self.take_in(project_id, only_changed=True)
        except (Cancelled, NotFound):
            pass  # the service ends, or the project is gone
        except JayFlickError as error:
            standing.problem = Problem.model_validate(problem_of(error))
            self._tell(project_id)
        except OSError as error:
            standing.problem = Problem.model_validate(disk_problem(error))
            self._tell(project_id)
        except SQLAlchemyError:
            log.warning("frames could not be taken in; it is tried again", exc_info=True)
            standing.until = time.monotonic() + AGAIN
        finally:
            standing.again = False

    def _follows(self, project_id: str) -> bool:
        with self._service.sessions() as session:
            source = session.get(Source, project_id)
            return source is not None and source.follows

    def _let_finish(self, project_id: str) -> None:
        """Let the outputs of the frames before be made, for a while."""
        deadline = time.monotonic() + LET_FINISH
        jobs = select(func.count()).select_from(Job)
        jobs = jobs.where(Job.project_id == project_id, Job.state.in_(UNDER_WAY))
        while time.monotonic() < deadline and not self._stopping.is_set():
            with self._service.sessions() as session:
                if not session.scalar(jobs):
                    return
            self._stopping.wait(0.2)


def _none(path: Path) -> bool:
    return False


def _folders_of(patterns: Iterable[str]) -> set[str]:
    """The folders that patterns are in, relative to their source."""
    return {pattern.rpartition("/")[0] for pattern in patterns}
