"""``jayflick compare``: how alike two files are that are to show the same."""

import argparse
from dataclasses import asdict
from pathlib import Path
from typing import Any

from ..core.content import read_file
from ..core.errors import InputError, printable
from ..core.pictures import clip
from ..core.pictures.kinds import read_header, read_picture
from ..core.pictures.moving import Moving, open_clip, open_moving
from ..core.pictures.unset import read_set
from ..core.quality.compare import Comparison, compare
from ..core.quality.likeness import Likeness, Worst
from ..core.sequence.names import by_number
from ..core.timing.flicks import SECOND
from .writing import print_json


def run_compare(options: argparse.Namespace) -> None:
    paths = Path(options.first), Path(options.second)
    (first, count), (second, other) = (_opened(path) for path in paths)
    found = compare(first, second, (count, other), (paths[0].name, paths[1].name))
    if options.json:
        sides = [_side(path, *one) for path, one in zip(paths, ((first, count), (second, other)), strict=True)]
        print_json(_document(found, sides))
        return
    matched = "by time" if found.by_time else "one by one"
    names = " and ".join(printable(path.name) for path in paths)
    print(f"{names}: {len(found.pairs)} pictures {matched}, {_figures(found.likeness)}")
    if found.likeness.psnr is not None:
        worst = found.worst
        when = f", at {worst.at:.2f} s" if found.by_time else ""
        pair = f"picture {worst.first + 1} and {worst.second + 1}"
        print(f"  least alike: {pair}{when}, {_figures(worst.likeness)}")
        if found.stands_out is not None:
            print(f"  stands out: {_standing_out(found.stands_out)}")


def _figures(of: Likeness) -> str:
    if of.psnr is None:
        return "equal"
    words = [f"PSNR {of.psnr:.2f} dB"]
    if of.ssim is not None:
        words.append(f"SSIM {of.ssim:.4f}")
    if of.bands:
        words.append(f"bands {of.bands:.2f}")
    if of.crawling:
        words.append(f"{100 * of.crawling:.1f} % of still pixels crawl")
    if of.edges:
        words.append(f"edges {of.edges:.1f}")
    if of.hue >= 0.005:
        words.append(f"hue {of.hue:.2f}")
    return ", ".join(words)


def _standing_out(worst: Worst) -> str:
    one = worst.first == worst.last
    span = f"picture {worst.first + 1}" if one else f"pictures {worst.first + 1} to {worst.last + 1}"
    if worst.place is None:
        return f"{worst.blemish}, {span}"
    left, top = worst.place
    return f"{worst.blemish}, {span}, worst around {left}, {top} of picture {worst.at + 1}"


def _side(path: Path, moving: Moving, count: int) -> dict[str, Any]:
    duration = None if moving.durations is None else round(1000 * sum(moving.durations) / SECOND, 3)
    return {"file": path.name, "count": count, "duration_ms": duration}


def _document(found: Comparison, sides: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "first": sides[0],
        "second": sides[1],
        "matched": "time" if found.by_time else "frames",
        **_measured(found.likeness),
        "worst": found.pairs.index(found.worst),
        "stands_out": None if found.stands_out is None else asdict(found.stands_out),
        "pairs": [
            {"first": pair.first, "second": pair.second, "at": round(pair.at, 6), **_measured(pair.likeness)}
            for pair in found.pairs
        ],
    }


def _measured(of: Likeness) -> dict[str, float | None]:
    """PSNR in dB, ``null`` when equal; SSIM; bands and edges in levels, the share that crawls, hue in units of
    CIEDE2000."""
    blemishes = {"bands": of.bands, "crawling": of.crawling, "edges": of.edges, "hue": of.hue}
    return {"psnr": of.psnr, "ssim": of.ssim, **blemishes}


def _opened(path: Path) -> tuple[Moving, int]:
    """A file or a folder of frames, and how many pictures it holds."""
    if path.is_dir():
        names = [one.name for one in path.iterdir() if one.is_file() and not one.name.startswith(".")]
        if not names:
            raise InputError("holds no pictures", file=path.name, remedy="check the folder")
        files = [(name, read_file(path / name)) for name in by_number(names)]
        return Moving(None, None, iter(read_set(files))), len(files)
    data = read_file(path)
    if clip.knows(data, path.name):
        moving = open_clip(data, path.name, clip.WHOLE)
        return moving, len(moving.durations or ())
    count = read_header(data, name=path.name).count
    if count == 1:
        return Moving(None, None, iter([read_picture(data, name=path.name)])), 1
    moving = open_moving(data, path.name)
    return moving, count if moving.durations is None else len(moving.durations)
