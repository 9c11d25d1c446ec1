"""``jayflick gather``: which sequences are there, and what is wrong with them."""

import argparse
import json
import tempfile
from pathlib import Path
from typing import Any

from ..core.errors import InputError, printable
from ..core.sequence.files import list_files, look_at
from ..core.sequence.gather import gather
from .parsing import add_clip, cut


def add_to(commands: Any) -> None:
    """The command and its options."""
    collect = commands.add_parser("gather", help="which sequences are there, and what is wrong with them")
    collect.add_argument("input", nargs="+", help="files, a folder, an archive, or a pattern in quotes")
    collect.add_argument("--json", action="store_true")
    add_clip(collect)
    collect.set_defaults(run=_gather)


def _gather(options: argparse.Namespace) -> None:
    with tempfile.TemporaryDirectory(prefix="jayflick-") as scratch:
        sequences, ignored = gather(look_at(list_files(options.input), Path(scratch), cut(options.clip))[0])
    document = {"sequences": [sequence.document() for sequence in sequences], "ignored": ignored}
    if options.json:
        print(json.dumps(document, indent=2, ensure_ascii=False))
    for entry in document["sequences"] if not options.json else []:
        span = f", {entry['first']} to {entry['last']}" if entry["first"] is not None else ""
        sizes = ", ".join(entry["sizes"])
        print(f"{printable(entry['pattern'])}: {entry['count']} frames{span}, {sizes}")
        for problem in entry["problems"]:
            file = f"{printable(problem['file'])}: " if problem["file"] else ""
            print(f"  {file}{problem['message']}; {problem['remedy']}")
    for item in ignored if not options.json else []:
        print(f"ignored {printable(item['file'])}: {item['message']}")
    if not sequences:
        raise none_of(ignored, options.input)


def none_of(ignored: list[dict[str, str]], inputs: list[str]) -> InputError:
    """What is said when no frame came at all."""
    first = ignored[0] if ignored else {"file": ", ".join(inputs), "message": "there are no frames here"}
    remedy = "bring numbered frames, an animated picture or a clip"
    return InputError(first["message"], file=first["file"], remedy=remedy)
