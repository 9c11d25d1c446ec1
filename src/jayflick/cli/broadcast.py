"""``jayflick cover`` and ``memory``: whether a transition hides the cut, and what an overlay takes."""

import argparse
import re

from ..core.broadcast.cover import Cover, opaque_share
from ..core.broadcast.numbered_set import NumberedSet, numbered_set
from ..core.broadcast.overlay import Memory
from ..core.errors import InputError
from ..core.framing.art_box import box_of, union
from .writing import print_json

_WORDS = {"pass": "fine", "warn": "many frames", "fail": "too much"}


def run_cover(options: argparse.Namespace) -> None:
    found = numbered_set(options.folder)
    cover = Cover(tuple(found.each(opaque_share)))
    document = {
        "count": len(cover.opaque),
        "opaque": [round(share, 6) if share < 1 else 1 for share in cover.opaque],
        "covered": [list(run) for run in cover.covered],
        "cut": cover.cut,
    }
    if options.json:
        print_json(document)
        return
    runs = ", ".join(f"{first} to {last}" for first, last in cover.covered)
    if cover.cut is None:
        most = 100 * max(cover.opaque)
        print(f"no frame covers the picture: frame {cover.fullest} comes nearest, {most:.2f} % of it opaque")
    else:
        print(f"{len(cover.opaque)} frames; covered from {runs}; cut at {cover.cut}")
    _say_gaps(found)


def run_memory(options: argparse.Namespace) -> int:
    match = re.fullmatch(r"([1-9]\d{1,4})x([1-9]\d{1,4})", options.raster)
    if match is None:
        raise InputError(f"--raster {options.raster!r} is not a raster", remedy="use one such as 1920x1080")
    found = numbered_set(options.folder)
    box = union(found.each(box_of))
    memory = Memory(len(found.files), box, (int(match[1]), int(match[2])))
    document = {
        "count": memory.count,
        "box": list(memory.box),
        "trimmed_bytes": memory.trimmed_bytes,
        "full_bytes": memory.full_bytes,
        "verdict": memory.verdict,
    }
    if options.json:
        print_json(document)
    else:
        left, top, width, height = memory.box
        print(
            f"{memory.count} frames; {width} × {height} at {left}, {top} is used: "
            f"{memory.trimmed_bytes / 2**20:.1f} MB trimmed, {memory.full_bytes / 2**20:.1f} MB "
            f"in full frames; {_WORDS[memory.verdict]}"
        )
        _say_gaps(found)
    return 1 if memory.verdict == "fail" else 0


def _say_gaps(found: NumberedSet) -> None:
    if found.missing:
        some = ", ".join(map(str, found.missing[:5])) + (" …" if len(found.missing) > 5 else "")
        print(f"  numbers missing: {some}")
