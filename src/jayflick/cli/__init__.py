"""The command line. What a command needs is loaded when it is called."""

import argparse
import gc
import os
import signal
import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from importlib import import_module
from pathlib import Path
from typing import Any, NamedTuple

from .. import __version__
from ..core.errors import InputError, JayFlickError
from . import options


class _Command(NamedTuple):
    help: str
    options: Callable[[argparse.ArgumentParser], None]
    module: str
    """Where its function ``run_NAME`` is."""


_COMMANDS = {
    "make": _Command("make a loop, a clip, a set or a sheet from frames", options.make, "make"),
    "batch": _Command("make the same of many sequences", options.batch, "batch"),
    "watch": _Command("make again whenever the frames in a folder change", options.watch, "watch"),
    "info": _Command("what a file really holds, frame by frame", options.info, "info"),
    "compare": _Command(
        "how alike two files are that are to show the same: PSNR, SSIM, what stands out",
        options.compare,
        "compare",
    ),
    "gather": _Command("which sequences are there, and what is wrong with them", options.gather, "gather"),
    "check": _Command("whether a file or folder is taken where it goes", options.check, "check"),
    "targets": _Command("which targets there are", options.targets, "targets"),
    "cover": _Command("which frames of a transition hide the cut", options.cover, "broadcast"),
    "memory": _Command("what an overlay takes once it is loaded", options.memory, "broadcast"),
    "send": _Command("send a file or a set to a device or a host", options.send, "send"),
    "completion": _Command("what a shell reads to complete commands", options.completion, "completion"),
}


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status: 0 done, 2 bad input or options, 1 anything else."""
    _open_streams()
    try:
        with _stopped_by_signals():
            parser = _parser()
            if "_ARGCOMPLETE" in os.environ:  # a shell asks what could be typed next
                from .completion import answer

                answer(parser)
            typed = parser.parse_args(arguments)
            gc.disable()  # all that is loaded stays
            try:
                module = import_module(f".{_COMMANDS[typed.command].module}", __name__)
            finally:
                gc.enable()
            status: int = getattr(module, f"run_{typed.command}")(typed) or 0
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


def _open_streams() -> None:
    """What was closed by whoever started us takes what is written to it, and no other file does."""
    for name, way in (("stdin", os.O_RDONLY), ("stdout", os.O_WRONLY), ("stderr", os.O_WRONLY)):
        stream = getattr(sys, name)
        if stream is None:
            os.open(os.devnull, way)  # takes the lowest number that is free: that of the stream
            setattr(sys, name, open(os.devnull, "r" if name == "stdin" else "w", encoding="utf-8"))  # noqa: SIM115
        elif name != "stdin" and hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")  # a name may be what no encoding holds


@contextmanager
def _stopped_by_signals() -> Iterator[None]:
    """The first that asks us to end unwinds all there is, and no other comes between."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def stop(number: int, frame: Any) -> None:
        for one in before:
            signal.signal(one, signal.SIG_IGN)
        raise KeyboardInterrupt

    before = {one: signal.getsignal(one) for one in (signal.SIGINT, signal.SIGTERM)}
    for one in before:
        signal.signal(one, stop)
    try:
        yield
    finally:
        for one, handler in before.items():
            signal.signal(one, handler)


def _fail(error: JayFlickError, status: int) -> int:
    print(f"jayflick: {' '.join(str(error).split())}", file=sys.stderr)
    return status


def _parser() -> argparse.ArgumentParser:
    parser = options.Parser(
        prog="jayflick",
        description="From numbered frames to small looping pictures.",
        epilog="'jayflick COMMAND --help' tells the options of a command.",
    )
    parser.add_argument("--version", action="version", version=f"jayflick {__version__}")
    commands = parser.add_subparsers(
        required=True, metavar="COMMAND", dest="command", parser_class=options.Parser
    )
    for name, command in _COMMANDS.items():
        about = f"{command.help[0].upper()}{command.help[1:]}."
        command.options(commands.add_parser(name, help=command.help, description=about))
    return parser
