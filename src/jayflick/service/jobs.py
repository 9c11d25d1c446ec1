"""Carrying out queued jobs in worker processes: fair between projects, nothing lost when one is killed."""

import logging
import threading
from collections import Counter
from collections.abc import Callable, Iterable
from concurrent.futures import Executor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from dataclasses import replace
from datetime import datetime

from sqlalchemy import func, select, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from ..core.warm import compiled_before
from .database import transact
from .elsewhere import AwayError
from .events import Hub
from .models import Job, Project, now
from .room import Starved
from .slots import NO_WORKER, Beyond, Queued, Slot, process_pool
from .worker import Place

log = logging.getLogger(__name__)

MOST_ATTEMPTS = 3
POLL = 0.15
LONG = 5.0
"""Seconds of expected work from which a job may not take the last free worker."""
_LOOKED_AT = 1000
"""The most jobs among which the next is chosen."""


def choose(
    waiting: Iterable[Queued], busy: Counter[str], moment: datetime, *, short_only: bool
) -> Queued | None:
    """The job that is carried out next.

    Projects that have fewest jobs at work come first; then jobs of the outputs that are looked at; then those
    that have waited for longer than they may, the most overdue first; then the shortest, of equals the newest.
    So a change in somebody's hands soon has its turn, and what takes long has it in the end. ``short_only``:
    nothing that takes longer than :data:`LONG`.
    """

    def rank(job: Queued) -> tuple[int, int, int, float, int]:
        overdue = (moment - job.created).total_seconds() - job.patience
        late = overdue > 0
        # One that is overdue gives way to nobody, whichever output it is of.
        place = 0 if late else job.place
        return busy[job.project_id], place, *((0, -overdue) if late else (1, job.seconds)), -job.id

    eligible = (job for job in waiting if not (short_only and job.seconds > LONG))
    return min(eligible, key=rank, default=None)


class JobRunner:
    """Claims queued jobs from the table and hands them to executors; one thread of its own."""

    def __init__(
        self,
        sessions: sessionmaker[Session],
        place: Place,
        hub: Hub,
        workers: int,
        make_executor: Callable[[], Executor] = process_pool,
    ) -> None:
        """``workers``: how many jobs are carried out side by side, each by an executor of its own.

        Those of a cluster that ``place`` names come on top: while it answers, workers here take only what does
        not take long.
        """
        self._sessions = sessions
        self._place = place
        self._beyond: Beyond | None = None
        self._hub = hub
        self._workers = workers
        self._make_executor = make_executor
        self._slots: list[Slot] = []
        self._wake = threading.Event()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._loop, name="job-runner", daemon=True)
        self._told: dict[int, tuple[str, int]] = {}
        self._starved = Starved(place.store)

    def start(self) -> None:
        """Take up again what an earlier run left unfinished, then begin."""
        transact(self._sessions, _requeue_all)
        for job_id in transact(self._sessions, _failed_on_the_disk):
            self._starved.note(job_id, earlier=True)
        self._slots = [Slot(self._make_executor) for _ in range(self._workers)]
        if self._place.cluster is not None:
            self._beyond = Beyond(self._place.cluster, self._make_executor)
        self._thread.start()

    def at_work(self, job_id: int) -> bool:
        """Whether a worker is carrying out a job, and nothing stops it."""
        return not self._stop.is_set() and any(job.id == job_id for job in self._at_work())

    def wake(self) -> None:
        """Look for queued jobs now."""
        self._wake.set()

    def interrupt(self) -> None:
        """Begin to stop: no job is claimed any more, and a worker's end is not its job's fault."""
        self._stop.set()
        self._wake.set()

    def stop(self) -> None:
        """Stop claiming; jobs at work are queued again for the next start."""
        self.interrupt()
        if self._thread.is_alive():
            self._thread.join(5)
        for slot in self._every_slot():
            slot.stop()

    def _loop(self) -> None:
        self._warm_up()
        while not self._stop.is_set():
            try:
                for slot in self._every_slot():
                    self._collect(slot)
                if self._beyond is not None:
                    self._beyond.look()
                self._hand_out()
                self._tell_progress()
                for job_id in self._starved.ready():
                    transact(self._sessions, _try_again, job_id)
                    self._tell(job_id)
            except SQLAlchemyError as error:
                log.warning("the database does not answer: %s", type(error).__name__)
                self._stop.wait(0.5)
            self._wake.wait(POLL if self._at_work() else 1.0)
            self._wake.clear()

    def _warm_up(self) -> None:
        """On a new machine the first worker compiles the loops, and the others find them on the disk."""
        for slot in self._slots:
            if self._stop.is_set():
                return
            with suppress(*NO_WORKER):
                warm = slot.warm_up()
                while not (compiled_before() or warm.done() or self._stop.wait(0.2)):
                    pass

    def _every_slot(self) -> list[Slot]:
        return [*self._slots, *(self._beyond.slots if self._beyond is not None else [])]

    def _at_work(self) -> list[Queued]:
        return [slot.job for slot in self._every_slot() if slot.job is not None]

    def _hand_out(self) -> None:
        """Give free workers jobs: first those here, which are sooner done with what is short."""
        beyond = self._beyond.open if self._beyond is not None else []
        here = replace(self._place, cluster=None)
        for slots, place in ((self._slots, here), (beyond, self._place)):
            for slot in slots:
                long = sum(one.job is not None and one.job.seconds > LONG for one in slots)
                last_free = long + 1 == self._workers > 1
                short_only = slots is self._slots and (last_free or bool(beyond))
                if slot.job is None and not self._start_next(slot, place, short_only):
                    break

    def _start_next(self, slot: Slot, place: Place, short_only: bool) -> bool:
        """Give a free worker a job; whether there may be another."""
        busy = Counter(job.project_id for job in self._at_work())
        job, failed = transact(self._sessions, _claim, busy, short_only)
        if job is None:
            return False
        if failed:
            self._tell(job.id)
        elif not slot.take(job, place, self._wake.set):
            transact(self._sessions, _requeue, job.id, counts=False)
            return False
        return True

    def _collect(self, slot: Slot) -> None:
        job, future = slot.job, slot.future
        if job is None or future is None or not future.done():
            return
        error = future.exception()
        if error is not None:
            died = isinstance(error, BrokenProcessPool) and not self._stop.is_set()
            transact(self._sessions, _requeue, job.id, counts=died)
            if isinstance(error, AwayError) and self._beyond is not None:
                self._beyond.leave(error)
            else:
                log.warning("job %s is tried again after %s", job.id, type(error).__name__)
            if died:
                slot.rebuild()
        slot.job = slot.future = None
        self._told.pop(job.id, None)
        self._tell(job.id)

    def _tell(self, job_id: int) -> None:
        with self._sessions() as session:
            job = session.get(Job, job_id)
            if job is not None:
                self._hub.tell("job", **job_document(job))
                if _lacked_room(job):
                    self._starved.note(job_id)

    def _tell_progress(self) -> None:
        at_work = [job.id for job in self._at_work()]
        if not at_work:
            return
        with self._sessions() as session:
            for job in session.scalars(select(Job).where(Job.id.in_(at_work))):
                state = (job.stage, job.done)
                if job.state == "running" and self._told.get(job.id) != state:
                    self._told[job.id] = state
                    self._hub.tell("job", **job_document(job))


