"""Workers that jobs are handed to: those of this machine, and those of a cluster while it answers."""

import logging
import time
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from datetime import datetime
from typing import NamedTuple

from .elsewhere import AwayError, Cluster, threads_of
from .forks import CONTEXT
from .worker import Place, begin, compile_loops, run_job

log = logging.getLogger(__name__)

ASK = 30.0
"""Seconds between two looks whether a cluster answers, and how many workers it has."""
MOST_BEYOND = 64
"""Jobs that a cluster carries out at once, at most: each is looked after by a process here."""
NO_WORKER = (BrokenProcessPool, OSError, EOFError)
"""A worker died while it had nothing to do; or what it is forked from was killed."""
_TRIES = 3
_PACE = 15e6
"""Pixels a second that a worker codes, roughly; it only has to tell short jobs from long ones."""


def process_pool() -> Executor:
    """One worker process."""
    return ProcessPoolExecutor(1, mp_context=CONTEXT, initializer=begin)


class Queued(NamedTuple):
    """What is known of a job that waits, when one is chosen."""

    id: int
    project_id: str
    work: int
    created: datetime
    place: int = 0
    """Of a project's own jobs the lowest comes first."""

    @property
    def seconds(self) -> float:
        """How long it will take, roughly."""
        return 0.1 + self.work / _PACE

    @property
    def patience(self) -> float:
        """Seconds that shorter ones may go before it."""
        return 2 + 3 * self.seconds


class Slot:
    """One worker: an executor of its own, so that its death concerns no other's job."""

    def __init__(self, make_executor: Callable[[], Executor]) -> None:
        self._make_executor = make_executor
        self._executor = make_executor()
        self.job: Queued | None = None
        self.future: Future[str] | None = None

    def warm_up(self) -> "Future[None]":
        """Bring the worker up before it is needed."""
        return self._executor.submit(compile_loops)

    def ask(self, cluster: Cluster) -> "Future[int]":
        """How many jobs a cluster carries out side by side."""
        return self._executor.submit(threads_of, cluster)

    def take(self, job: Queued, place: Place, on_done: Callable[[], None]) -> bool:
        """Begin a job; whether there is a worker for it."""
        for _ in range(_TRIES):
            try:
                self.future = self._executor.submit(run_job, place, job.id)
            except NO_WORKER:
                self.rebuild()
            else:
                self.job = job
                self.future.add_done_callback(lambda _: on_done())
                return True
        return False

    def rebuild(self) -> None:
        self._executor.shutdown(wait=False, cancel_futures=True)
        self._executor = self._make_executor()

    def stop(self) -> None:
        if isinstance(self._executor, ProcessPoolExecutor):
            for process in list((self._executor._processes or {}).values()):
                process.terminate()
        self._executor.shutdown(wait=True, cancel_futures=True)


class Beyond:
    """A cluster's share of the work: one slot for each of its threads, while it answers."""

    def __init__(self, cluster: Cluster, make_executor: Callable[[], Executor]) -> None:
        self._cluster = cluster
        self._make_executor = make_executor
        self._asked: Future[int] | None = None
        self._due = 0.0
        self._why = ""
        self._threads = 0
        self.slots = [Slot(make_executor)]

    @property
    def open(self) -> list[Slot]:
        """Those that may be given a job."""
        return self.slots[: self._threads]

    def look(self) -> None:
        """Ask again whether it answers, if it is time; take note of the answer, if there is one."""
        first = self.slots[0]
        if self._asked is None:
            if first.job is None and time.monotonic() >= self._due:
                with suppress(*NO_WORKER):
                    self._asked = first.ask(self._cluster)
            return
        if not self._asked.done():
            return
        asked, self._asked = self._asked, None
        self._due = time.monotonic() + ASK
        try:
            self._threads = min(asked.result(), MOST_BEYOND)
        except AwayError as error:
            self.leave(error)
        except NO_WORKER:
            first.rebuild()
        except Exception as error:  # whatever its packages do, work here goes on
            self.leave(AwayError(f"the cluster cannot be asked: {type(error).__name__}"))
        else:
            self._why = ""
            while len(self.slots) < self._threads:
                self.slots.append(Slot(self._make_executor))

    def leave(self, error: AwayError) -> None:
        """It does not answer: nothing is handed to it before it does."""
        self._threads = 0
        self._due = time.monotonic() + ASK
        if str(error) != self._why:
            self._why = str(error)
            log.warning("%s; local workers go on", error)
