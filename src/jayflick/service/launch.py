"""What ./start runs once everything is installed. Little is loaded here: the database begins at once."""

import argparse
import gc
import logging
import signal
import socket
import sys
from importlib.util import find_spec
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING

from ..core.errors import JayFlickError
from ..peers import kernel_tells
from .lock import Lock
from .mariadb import PrivateServer, no_room

if TYPE_CHECKING:
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
        "--frames",
        type=Path,
        action="append",
        default=[],
        metavar="FOLDER",
        help="a folder from which frames may be opened in place, with all below it; may be repeated",
    )
    parser.add_argument(
        "--handoff", type=Path, help="a folder that outputs may be written into (default: none)"
    )
    parser.add_argument(
        "--share", action="store_true", help="answer every user of this machine, not only who starts it"
    )
    parser.add_argument(
        "--scheduler", default="", metavar="ADDRESS", help="a Dask scheduler whose workers carry out renders"
    )
    parser.add_argument(
        "--cluster-share",
        default="",
        metavar="PLACE",
        help="what they share with this machine: a folder, or a URL such as s3://bucket/folder",
    )
    parser.add_argument("--no-demo", action="store_true", help="begin with an empty shelf")
    parser.add_argument("--no-standins", action="store_true", help="leave the simulated devices out")
    parser.add_argument("--dev", action="store_true", help="start again whenever a source changes")
    typed = sys.argv[1:] if arguments is None else arguments
    options = parser.parse_args(typed)
    logging.basicConfig(format="%(levelname)s %(name)s: %(message)s", level=logging.WARNING)
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _leave)
    if options.dev:
        return _again([one for one in typed if one != "--dev"], options.port)
    options.data.mkdir(mode=0o700, parents=True, exist_ok=True)
    options.data.chmod(0o700)
    database = PrivateServer(options.data / "database")
    lock = None
    try:
        _need_cluster(options)
        lock = Lock.take(options.data)
        port = _port(options.port)
        print("starting", flush=True)
        database.begin()
        gc.disable()  # all that is loaded stays: looking through it meanwhile takes an eighth of the time
        from .serving import serve  # takes most of a start, while the database starts
        from .settings import Settings

        share = options.share
        if not share and not kernel_tells():
            print(
                "this system does not tell whose a connection is: every user of this machine can use Jay Flick",
                flush=True,
            )
            share = True
        settings = Settings(
            data=options.data,
            frames=tuple(_readable(folder) for folder in options.frames),
            demo=not options.no_demo,
            standins=not options.no_standins,
            share=share,
            port=port,
            scheduler=options.scheduler,
            cluster_share=options.cluster_share,
        )
        serve(_with_handoff(settings, options.handoff), database, lock)
    except Exception as error:
        from .room import is_full

        told = no_room() if is_full(error) else error
        if not isinstance(told, JayFlickError):
            raise
        print(f"./start: {told}", file=sys.stderr)
        return 1
    finally:
        if lock is not None:  # without it the database is another's
            database.stop()
    return 0


def _again(typed: list[str], port: int | None) -> int:
    """Serve at one address, whatever is changed meanwhile."""
    from .reloading import serve_again  # of the packages of whoever works on it

    try:
        serve_again([*typed, "--port", str(_port(port))])
    except JayFlickError as error:
        print(f"./start: {error}", file=sys.stderr)
        return 1
    return 0


def _with_handoff(settings: "Settings", folder: Path | None) -> "Settings":
    """The settings with a hand-off folder, if one is asked for; it must be there."""
    if folder is None:
        return settings
    if not folder.is_dir():
        raise JayFlickError("the hand-off folder is not there", file=folder.name, remedy="make it first")
    return settings.model_copy(update={"handoff": folder.resolve()})


def _need_cluster(options: argparse.Namespace) -> None:
    """What it takes to use a cluster must be there; whether it answers is seen later."""
    if not options.scheduler and not options.cluster_share:
        return
    from ..core.cluster.shared import absolute, missing_packages, require_known

    if not (options.scheduler and options.cluster_share):
        raise JayFlickError("--scheduler and --cluster-share go together", remedy="name both")
    if find_spec("distributed") is None:
        raise missing_packages()
    options.cluster_share = absolute(options.cluster_share)
    require_known(options.cluster_share)


def _readable(folder: Path) -> Path:
    """A folder that frames may be opened in; it must be there."""
    if not folder.is_dir():
        raise JayFlickError("the folder of frames is not there", file=folder.name, remedy="make it first")
    return folder.resolve()


def _leave(number: int, frame: FrameType | None) -> None:
    raise SystemExit(0)


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