def _claim(session: Session, busy: Counter[str], short_only: bool) -> tuple[Queued | None, bool]:
    """Take the next job, or tell that it failed: its worker has died too often."""
    rows = session.execute(
        select(Job.id, Job.project_id, Job.work, Job.created, Job.place)
        .where(Job.state == "queued")
        .limit(_LOOKED_AT)
    )
    chosen = choose([Queued(*row) for row in rows], busy, now(), short_only=short_only)
    if chosen is None:
        return None, False
    job = session.get(Job, chosen.id, with_for_update=True)
    if job is None or job.state != "queued":  # called off just now
        return None, False
    if job.attempts >= MOST_ATTEMPTS:
        job.state, job.ended = "failed", now()
        job.error = {
            "kind": "fault",
            "message": "the worker died each time this was tried",
            "remedy": "use fewer or smaller frames, then try again",
        }
        return chosen, True
    job.state = "running"
    return chosen, False


_GIVEN_BACK = func.greatest(Job.attempts - 1, 0)
"""An attempt that does not count: a stop, an outage or the end of the server is not the job's fault."""


def _requeue(session: Session, job_id: int, *, counts: bool) -> None:
    """Queue a job again whose worker did not finish it. The attempt ``counts`` if the worker died of it."""
    again = {"state": "queued", "attempts": Job.attempts if counts else _GIVEN_BACK}
    session.execute(update(Job).where(Job.id == job_id, Job.state == "running").values(again))


def _requeue_all(session: Session) -> None:
    again = {"state": "queued", "attempts": _GIVEN_BACK}
    session.execute(update(Job).where(Job.state == "running").values(again))


def _lacked_room(job: Job) -> bool:
    return job.state == "failed" and (job.error or {}).get("kind") == "disk"


def _failed_on_the_disk(session: Session) -> list[int]:
    """Jobs of current revisions that failed for want of room."""
    failed = select(Job).join(Project, Project.revision_id == Job.revision_id).where(Job.state == "failed")
    return [job.id for job in session.scalars(failed) if _lacked_room(job)]


def _try_again(session: Session, job_id: int) -> None:
    """Queue a job that lacked room, if it is still the newest for what it makes, and wanted."""
    job = session.get(Job, job_id)
    if job is None:
        return
    project = session.get_one(Project, job.project_id, with_for_update=True)
    session.refresh(job, with_for_update=True)
    newest = session.scalar(
        select(func.max(Job.id)).where(Job.project_id == job.project_id, Job.output_id == job.output_id)
    )
    wanted = project.removed is None and project.revision_id == job.revision_id and newest == job.id
    if wanted and _lacked_room(job):
        job.state, job.attempts, job.error, job.ended = "queued", 0, None, None


def job_document(job: Job) -> dict[str, object]:
    """A job as the interface shows it."""
    return {
        "id": job.id,
        "project_id": job.project_id,
        "revision_id": job.revision_id,
        "output_id": job.output_id,
        "state": "queued" if job.state == "new" else job.state,
        "stage": job.stage,
        "done": job.done,
        "total": job.total,
        "error": job.error,
    }
