"""Keeps the stand-ins running: a process each, started again when it ends."""

import json
import socket
import threading
import time
from contextlib import suppress
from dataclasses import dataclass
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any, get_args

from ..core.atomic import atomic_write
from ..core.errors import JayFlickError
from ..delivery.protocol import Kind, Status
from ..delivery.sender import Sender
from .forks import CONTEXT
from .models import now
from .processes import forked_as
from .schemas.sending import StandInInfo

LIST = "standins.json"
"""In the data folder's part for them: where each is to be found, for the command line."""


@dataclass
class _Running:
    name: Kind
    listening: socket.socket
    """Kept open, so that the address stays the same, and nobody is turned away while it starts anew."""
    process: BaseProcess | None = None
    failures: int = 0
    not_before: float = 0.0

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.listening.getsockname()[1]}"


class StandIns:
    """All of them, or none if they were left out."""

    def __init__(self, folder: Path, web: Path, *, share: bool = False, port: int | None = None) -> None:
        self._folder = folder.resolve()
        self._web = web.resolve()
        self._share = share
        self._port = port
        self._running: list[_Running] = []
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Begin to start them; returns at once."""
        self._folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        for name in get_args(Kind):
            listening = socket.create_server(("127.0.0.1", 0), backlog=64)
            self._running.append(_Running(name, listening))
        addresses = {one.name: one.url for one in self._running}
        atomic_write(self._folder / LIST, json.dumps(addresses).encode())
        self._thread = threading.Thread(target=self._keep, name="standins", daemon=True)
        self._thread.start()

    def interrupt(self) -> None:
        """Begin to stop: what ends now is not started again."""
        self._stopping.set()

    def stop(self) -> None:
        self.interrupt()
        if self._thread is not None:
            self._thread.join()
        (self._folder / LIST).unlink(missing_ok=True)
        for one in self._running:
            one.listening.close()
        self._running = []

    def address(self, name: str) -> str | None:
        """Where a stand-in is, by its name."""
        return next((one.url for one in self._running if one.name == name), None)

    def held(self, name: str) -> tuple[str, ...] | None:
        """Which deliveries a stand-in still has, by their keys; ``None`` when it cannot tell."""
        one = next((one for one in self._running if one.name == name), None)
        info = None if one is None else self._info(one)
        return None if info is None or info.status is None else info.status.holds

    def listed(self) -> list[StandInInfo]:
        """All of them as they are now; asks each one."""
        return [self._info(one) for one in self._running]

    def _info(self, one: _Running) -> StandInInfo:
        from ..standins.kinds import KINDS  # which the server itself can do without

        status: Status | None = None
        asked = now()
        alive = one.process is not None and one.process.is_alive()
        if alive:
            with suppress(JayFlickError), Sender(one.url, patience=1.5) as sender:
                status = sender.status()
        starting = not alive or (status is None and time.monotonic() < one.not_before + 5)
        return StandInInfo.model_validate(
            {
                "name": one.name,
                "title": KINDS[one.name].title,
                "url": one.url,
                "asked": asked,
                "state": "ready" if status else "starting" if starting else "silent",
                "status": status,
            }
        )

    def _keep(self) -> None:
        while not self._stopping.is_set():
            for one in self._running:
                if one.process is not None and one.process.is_alive():
                    continue
                clock = time.monotonic()
                if one.process is not None:
                    # One that ends as soon as it has begun is not started again and again without a pause.
                    quick = clock - one.not_before < 5
                    one.failures = one.failures + 1 if quick else 0
                    one.process = None
                    one.not_before = clock + min(0.2 * 2**one.failures, 10)
                if clock >= one.not_before and not self._stopping.is_set():
                    one.not_before = clock
                    with suppress(OSError, EOFError):  # what it is forked from was killed; it is tried again
                        one.process = self._begin(one)
            self._stopping.wait(0.2)
        for one in self._running:
            if one.process is not None:
                one.process.terminate()
        patient = time.monotonic() + 2
        for one in self._running:
            if one.process is not None:
                one.process.join(max(patient - time.monotonic(), 0.01))
                if one.process.is_alive():
                    one.process.kill()
                    one.process.join()

    def _begin(self, one: _Running) -> BaseProcess:
        options = {"listening": one.listening, "share": self._share, "framed_by": self._port}
        process = CONTEXT.Process(
            target=_run, args=(one.name, self._folder, self._web, options), name=one.name, daemon=True
        )
        process.start()
        return process


def _run(name: Kind, folder: Path, web: Path, options: dict[str, Any]) -> None:
    """A stand-in's process."""
    from ..standins.serve import serve

    forked_as(f"stand-in {name}")
    serve(name, folder, web, **options)
