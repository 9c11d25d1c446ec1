"""``jayflick gather``: which sequences are there, and what is wrong with them."""

import argparse
import sys

from ..core.errors import InputError, printable
from ..core.sequence.files import look_at
from ..core.sequence.gather import gather
from .earlier import inputs_of
from .parsing import cut
from .writing import print_json, scratch_folder


def run_gather(options: argparse.Namespace) -> None:
    files, notes = inputs_of(options.input)
    with scratch_folder() as scratch:
        sequences, ignored = gather(look_at(files, scratch, cut(options.clip))[0])
    document = {"sequences": [sequence.document() for sequence in sequences], "ignored": ignored}
    for note in notes:
        print(f"jayflick: note: {note}", file=sys.stderr)
    if options.json:
        print_json(document)
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
