"""``python -m jayflick.standins switcher --data DIR`` runs one stand-in on the loopback address."""

import argparse
import sys
from pathlib import Path

import uvicorn

from ..loopback import LoopbackProtocol
from ..peers import own_users
from .device import create_app
from .kinds import KINDS


def main() -> int:
    """Serve until SIGINT or SIGTERM."""
    parser = argparse.ArgumentParser(prog="python -m jayflick.standins", description="Run one stand-in.")
    parser.add_argument("kind", choices=sorted(KINDS))
    parser.add_argument("--data", type=Path, required=True, help="for what comes in; emptied first")
    parser.add_argument("--web", type=Path, default=Path("web/dist"), help="the built pages")
    parser.add_argument("--port", type=int, default=0, help="on 127.0.0.1; 0: a free one")
    parser.add_argument("--fd", type=int, help="a socket that listens already")
    parser.add_argument("--share", action="store_true", help="answer every user of this machine")
    parser.add_argument("--framed-by", type=int, metavar="PORT", help="whose pages may show it in a frame")
    options = parser.parse_args()
    device = KINDS[options.kind](options.data / options.kind)
    uvicorn.run(
        create_app(device, options.web.resolve(), None if options.share else own_users(), options.framed_by),
        host="127.0.0.1",
        port=options.port,
        fd=options.fd,
        log_level="warning",
        access_log=False,
        timeout_graceful_shutdown=1,
        http=LoopbackProtocol,
    )
    return 0


if __name__ == "__main__":
    sys.exit(main())
