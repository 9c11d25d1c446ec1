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

from ..core.broadcast.numbered_set import numbered_set
from ..core.content import read_file
from ..core.errors import InputError
from ..delivery.sender import Load, Progress, Sender, offer_of, offered, usable
from .options import STAND_INS
from .writing import print_json

BEYOND = "JAYFLICK_SEND_BEYOND"


def run_send(options: argparse.Namespace) -> None:
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
    for one in (signal.SIGINT, signal.SIGTERM):
        signal.signal(one, lambda number, frame: stop.set())  # called off there as well
    progress = _say if sys.stderr.isatty() else lambda progress: None
    with Sender(address) as sender:
        answer = sender.send(offer, files, progress=progress, cancelled=stop.is_set)
    if options.json:
        print_json(answer.model_dump(mode="json"))
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
