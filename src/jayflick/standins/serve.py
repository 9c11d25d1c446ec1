"""Running one stand-in on the loopback address."""

from pathlib import Path
from socket import socket

from uvicorn import Server

from ..delivery.protocol import Kind
from ..loopback import on_loopback
from ..peers import own_users
from .device import create_app
from .kinds import KINDS


def serve(
    kind: Kind,
    data: Path,
    web: Path,
    *,
    listening: socket | None = None,
    port: int = 0,
    share: bool = False,
    framed_by: int | None = None,
) -> None:
    """Serve until SIGINT or SIGTERM.

    ``data``: for what comes in, emptied first; ``web``: the built pages; ``listening``: a socket that does
    already, else a ``port`` of 127.0.0.1; ``share``: with every user of this machine; ``framed_by``: the port
    of this machine whose pages may show it in a frame.
    """
    device = KINDS[kind](data / kind)
    app = create_app(device, web.resolve(), None if share else own_users(), framed_by)
    Server(on_loopback(app, port, stopping=1)).run(None if listening is None else [listening])
