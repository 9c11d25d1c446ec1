"""Serving, from a database that is being started until SIGINT or SIGTERM."""

import gc
import shutil
import socket
import tempfile
from pathlib import Path

import uvicorn
from fastapi import FastAPI

from ..loopback import on_loopback
from .app import create_app
from .bounds import PatientProtocol
from .forks import Forks
from .lock import Lock
from .mariadb import PrivateServer
from .migration import migrate
from .settings import Settings


def serve(settings: Settings, database: PrivateServer, lock: Lock) -> None:
    """Serve on loopback. ``settings``: without the database's address; ``lock``: of the data folder."""
    port = settings.port or 0
    gc.freeze()  # looked through, what is shared would be so no longer
    forks = Forks()  # now that what it shares is loaded, and nothing runs in a thread
    database.ready()
    settings = settings.model_copy(update={"database": database.url})
    _receive_into(settings.uploads_folder)
    migrate(settings.database)
    config = on_loopback(create_app(settings), port, stopping=3, http=PatientProtocol)
    lock.tell(f"http://127.0.0.1:{port}")
    _Server(config, forks).run()


class _Server(uvicorn.Server):
    """Says where it is once it really answers there, and stops without waiting for what may take long."""

    def __init__(self, config: uvicorn.Config, forks: Forks) -> None:
        super().__init__(config)
        self._forks = forks

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        app = self.config.app
        if isinstance(app, FastAPI):
            app.state.service.interrupt()
        self._forks.end_loading()
        await super().shutdown(sockets)

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        # What is loaded now stays: looking through it again and again would hold up answers.
        gc.collect()
        gc.freeze()
        gc.set_threshold(50_000, 20, 50)
        gc.enable()
        if self.started:
            print(f"Jay Flick is ready at http://127.0.0.1:{self.config.port} (Ctrl-C stops it)", flush=True)


def _receive_into(folder: Path) -> None:
    """Have files lie in the data folder while they are received; what an earlier run left there goes."""
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(mode=0o700)
    tempfile.tempdir = str(folder.resolve())
