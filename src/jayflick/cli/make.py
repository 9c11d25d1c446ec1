"""``jayflick make``: frames in, files out."""

import argparse
import contextlib
import json
import os
import resource
import sys
import tempfile
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, get_args

from ..core.dither.kinds import Dither, Matrix
from ..core.errors import InputError, printable
from ..core.pictures.clip import Cut
from ..core.recipe import BaseOutput, Gather, GifOutput, Recipe, SheetOutput, Tuning
from ..core.recipe.outputs import Palette
from ..core.render import Rendered, render
from ..core.sequence.files import FileFrame, cut_into_views, list_files, look_at, project_in
from ..core.sequence.first import clear_frames, spans_of
from ..core.sequence.gather import Sequence as Sequence_
from ..core.sequence.gather import gather, joined, missing_after
from ..core.sequence.project_file import ProjectFile
from ..core.sequence.rhythm import own_rhythm
from ..core.stages import Stages
from ..core.targets.check import check, facts_of, verdict_of
from ..core.timing.flicks import milliseconds
from . import budget, sheets
from .framing import grid_of, lined_up, trimmed
from .gather import none_of
from .parsing import add_clip, colours, cut, decimal
from .recipes import of_frames, recipe_of, without_effect
from .writing import write_file


def add_to(commands: Any) -> None:
    """The command and its options."""
    make: argparse.ArgumentParser = commands.add_parser("make", help="make a loop, a clip or a set from frames")
    make.add_argument(
        "input",
        nargs="+",
        help="frames, a folder, an archive, an animated file or clip, or a pattern in quotes",
    )
    make.add_argument(
        "-o",
        "--output",
        required=True,
        help="OUT.gif, .png (animated), .webp, .avif, .mp4, .webm, .mov, or DIR/",
    )
    time_options = make.add_mutually_exclusive_group()
    time_options.add_argument("--fps", help="frames a second: 24, 12.5, 24000/1001")
    time_options.add_argument("--delay", help="one delay for all frames: 40ms, 4cs, 0.04s, 2f@30")
    make.add_argument("--range", help="first and last frame by position: 1-18")
    make.add_argument(
        "--order", help="frames in the order they play: '1-8, 12, 18-9' or '1-18 by 2'; 0: a blank"
    )
    make.add_argument("--step", type=int, help="play every n-th frame, in the same time")
    make.add_argument(
        "--thinned", choices=("same-time", "faster"), help="with --step: what it lasts (default: same-time)"
    )
    way = make.add_mutually_exclusive_group()
    way.add_argument("--reverse", action="store_true", help="last frame first")
    way.add_argument("--there-and-back", action="store_true", help="forward, then back, no end doubled")
    make.add_argument("--repeat", type=int, help="how often it plays; 0: for ever")
    make.add_argument(
        "--gaps", choices=("skip", "hold", "blend", "motion"), help="what becomes of missing numbers"
    )
    make.add_argument("--dissolve", type=int, help="how many frames at the end fade into the beginning")
    pace = make.add_mutually_exclusive_group()
    pace.add_argument("--speed", help="in percent: 200 plays in half the time")
    pace.add_argument("--length", help="what it all lasts: 4s, 2500ms")
    make.add_argument("--play-fps", help="play at this rate in the same time, dropping or holding frames")
    make.add_argument(
        "--one-by-one",
        action="store_true",
        help="with --play-fps, or a target that fixes a rate: each frame for one tick, whatever it lasted",
    )
    make.add_argument(
        "--play-by",
        choices=("hold", "blend", "motion"),
        help="with --play-fps: what is between frames",
    )
    make.add_argument("--between", type=int, metavar="N", help="pictures made between two, in the same time")
    make.add_argument(
        "--between-by",
        choices=("blend", "motion"),
        default="motion",
        help="how: both show through each other, or what moves is between the two",
    )
    make.add_argument("--size", help="580x, x351, 580x351 or 50%%; with --canvas that of the picture on it")
    make.add_argument(
        "--canvas", metavar="WxH", help="a canvas that the picture lies on, at its own size or that of --size"
    )
    make.add_argument("--place", help="where it lies: centre, top-left, top … bottom-right, or X,Y")
    make.add_argument(
        "--fit",
        choices=("contain", "cover", "stretch", "scale-down", "inside", "place"),
        help="how both sides are met",
    )
    make.add_argument(
        "--resample",
        choices=("auto", "area", "lanczos", "nearest"),
        help="how pixels are made of others (default: auto, by the kind of art)",
    )
    make.add_argument("--crop", help="X,Y,W,H in source pixels")
    trims = make.add_mutually_exclusive_group()
    trims.add_argument(
        "--trim", nargs="?", type=int, const=0, metavar="MARGIN", help="crop to what any frame uses, or moves"
    )
    trims.add_argument("--trim-bars", action="store_true", help="crop bars of one colour away")
    make.add_argument("--views", metavar="3x1", help="cut each picture into views across and down: the frames")
    make.add_argument("--views-gutter", type=int, default=0, metavar="N", help="pixels between two views")
    make.add_argument("--views-order", choices=("rows", "columns"), default="rows")
    make.add_argument("--line-up", type=int, metavar="N", help="move the frames to lie on the N-th of them")
    make.add_argument("--line-up-box", metavar="X,Y,W,H", help="where its subject is: only that counts")
    make.add_argument(
        "--line-up-by",
        choices=("shift", "turn", "scale"),
        default="shift",
        help="what may be changed: the place, also the angle, also the size",
    )
    make.add_argument(
        "--line-up-cover",
        choices=("enlarge", "crop", "open"),
        default="enlarge",
        help="how open edges are hidden: all enlarged, cropped, or not at all",
    )
    make.add_argument("--match-tone", type=int, metavar="N", help="bring all frames to the tone of the N-th")
    make.add_argument(
        "--match-by", choices=("levels", "histogram"), default="levels", help="mean and contrast, or all levels"
    )
    make.add_argument("--exposure", type=decimal, help="in stops: 1 doubles the light")
    make.add_argument("--contrast", type=int, help="-100..100")
    make.add_argument("--saturation", type=int, help="-100..100")
    make.add_argument("--gamma", type=decimal, help="over 1 brightens the middle")
    make.add_argument("--choke", type=decimal, help="draw soft edges in by so many pixels")
    make.add_argument("--matte", help="page colour under soft edges: '#262a2e'")
    make.add_argument("--cutoff", type=int, help="the least alpha that is kept, 1..255")
    make.add_argument("--edges", choices=("cutoff", "dither", "matte", "fill"), help="how soft edges settle")
    make.add_argument("--colours", type=int, help="2..256")
    make.add_argument(
        "--palette", choices=get_args(Palette), help="one for all frames, one per frame, or whichever pays"
    )
    make.add_argument("--dither", choices=("auto", *get_args(Dither)), help="otherwise what suits the frames")
    make.add_argument(
        "--dither-matrix", type=int, choices=get_args(Matrix), help="the square of an ordered one"
    )
    make.add_argument(
        "--dither-sparing", action="store_true", help="flat areas and hard edges are not dithered"
    )
    make.add_argument("--dither-amount", type=int, help="0..100")
    make.add_argument("--tolerance", type=int, help="how far a pixel may stay as it was, 0..100")
    make.add_argument(
        "--lock",
        metavar="COLOURS|FILE",
        type=colours,
        help="in the palette exactly: '#000,#ffffff', or those of a picture, a clip or a list",
    )
    make.add_argument("--loss", type=int, help="likeness given for fewer bytes, 0..100")
    budget.add_to(make)
    make.add_argument("--quality", type=int, help="0..100, of formats that lose some")
    make.add_argument("--lossless", action="store_true", help="of WebP")
    make.add_argument("--codec", choices=("h264", "vp9", "prores", "png", "qtrle"), help="of a clip")
    make.add_argument("--plays", type=int, help="how often the loop stands in a clip")
    make.add_argument("--keep-alpha", action="store_true", help="refuse a format that would lose it")
    make.add_argument("--still", type=int, metavar="N", help="one picture: the N-th that would be played")
    sheets.add_to(make)
    make.add_argument("--frames", choices=("png", "tga", "bmp", "jpg"), help="what DIR/ is filled with")
    make.add_argument("--names", help="names of frames, # for a digit: 'gull_####'")
    make.add_argument("--first-number", type=int, help="number of the first frame")
    make.add_argument("--held", choices=("once", "repeated"), help="how often a frame that is held is written")
    make.add_argument("--target", help="a target's name, or its JSON file: sets what it fixes, then checks")
    make.add_argument("--all", action="store_true", help="make all outputs of a recipe or project into DIR/")
    make.add_argument("--recipe", help="start from a recipe in a JSON file")
    make.add_argument("--report", help="write what was done and measured to a JSON file")
    make.add_argument("--force", action="store_true", help="replace an output that is there")
    make.add_argument("--json", action="store_true", help="print the report on stdout")
    add_clip(make)
    make.set_defaults(run=_make)


