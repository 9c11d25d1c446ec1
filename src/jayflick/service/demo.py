"""Putting the demo on a new shelf, while that is already open."""

import logging
import threading
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from contextlib import closing
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.sequence.gather import Found, gather
from ..core.sequence.pieces import Enclosed, Piece, Refused
from ..demo import DEMO, DemoProject
from ..demo.load import drawn
from .decoding import Decoders
from .forks import CONTEXT
from .frame_sets import make_project
from .models import Project
from .pictures import keep_picture, note_pictures
from .processes import forked_as
from .results import Results
from .settings import Settings

log = logging.getLogger(__name__)


class Demo:
    """Draws what is not there yet of it, in a thread of its own; once for a data folder."""

    def __init__(
        self,
        settings: Settings,
        transact: Callable[..., Any],
        decoders: Decoders,
        results: Results,
        changed: Callable[[str], None],
    ) -> None:
        """``changed``: told the id of each project when it is there."""
        self._transact = transact
        self._decoders = decoders
        self._results = results
        self._changed = changed
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._draw, name="demo", daemon=True)
        self._mark = settings.data / "demo-loaded"
        self.waiting = 0 if self._mark.exists() or not settings.demo else len(DEMO)
        """Projects that are still to come."""

    def start(self) -> None:
        if self.waiting:
            self._thread.start()

    def interrupt(self) -> None:
        """Begin to stop: the rest is left to the next start."""
        self._stopping.set()

    def stop(self) -> None:
        self.interrupt()
        if self._thread.is_alive():
            self._thread.join(5)

    def _draw(self) -> None:
        try:
            there = self._transact(_names)
            lacking = [demo for demo in DEMO if demo.title not in there]
            self.waiting = len(lacking)
            pool = ProcessPoolExecutor(2, CONTEXT, forked_as, ("demo",))
            with closing(drawn(lacking, pool)) as drawing:
                for demo, files in drawing:
                    if self._stopping.is_set():
                        return
                    self._changed(self._put(demo, files))
                    self.waiting -= 1
            self._mark.touch()
        except Exception as error:
            if not self._stopping.is_set():
                log.warning("the demo is incomplete; the next start continues with it: %s", error)
        finally:
            self.waiting = 0

    def _put(self, demo: DemoProject, files: list[bytes]) -> str:
        """Make a project of what was drawn; returns its id."""
        store, stages = self._results.store, self._results.stages
        taken: list[tuple[Piece, str, int]] = []
        found: list[Found] = []
        for (name, _), data in zip(demo.files, files, strict=True):
            for piece in self._decoders.pieces(data, name):
                assert not isinstance(piece, Enclosed)  # the demo's frames come by themselves
                if isinstance(piece, Refused):  # one is broken on purpose
                    found.append(Found(piece.name, None, piece.error))
                    continue
                taken.append((piece, *keep_picture(store, stages, piece, data)))
                times = piece.duration, piece.repeat
                found.append(Found(piece.name, piece.header, None, piece.fingerprint, *times))
        sequences = sorted(gather(found)[0], key=lambda sequence: sequence.pattern)
        hashes = {piece.name: sha256 for piece, sha256, _ in taken}

        def make(session: Session) -> str:
            note_pictures(session, taken)
            title, recipe = demo.title, demo.recipe
            return make_project(session, sequences, hashes, self._results, title=title, recipe=recipe).id

        project_id: str = self._transact(make)
        return project_id


def _names(session: Session) -> set[str]:
    """What projects are called, those in the bin too: an earlier start may have come so far."""
    return set(session.scalars(select(Project.name)))
