"""Works out, right after a change, what the outputs take that are not looked at."""

import logging
import threading
from collections.abc import Callable

from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from .database import transact
from .queueing import work_out_next
from .results import Results

log = logging.getLogger(__name__)

_PAUSE = 1.0
"""Seconds after which it looks by itself, and after which it tries again what was not to be had."""


class Planner:
    """One thread that takes new jobs, each in a transaction of its own, so that a change never waits long."""

    def __init__(
        self,
        sessions: sessionmaker[Session],
        results: Results,
        queued: Callable[[], None],
        changed: Callable[[str], None],
    ) -> None:
        """``queued``: told that there may be something to make; ``changed``: of which project all is worked
        out."""
        self._sessions = sessions
        self._results = results
        self._queued = queued
        self._changed = changed
        self._wake = threading.Event()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._loop, name="planner", daemon=True)

    def start(self) -> None:
        """Begin with what an earlier run left."""
        self._thread.start()

    def wake(self) -> None:
        """Look for new jobs now."""
        self._wake.set()

    def stop(self) -> None:
        """What was not worked out is left for the next start."""
        self._stop.set()
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join(5)

    def _loop(self) -> None:
        while not self._stop.is_set():
            self._wake.clear()
            try:
                self._all()
            except (SQLAlchemyError, OSError) as error:
                log.warning("outputs are worked out later: %s", type(error).__name__)
                self._stop.wait(_PAUSE)
            self._wake.wait(_PAUSE)

    def _all(self) -> None:
        last: str | None = None
        while not self._stop.is_set():
            project_id = transact(self._sessions, work_out_next, self._results)
            if last not in (None, project_id):
                self._changed(last)
            last = project_id
            if project_id is None:
                return
            self._queued()
