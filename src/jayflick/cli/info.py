"""``jayflick info``: what a file really holds."""

import argparse
from pathlib import Path

from ..core.content import read_file
from ..core.errors import printable
from ..core.formats.describe import describe_file
from .writing import print_json


def run_info(options: argparse.Namespace) -> None:
    path = Path(options.file)
    data = read_file(path)
    document = describe_file(data, path.name)
    if options.json:
        print_json(document)
        return
    times = {0: "for ever", 1: "once"}.get(document["repeat"], f"{document['repeat']} times")
    colours = "" if document["colours"] is None else f", {document['colours']} colours"
    print(
        f"{printable(path.name)}: {document['width']} × {document['height']}, {document['count']} frames, "
        f"{document['duration_ms'] / 1000:.2f} s {times}, {document['bytes']} bytes"
        f"{colours}{', transparent' if document['transparent'] else ''}"
    )
    print("frame  delay ms    bytes  colours  disposal  palette  box")
    for frame in document["frames"]:
        size, used, disposal = (_or_dash(frame[key]) for key in ("bytes", "colours", "disposal"))
        place = "-"
        if frame["box"] is not None:
            x, y, width, height = frame["box"]
            place = f"{width}×{height} at {x},{y}"
        print(
            f"{frame['index'] + 1:5} {frame['delay_ms']:9} {size:>8} {used:>8} {disposal:>9}  "
            f"{frame['palette'] or '-':7}  {place}"
        )


def _or_dash(value: object) -> str:
    return "-" if value is None else str(value)