def _make(options: argparse.Namespace) -> int:
    begun = time.perf_counter()
    output = Path(options.output)
    options.folder = options.output.endswith(("/", os.sep)) or output.is_dir()
    if options.all and not options.folder:
        raise InputError("--all needs a folder", file=output.name, remedy="use -o DIR/")
    if not options.force and (any(output.iterdir()) if output.is_dir() else output.exists()):
        raise InputError("already exists", file=output.name, remedy="add --force to replace it")
    cut_out = cut(options.clip)
    with tempfile.TemporaryDirectory(prefix="jayflick-") as scratch:
        taken_out = Path(scratch) / "frames"
        taken_out.mkdir()
        files = list_files(options.input, output)
        project = None if options.recipe else project_in(files)
        notes: list[str] = []
        if project is not None:
            frames = _frames_of(project, files, taken_out, cut_out)
            recipe = recipe_of(options, project.recipe)
        else:
            decided = options.recipe is not None
            recipe = recipe_of(options, Recipe()) if decided else Recipe()  # before anything is read
            several = options.sheet is not None
            frames, sequence, notes = _frames(
                files, options.input, taken_out, cut_out, decided=decided, several=several
            )
            if options.views is not None:
                found, views = cut_into_views(frames, grid_of(options), taken_out)
                sequence = joined(gather(found)[0])
                frames = [views[one.name] for one in sequence.files]
            if not decided:
                rhythm = own_rhythm(sequence.files).model_copy(update={"spans": spans_of(sequence)})
                options.size = of_frames(options, frames[0])
                tuning = Tuning(dither="auto" if options.dither_amount is None else "diffusion")
                outputs = (GifOutput(tuning=tuning),)
                first = Recipe(gather=Gather(clear=clear_frames(sequence)), rhythm=rhythm, outputs=outputs)
                recipe = recipe_of(options, first)
        read = time.perf_counter() - begun
        stages = Stages(Path(scratch) / "stages")
        notes += without_effect(options)
        if options.line_up is not None:
            recipe, more = lined_up(recipe, frames, options, stages)
            notes += more
        if options.trim is not None or options.trim_bars:  # of the frames as they lie then
            recipe, more = trimmed(recipe, frames, options, stages)
            notes += more
        if options.scale_to_fit:
            recipe, more = sheets.scaled_to_fit(recipe, frames, stages)
            notes += more
        reports = []
        taken: set[Path] = set()
        for one in recipe.outputs:
            rendered = render(recipe, frames, one.id, stages)
            recipe, rendered, met, more = budget.fitted(recipe, frames, rendered, options, stages)
            notes += more
            place = _place(output, one, options, taken)
            if isinstance(one, SheetOutput) and not options.all:
                sheets.write(rendered, place, options.describe, force=options.force)
            else:
                _write(rendered, place, folder=one.folder, force=options.force)
            reports.append(_report(recipe, one.id, rendered, place, read))
            if met is not None:
                reports[-1]["budget"] = met
            notes += rendered.notes
    for note in notes:
        print(f"jayflick: note: {note}", file=sys.stderr)
    report = _whole(reports, options, time.perf_counter() - begun)
    if options.report:
        write_file(Path(options.report), json.dumps(report, indent=2, ensure_ascii=False).encode() + b"\n")
    if options.json:
        print(json.dumps(report, indent=2, ensure_ascii=False))
    return _say_verdicts(reports)


