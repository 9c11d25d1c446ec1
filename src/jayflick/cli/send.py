"""``jayflick send``: a file, a numbered set or a sheet goes to a stand-in, or to an address."""

import argparse
import hashlib
import json
import os
import re
import signal
import sys
import threading
import uuid
from pathlib import Path
from typing import Any, get_args

from ..core.broadcast.numbered_set import numbered_set
from ..core.errors import InputError
from ..core.sequence.files import read_file
from ..delivery.protocol import Kind, Use
from ..delivery.sender import Load, Progress, Sender, offer_of, offered, usable

STAND_INS = get_args(Kind)
BEYOND = "JAYFLICK_SEND_BEYOND"


def add_to(commands: Any) -> None:
    """The command and its options."""
    send = commands.add_parser("send", help="send a file or a set to a device or a host")
    send.add_argument("source", metavar="FILE|DIR", help="a file, a numbered set, or a sheet with its JSON")
    send.add_argument("--to", required=True, metavar="NAME|URL", help=f"{', '.join(STAND_INS)}, or an address")
    send.add_argument("--memory", type=int, metavar="N", help="the numbered place there, if one is asked for")
    send.add_argument("--as", dest="use", choices=get_args(Use), help="what it is for there")
    send.add_argument("--fps", type=float, help="frames a second that a set is made for")
    send.add_argument("--cut", type=int, metavar="FRAME", help="of a transition: where the sources are cut")
    send.add_argument("--repeat", type=int, default=0, help="how often it plays; 0: for ever")
    send.add_argument("--at", metavar="X,Y", help="left and top on the raster")
    send.add_argument("--again", action="store_true", help="even if the same files were taken there before")
    send.add_argument("--data", type=Path, default=Path(".data"), help="the data folder of ./start (.data)")
    send.add_argument("--json", action="store_true")
    send.set_defaults(run=_send)


def _send(options: argparse.Namespace) -> None:
    address = _address(options.to, options.data)
    first, files = _files(options.source)
    digest = hashlib.sha256(
        json.dumps(
            [address, options.memory, options.use, options.fps, options.cut, options.repeat, options.at]
        ).encode()
    )
    for file in files:
        digest.update(file.name.encode() + b"\0" + file.read())
    offer = offer_of(
        key=uuid.uuid4().hex if options.again else digest.hexdigest(),
        title=Path(options.source).resolve().name[:200],
        files=offered(files),
        first=first,
        use=options.use,
        place=options.memory,
        rate=options.fps,
        repeat=options.repeat,
        at=_at(options.at),
        cut=options.cut,
    )
    stop = threading.Event()
    signal.signal(signal.SIGINT, lambda number, frame: stop.set())  # called off there as well
    progress = _say if sys.stderr.isatty() else lambda progress: None
    with Sender(address) as sender:
        answer = sender.send(offer, files, progress=progress, cancelled=stop.is_set)
    if options.json:
        print(answer.model_dump_json())
        return
    print(f"{answer.verdict}: {answer.message}")
    for line in (*answer.remarks, answer.remedy):
        if line:
            print(f"  {line}")


def _at(text: str | None) -> tuple[int, int] | None:
    if text is None:
        return None
    match = re.fullmatch(r"(-?\d{1,4}),(-?\d{1,4})", text)
    if match is None:
        raise InputError(f"--at {text!r} is no place", remedy="use one such as 96,54")
    return int(match[1]), int(match[2])


def _say(progress: Progress) -> None:
    print(f"\r{progress.stage} {progress.done} of {progress.total} ", end="", file=sys.stderr, flush=True)


def _address(to: str, data: Path) -> str:
    """Where a stand-in is, or the address itself if it may be used."""
    if to in STAND_INS:
        try:
            found: dict[str, str] = json.loads((data / "standins" / "standins.json").read_text())
            return found[to]
        except (OSError, ValueError, KeyError):
            raise InputError(
                f"the {to} is not running", remedy="run ./start, or name its data folder"
            ) from None
    if re.fullmatch(r"[a-z-]+", to) and to != "localhost":
        remedy = f"there are {', '.join(STAND_INS)}; or name an address"
        raise InputError(f"there is no stand-in called {to}", remedy=remedy)
    return usable(to, beyond=os.environ.get(BEYOND, "").lower() in ("1", "true", "yes"))


def _files(source: str) -> tuple[str | None, list[Load]]:
    """The first file of a numbered set, if it is one, and all files."""
    path = Path(source)
    if not path.is_dir():
        return None, [_load(path)]
    sheets = sorted(file for file in path.iterdir() if file.suffix in (".json", ".png") and file.is_file())
    if any(file.suffix == ".json" for file in sheets):
        return None, [_load(file) for file in sheets]
    found = numbered_set(source)
    return found.files[0].name, [_load(file) for file in found.files]


def _load(path: Path) -> Load:
    return Load(path.name, len(read_file(path)), lambda: read_file(path))
