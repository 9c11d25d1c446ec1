"""Running one stand-in on the loopback address."""

from pathlib import Path
from socket import socket

import uvicorn

from ..delivery.protocol import Kind
from ..loopback import LoopbackProtocol
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
    config = uvicorn.Config(
        create_app(device, web.resolve(), None if share else own_users(), framed_by),
        host="127.0.0.1",
        port=port,
        log_level="warning",
        access_log=False,
        timeout_graceful_shutdown=1,
        http=LoopbackProtocol,
    )
    uvicorn.Server(config).run(None if listening is None else [listening])