def _place(output: Path, made: BaseOutput, options: argparse.Namespace, taken: set[Path]) -> Path:
    """Where an output goes: where ``-o`` says, or one of many under its own name."""
    if not options.all:
        return output
    name = Path(made.file_name).stem if made.folder else made.file_name
    place, number = output / name, 1
    while place in taken:
        number += 1
        place = output / f"{Path(name).stem}-{number}{Path(name).suffix}"
    taken.add(place)
    return place


def _write(rendered: Rendered, place: Path, *, folder: bool, force: bool) -> None:
    """Write an output's files, all or none."""
    files = rendered.timed.files
    if not folder:
        place.parent.mkdir(parents=True, exist_ok=True)
        write_file(place, files[0].read())
        return
    there = {entry.name for entry in place.iterdir()} if place.is_dir() else set()
    if not force and there:
        raise InputError("already exists", file=place.name, remedy="add --force to replace it")
    new = not place.exists()
    place.mkdir(parents=True, exist_ok=True)
    written: list[Path] = []
    try:
        for file in files:
            written.append(place / file.name)
            write_file(written[-1], file.read())
    except BaseException:  # a set is whole or not there
        for path in written:
            if path.name not in there:
                path.unlink(missing_ok=True)
        if new:
            with contextlib.suppress(OSError):
                place.rmdir()
        raise


def _say_verdicts(reports: Sequence[dict[str, Any]]) -> int:
    """Say what a target does not take; 1 if it refuses an output."""
    status = 0
    for report in reports:
        found = report.get("check")
        for rule in found["rules"] if found else []:
            if rule["verdict"] != "pass":
                what = f"{rule['rule']} {rule['measured']}, allowed {rule['allowed']}"
                print(f"jayflick: {report['output']}: {what}", file=sys.stderr)
        if (found and found["verdict"] == "fail") or not report.get("budget", {"met": True})["met"]:
            status = 1
    return status


