"""The command line, a module a command or two."""

import argparse
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from .. import __version__
from ..core.errors import InputError, JayFlickError
from ..core.heap import keep_freed_memory
from . import broadcast, check, compare, gather, info, make, send


class _Parser(argparse.ArgumentParser):
    """Options are written out: a script must mean the same when another option is added."""

    def __init__(self, **options: object) -> None:
        super().__init__(**options, allow_abbrev=False)  # type: ignore[arg-type]

    def error(self, message: str) -> NoReturn:
        raise InputError(message, remedy=f"see '{self.prog} --help'")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status: 0 done, 2 bad input or options, 1 anything else."""
    keep_freed_memory()
    try:
        options = _parser().parse_args(arguments)
        status: int = options.run(options) or 0
    except InputError as error:
        return _fail(error, 2)
    except JayFlickError as error:
        return _fail(error, 1)
    except KeyboardInterrupt:
        return _fail(JayFlickError("stopped; nothing was written"), 1)
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except (OSError, MemoryError) as error:
        what = getattr(error, "strerror", None) or type(error).__name__
        name = getattr(error, "filename", None)
        file = Path(name).name if isinstance(name, str) else None
        return _fail(JayFlickError(str(what), file=file, remedy="make room or choose another place"), 1)
    except Exception as error:  # a fault of ours; the one line must still be one line
        return _fail(JayFlickError(f"an unexpected fault, {type(error).__name__}: {error}"), 1)
    return status


def _fail(error: JayFlickError, status: int) -> int:
    print(f"jayflick: {' '.join(str(error).split())}", file=sys.stderr)
    return status


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="jayflick", description="From numbered frames to small looping pictures.")
    parser.add_argument("--version", action="version", version=f"jayflick {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND", parser_class=_Parser)
    for command in (make, info, compare, gather, check, broadcast, send):
        command.add_to(commands)
    return parser
