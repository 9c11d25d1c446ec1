"""What ./start runs once everything is installed: database, tables, demo, compiled loops, server."""

import argparse
import gc
import logging
import shutil
import signal
import socket
import sys
import tempfile
import time
from pathlib import Path
from types import FrameType

import uvicorn
from fastapi import FastAPI
from sqlalchemy.exc import DBAPIError

from ..core.errors import JayFlickError
from ..core.warm import compiled_before, warm
from ..peers import kernel_tells
from .app import create_app
from .bounds import PatientProtocol
from .database import make_engine, make_sessions
from .decoding import load_readers
from .demo import load_demo
from .lock import Lock
from .mariadb import PrivateServer, no_room
from .migration import migrate
from .room import is_full
from .settings import Settings

PORT = 8230


def main(arguments: list[str] | None = None) -> int:
    """Serve until SIGINT or SIGTERM; returns the exit status."""
    parser = argparse.ArgumentParser(
        prog="./start", description="Set Jay Flick up, then serve it on this machine."
    )
    parser.add_argument(
        "--port", type=int, help=f"the port to serve on (default: {PORT}, or the next free one)"
    )
    parser.add_argument("--data", type=Path, default=Path(".data"), help="the data folder (default: .data)")
    parser.add_argument(
        "--handoff", type=Path, help="a folder that outputs may be written into (default: none)"
    )
    parser.add_argument(
        "--share", action="store_true", help="answer every user of this machine, not only who starts it"
    )
    parser.add_argument("--no-demo", action="store_true", help="begin with an empty shelf")
    parser.add_argument("--no-standins", action="store_true", help="leave the simulated devices out")
    options = parser.parse_args(arguments)
    logging.basicConfig(format="%(levelname)s %(name)s: %(message)s", level=logging.WARNING)
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _leave)
    options.data.mkdir(mode=0o700, parents=True, exist_ok=True)
    options.data.chmod(0o700)
    database = PrivateServer(options.data / "database")
    lock = None
    try:
        lock = Lock.take(options.data)
        port = _port(options.port)
        load_readers()
        _say("starting the database")
        database.start()
        share = options.share
        if not share and not kernel_tells():
            _say(
                "this system does not tell whose a connection is: every user of this machine can use Jay Flick"
            )
            share = True
        settings = Settings(
            data=options.data,
            database=database.url,
            standins=not options.no_standins,
            share=share,
            port=port,
        )
        settings = _with_handoff(settings, options.handoff)
        _receive_into(settings.uploads_folder)
        migrate(settings.database)
        if not compiled_before():
            _say("compiling the inner loops (half a minute, this once)")
            warm()
        if not options.no_demo:
            _demo(settings)
        server = _Server(
            uvicorn.Config(
                create_app(settings),
                host="127.0.0.1",
                port=port,
                log_level="warning",
                access_log=False,
                timeout_graceful_shutdown=3,
                http=PatientProtocol,
            )
        )
        lock.tell(f"http://127.0.0.1:{port}")
        server.run()
    except (JayFlickError, OSError, DBAPIError) as error:
        told = no_room() if is_full(error) else error
        if not isinstance(told, JayFlickError):
            raise
        print(f"./start: {told}", file=sys.stderr)
        return 1
    finally:
        if lock is not None:  # without it the database is another's
            database.stop()
    return 0


class _Server(uvicorn.Server):
    """Says where it is once it really answers there, and stops without waiting for what may take long."""

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        app = self.config.app
        if isinstance(app, FastAPI):
            app.state.service.interrupt()
        await super().shutdown(sockets)

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        # What is loaded now stays: looking through it again and again would hold up answers.
        gc.collect()
        gc.freeze()
        gc.set_threshold(50_000, 20, 50)
        if self.started:
            _say(f"Jay Flick is ready at http://127.0.0.1:{self.config.port} (Ctrl-C stops it)")


def _with_handoff(settings: Settings, folder: Path | None) -> Settings:
    """The settings with a hand-off folder, if one is asked for; it must be there."""
    if folder is None:
        return settings
    if not folder.is_dir():
        raise JayFlickError("the hand-off folder is not there", file=folder.name, remedy="make it first")
    return settings.model_copy(update={"handoff": folder.resolve()})


def _receive_into(folder: Path) -> None:
    """Have files lie in the data folder while they are received; what an earlier run left there goes."""
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(mode=0o700)
    tempfile.tempdir = str(folder.resolve())


def _leave(number: int, frame: FrameType | None) -> None:
    raise SystemExit(0)


def _say(text: str) -> None:
    print(text, flush=True)


def _demo(settings: Settings) -> None:
    engine = make_engine(settings.database)
    try:
        begun = time.monotonic()
        _say("looking for the demo (drawn once, in half a minute)")
        if load_demo(settings, make_sessions(engine)):
            _say(f"demo drawn in {time.monotonic() - begun:.0f} s")
    finally:
        engine.dispose()


def _port(wanted: int | None) -> int:
    for port in [wanted] if wanted is not None else [*range(PORT, PORT + 50), 0]:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except (OSError, OverflowError):
                continue
            found: int = probe.getsockname()[1]
            return found
    raise JayFlickError(f"port {wanted} is in use", remedy="choose another with --port, or leave it out")
