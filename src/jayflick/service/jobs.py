"""Carrying out queued jobs in worker processes: newest wins, nothing is lost when a worker or we are killed."""

import logging
import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool

from sqlalchemy import func, select, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from .events import Hub
from .models import Job, now
from .worker import Place, begin, run_job

log = logging.getLogger(__name__)

MOST_ATTEMPTS = 3
POLL = 0.15


def process_pool(workers: int) -> Executor:
    """Worker processes started fresh (a fork would copy compiled threads that do not survive it)."""
    context = multiprocessing.get_context("spawn")
    return ProcessPoolExecutor(workers, mp_context=context, initializer=begin, initargs=(os.getpid(),))


class JobRunner:
    """Claims queued jobs from the table and hands them to an executor; one thread of its own."""

    def __init__(
        self,
        sessions: sessionmaker[Session],
        place: Place,
        hub: Hub,
        workers: int,
        make_executor: Callable[[int], Executor] = process_pool,
    ) -> None:
        self._sessions = sessions
        self._place = place
        self._hub = hub
        self._workers = workers
        self._make_executor = make_executor
        self._executor: Executor | None = None
        self._running: dict[int, Future[str]] = {}
        self._wake = threading.Event()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._loop, name="job-runner", daemon=True)
        self._told: dict[int, tuple[str, int]] = {}

    def start(self) -> None:
        """Take up again what an earlier run left unfinished, then begin."""
        with self._sessions.begin() as session:
            # A stop is not the job's fault: only a worker that dies with it counts as a failed attempt.
            again = {"state": "queued", "attempts": func.greatest(Job.attempts - 1, 0)}
            session.execute(update(Job).where(Job.state == "running").values(again))
        self._executor = self._make_executor(self._workers)
        for _ in range(self._workers):
            self._executor.submit(int)  # nothing to do: only brings a worker up before it is needed
        self._thread.start()

    def wake(self) -> None:
        """Look for queued jobs now."""
        self._wake.set()

    def stop(self) -> None:
        """Stop claiming; jobs at work are queued again for the next start."""
        self._stop.set()
        self._wake.set()
        self._thread.join(10)
        if isinstance(self._executor, ProcessPoolExecutor):
            for process in list((self._executor._processes or {}).values()):
                process.terminate()
        if self._executor is not None:
            self._executor.shutdown(wait=True, cancel_futures=True)

    def _loop(self) -> None:
        while not self._stop.is_set():
            try:
                self._collect()
                claimed = self._claim() if len(self._running) < self._workers else []
                for job_id in claimed:
                    self._submit(job_id)
                if self._running:
                    self._tell_progress()
            except SQLAlchemyError as error:
                log.warning("the database does not answer: %s", type(error).__name__)
                self._stop.wait(0.5)
            self._wake.wait(POLL if self._running else 1.0)
            self._wake.clear()

    def _claim(self) -> list[int]:
        room = self._workers - len(self._running)
        with self._sessions.begin() as session:
            jobs = session.scalars(
                select(Job)
                .where(Job.state == "queued")
                .order_by(Job.id.desc())  # the newest request first
                .limit(room)
                .with_for_update(skip_locked=True)
            ).all()
            claimed = []
            for job in jobs:
                job.attempts += 1
                if job.attempts > MOST_ATTEMPTS:
                    job.state, job.ended = "failed", now()
                    job.error = {
                        "kind": "fault",
                        "message": "the worker died each time this was tried",
                        "remedy": "use fewer or smaller frames, then try again",
                    }
                else:
                    job.state = "running"
                    claimed.append(job.id)
        for job in jobs:
            if job.state == "failed":
                self._tell(job.id)
        return claimed

    def _submit(self, job_id: int) -> None:
        if self._executor is None:
            return
        try:
            future = self._executor.submit(run_job, self._place, job_id)
        except BrokenProcessPool:
            self._rebuild()
            future = self._executor.submit(run_job, self._place, job_id)
        self._running[job_id] = future
        future.add_done_callback(lambda _: self._wake.set())

    def _rebuild(self) -> None:
        if self._executor is not None:
            self._executor.shutdown(wait=False, cancel_futures=True)
        self._executor = self._make_executor(self._workers)

    def _collect(self) -> None:
        broken = False
        for job_id, future in list(self._running.items()):
            if not future.done():
                continue
            error = future.exception()
            if error is not None:
                broken = broken or isinstance(error, BrokenProcessPool)
                with self._sessions.begin() as session:
                    session.execute(
                        update(Job).where(Job.id == job_id, Job.state == "running").values(state="queued")
                    )
                log.warning("job %s is tried again after %s", job_id, type(error).__name__)
            del self._running[job_id]
            self._told.pop(job_id, None)
            self._tell(job_id)
        if broken:
            self._rebuild()

    def _tell(self, job_id: int) -> None:
        with self._sessions() as session:
            job = session.get(Job, job_id)
            if job is not None:
                self._hub.tell("job", **job_document(job))

    def _tell_progress(self) -> None:
        with self._sessions() as session:
            for job in session.scalars(select(Job).where(Job.id.in_(list(self._running)))):
                state = (job.stage, job.done)
                if job.state == "running" and self._told.get(job.id) != state:
                    self._told[job.id] = state
                    self._hub.tell("job", **job_document(job))


def job_document(job: Job) -> dict[str, object]:
    """A job as the interface shows it."""
    return {
        "id": job.id,
        "project_id": job.project_id,
        "revision_id": job.revision_id,
        "output_id": job.output_id,
        "state": job.state,
        "stage": job.stage,
        "done": job.done,
        "total": job.total,
        "error": job.error,
    }