def _whole(reports: list[dict[str, Any]], options: argparse.Namespace, total: float) -> dict[str, Any]:
    """The report on all that was made: of one output, or with a list of them."""
    last = reports[-1]
    if not options.all:
        last["seconds"]["total"] = round(total, 4)
        return last
    document = last["options"]
    for report in reports:
        del report["options"]
    return {"outputs": reports, "seconds": {"total": round(total, 4)}, "options": document}


def _report(recipe: Recipe, output_id: str, rendered: Rendered, place: Path, read: float) -> dict[str, Any]:
    info, output = rendered.info, recipe.output(output_id)
    if isinstance(output, SheetOutput):  # of the picture that is written, not of a frame on it
        width, height = info["sheets"][0]
        info = {**info, "width": width, "height": height, "bytes": info["picture_bytes"]}
    seconds = rendered.seconds
    report = {
        "output": place.name + ("/" if place.is_dir() else ""),
        "format": info["format"],
        **{key: info[key] for key in ("bytes", "width", "height", "count", "duration_ms")},
        **({"sheets": info["sheets"]} if "sheets" in info else {}),
        "wanted_duration_ms": milliseconds(rendered.plan.durations),
        "seconds": {
            "read": round(read, 4),
            **{stage: round(seconds[stage], 4) for stage in ("rhythm", "framing", "tuning", "encoding")},
            "total": 0.0,
        },
        "peak_memory_bytes": _peak_memory(),
        "scaled_by": rendered.scaled_by,
        **({"dither": info["dither"]} if "dither" in info else {}),
        "options": recipe.model_dump(mode="json"),
        "notes": rendered.notes,
    }
    if output.target is not None and output.target.name:
        names = [file.name for file in rendered.timed.files]
        facts = facts_of(output, info, names, rendered.held.milliseconds)
        checked = check(facts, output.target, output)
        report["check"] = {
            "target": output.target.name,
            "verdict": verdict_of(checked),
            "rules": [rule.document() for rule in checked],
        }
    return report


def _peak_memory() -> int:
    """The most memory this process ever had resident, in bytes.

    Asked of the kernel's own page on it: the usual call also counts what a parent had before it started us.
    """
    with contextlib.suppress(OSError):
        for line in Path("/proc/self/status").read_text().splitlines():
            if line.startswith("VmHWM:"):
                return int(line.split()[1]) * 1024
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


def _frames_of(project: ProjectFile, files: list[Path], scratch: Path, cut: Cut) -> list[FileFrame]:
    """The frames of a project that came in a file, known by their content."""
    came = {frame.sha256: frame for frame in look_at(files, scratch, cut)[1].values()}
    for entry in project.frames:
        if entry.sha256 not in came:
            raise InputError(
                "of the project is missing, or has changed",
                file=entry.name,
                remedy="use all parts of the project, unchanged",
            )
    frames = [replace(came[entry.sha256], name=entry.name) for entry in project.frames]
    return _numbered(frames, [entry.number for entry in project.frames], project.report)


def _numbered(
    frames: list[FileFrame], numbers: list[int | None], report: dict[str, Any] | None = None
) -> list[FileFrame]:
    """The frames with how many numbers are missing after each."""
    gaps = missing_after(numbers, report)
    return [replace(frame, missing_after=gap) for frame, gap in zip(frames, gaps, strict=True)]


def _frames(
    files: list[Path], inputs: list[str], scratch: Path, cut: Cut, *, decided: bool, several: bool
) -> tuple[list[FileFrame], Sequence_, list[str]]:
    """The frames of the one sequence the inputs bring, that sequence, and notes on it.

    ``decided``: a recipe says what becomes of frames that do not fit; without one they are refused.
    ``several`` sequences are put one behind the other.
    """
    found, frames = look_at(files, scratch, cut)
    sequences, ignored = gather(found)
    if not sequences:
        raise none_of(ignored, inputs)
    if several and len(sequences) > 1:
        sequences = [joined(sequences)]
    if len(sequences) > 1:
        names = ", ".join(printable(s.pattern) for s in sequences[:5]) + ("…" if len(sequences) > 5 else "")
        raise InputError(
            f"{len(sequences)} sequences are here: {names}", remedy="choose one with a pattern in quotes"
        )
    sequence = sequences[0]
    for problem in sequence.problems:
        if not decided and problem["kind"] in ("unreadable", "size", "repeated"):
            raise InputError(problem["message"], file=problem["file"], remedy=problem["remedy"])
    notes = [
        ": ".join(printable(text) for text in (problem["file"], problem["message"]) if text)
        for problem in sequence.problems
    ]
    brought = _numbered(
        [frames[found.name] for found in sequence.files], [found.number for found in sequence.files]
    )
    return brought, sequence, notes
