"""``python -m jayflick.standins switcher --data DIR`` runs one stand-in on the loopback address."""

import argparse
import sys
from pathlib import Path

from .kinds import KINDS
from .serve import serve


def main() -> int:
    """Serve until SIGINT or SIGTERM."""
    parser = argparse.ArgumentParser(prog="python -m jayflick.standins", description="Run one stand-in.")
    parser.add_argument("kind", choices=sorted(KINDS))
    parser.add_argument("--data", type=Path, required=True, help="for what comes in; emptied first")
    parser.add_argument("--web", type=Path, default=Path("web/dist"), help="the built pages")
    parser.add_argument("--port", type=int, default=0, help="on 127.0.0.1; 0: a free one")
    parser.add_argument("--share", action="store_true", help="answer every user of this machine")
    options = parser.parse_args()
    serve(options.kind, options.data, options.web, port=options.port, share=options.share)
    return 0


if __name__ == "__main__":
    sys.exit(main())
