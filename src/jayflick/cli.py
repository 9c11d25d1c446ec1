"""The command line: ``jayflick make``, ``info`` and ``gather``."""

import argparse
import contextlib
import json
import os
import re
import resource
import sys
import tempfile
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, NoReturn

from PIL import Image
from pydantic import ValidationError

from . import __version__
from .core.atomic import atomic_write
from .core.errors import InputError, JayFlickError, printable
from .core.gif.reader import describe, read_gif
from .core.pictures.clip import Cut
from .core.recipe import Recipe
from .core.render import Rendered, render
from .core.sequence.files import FileFrame, list_files, look_at, project_in, read_file
from .core.sequence.first import with_dither_chosen
from .core.sequence.gather import Sequence as Sequence_
from .core.sequence.gather import gather, missing_after
from .core.sequence.project_file import ProjectFile
from .core.sequence.rhythm import own_rhythm
from .core.stages import Stages
from .core.timing.flicks import milliseconds, parse_delay, parse_rate


class _Parser(argparse.ArgumentParser):
    """Options are written out: a script must mean the same when another option is added."""

    def __init__(self, **options: Any) -> None:
        super().__init__(**options, allow_abbrev=False)

    def error(self, message: str) -> NoReturn:
        raise InputError(message, remedy=f"see '{self.prog} --help'")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status: 0 done, 2 bad input or options, 1 anything else."""
    try:
        options = _parser().parse_args(arguments)
        options.run(options)
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
    return 0


def _fail(error: JayFlickError, status: int) -> int:
    print(f"jayflick: {' '.join(str(error).split())}", file=sys.stderr)
    return status


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="jayflick", description="From numbered frames to small looping pictures.")
    parser.add_argument("--version", action="version", version=f"jayflick {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND", parser_class=_Parser)

    make = commands.add_parser("make", help="make a looping GIF, or numbered PNG frames, from frames")
    make.add_argument(
        "input",
        nargs="+",
        help="frames, a folder, an archive, an animated file or clip, or a pattern in quotes",
    )
    make.add_argument("-o", "--output", required=True, help="OUT.gif, or DIR/ for numbered PNG frames")
    time_options = make.add_mutually_exclusive_group()
    time_options.add_argument("--fps", help="frames a second: 24, 12.5, 24000/1001")
    time_options.add_argument("--delay", help="one delay for all frames: 40ms, 4cs, 0.04s, 2f@30")
    make.add_argument("--range", help="first and last frame by position: 1-18")
    make.add_argument("--step", type=int, help="play every n-th frame, in the same time")
    make.add_argument(
        "--thinned", choices=("same-time", "faster"), help="with --step: what it lasts (default: same-time)"
    )
    way = make.add_mutually_exclusive_group()
    way.add_argument("--reverse", action="store_true", help="last frame first")
    way.add_argument("--there-and-back", action="store_true", help="forward, then back, no end doubled")
    make.add_argument("--repeat", type=int, help="how often it plays; 0: for ever")
    make.add_argument("--gaps", choices=("skip", "hold", "blend"), help="what becomes of missing numbers")
    make.add_argument("--dissolve", type=int, help="how many frames at the end fade into the beginning")
    pace = make.add_mutually_exclusive_group()
    pace.add_argument("--speed", help="in percent: 200 plays in half the time")
    pace.add_argument("--length", help="what it all lasts: 4s, 2500ms")
    make.add_argument("--play-fps", help="play at this rate in the same time, dropping or holding frames")
    make.add_argument(
        "--between", choices=("hold", "blend"), help="with --play-fps: what is shown between two frames"
    )
    make.add_argument("--size", help="580x, x351 or 580x351")
    make.add_argument("--fit", choices=("contain", "cover", "stretch"), help="how both sides are met")
    make.add_argument("--crop", help="X,Y,W,H in source pixels")
    make.add_argument("--matte", help="page colour under soft edges: '#262a2e'")
    make.add_argument("--cutoff", type=int, help="the least alpha that is kept, 1..255")
    make.add_argument("--colours", type=int, help="2..256")
    make.add_argument("--dither", choices=("none", "diffusion"), help="otherwise what suits the frames")
    make.add_argument("--dither-amount", type=int, help="0..100")
    make.add_argument("--tolerance", type=int, help="how far a pixel may stay as it was, 0..100")
    make.add_argument("--max-bytes", help="say when the file is larger: 1024K, 5M")
    make.add_argument("--recipe", help="start from a recipe in a JSON file")
    make.add_argument("--report", help="write what was done and measured to a JSON file")
    make.add_argument("--force", action="store_true", help="replace an output that is there")
    make.add_argument("--json", action="store_true", help="print the report on stdout")
    make.set_defaults(run=_make)

    info = commands.add_parser("info", help="what a GIF really holds, frame by frame")
    info.add_argument("file")
    info.add_argument("--json", action="store_true")
    info.set_defaults(run=_info)

    collect = commands.add_parser("gather", help="which sequences are there, and what is wrong with them")
    collect.add_argument("input", nargs="+", help="files, a folder, an archive, or a pattern in quotes")
    collect.add_argument("--json", action="store_true")
    collect.set_defaults(run=_gather)
    for command in (make, collect):
        command.add_argument(
            "--clip", default="1-", help="frames taken of a clip, every n-th: 25-72, 25-, 1-300/3"
        )
    return parser


# make


def _make(options: argparse.Namespace) -> None:
    begun = time.perf_counter()
    output = Path(options.output)
    folder = options.output.endswith(("/", os.sep)) or output.is_dir()
    if not folder and output.suffix.lower() != ".gif":
        raise InputError(
            "this file type cannot be written",
            file=output.name,
            remedy="use .gif, or DIR/ for frames",
        )
    cut = _cut(options.clip)
    if not options.force and (any(output.iterdir()) if output.is_dir() else output.exists()):
        raise InputError("already exists", file=output.name, remedy="add --force to replace it")
    with tempfile.TemporaryDirectory(prefix="jayflick-") as scratch:
        taken_out = Path(scratch) / "frames"
        taken_out.mkdir()
        files = list_files(options.input, output)
        project = None if options.recipe else project_in(files)
        pattern_notes: list[str] = []
        if project is not None:
            frames = _frames_of(project, files, taken_out, cut)
            recipe = _recipe(options, project.recipe)
        else:
            decided = options.recipe is not None
            frames, sequence, pattern_notes = _frames(files, options.input, taken_out, cut, decided=decided)
            recipe = _recipe(options, Recipe(rhythm=own_rhythm(sequence.files)))
        read = time.perf_counter() - begun
        stages = Stages(Path(scratch) / "stages")
        if project is None and not options.recipe and options.dither is options.dither_amount is None:
            recipe = with_dither_chosen(recipe, frames, stages)
        rendered = render(recipe, frames, recipe.outputs[0].id, stages)
    if folder:
        _write_frames(rendered, output)
    else:
        _write_file(output, rendered.data)
    for note in [*pattern_notes, *rendered.notes]:
        print(f"jayflick: note: {note}", file=sys.stderr)
    report = _report(options, recipe, rendered, output, read, time.perf_counter() - begun)
    if options.report:
        _write_file(Path(options.report), json.dumps(report, indent=2, ensure_ascii=False).encode() + b"\n")
    if options.json:
        print(json.dumps(report, indent=2, ensure_ascii=False))


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
    files: list[Path], inputs: list[str], scratch: Path, cut: Cut, *, decided: bool
) -> tuple[list[FileFrame], Sequence_, list[str]]:
    """The frames of the one sequence the inputs bring, that sequence, and notes on it.

    ``decided``: a recipe says what becomes of frames that do not fit; without one they are refused.
    """
    found, frames = look_at(files, scratch, cut)
    sequences, ignored = gather(found)
    if not sequences:
        raise _none_of(ignored, inputs)
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


def _none_of(ignored: list[dict[str, str]], inputs: list[str]) -> InputError:
    """What is said when no frame came at all."""
    first = ignored[0] if ignored else {"file": ", ".join(inputs), "message": "there are no frames here"}
    remedy = "bring numbered frames, an animated picture or a clip"
    return InputError(first["message"], file=first["file"], remedy=remedy)


def _recipe(options: argparse.Namespace, first: Recipe) -> Recipe:
    """The recipe that a file gives, or ``first``, with what the options say."""
    base: dict[str, Any] = {}
    if options.recipe:
        path = Path(options.recipe)
        try:
            base = Recipe.model_validate_json(read_file(path)).model_dump(mode="json")
        except ValidationError as error:
            raise InputError(_first(error), file=path.name, remedy="fix the recipe") from error
    else:
        base = first.model_dump(mode="json")
    rhythm, framing, output = base["rhythm"], base["framing"], base["outputs"][0]
    if options.fps is not None:
        parse_rate(options.fps)
        rhythm |= {"rate": options.fps, "delay": None, "holds": {}}
    if options.delay is not None:
        rhythm |= {"delay": parse_delay(options.delay), "holds": {}}
    if options.range is not None:
        match = re.fullmatch(r"(\d{1,9})-(\d{1,9})", options.range)
        if match is None:
            raise InputError(f"--range {options.range!r} is not a range", remedy="use one such as 1-18")
        rhythm |= {"first": int(match[1]), "last": int(match[2])}
    if options.reverse:
        rhythm["direction"] = "reverse"
    if options.there_and_back:
        rhythm["direction"] = "there-and-back"
    if options.size is not None:
        match = re.fullmatch(r"(\d{1,6})?x(\d{1,6})?", options.size)
        if match is None or not (match[1] or match[2]):
            raise InputError(f"--size {options.size!r} is not a size", remedy="use 580x, x351 or 580x351")
        output["size"] |= {
            "width": int(match[1]) if match[1] else None,
            "height": int(match[2]) if match[2] else None,
        }
    if options.crop is not None:
        if not re.fullmatch(r"\d{1,6}(,\d{1,6}){3}", options.crop):
            raise InputError(
                f"--crop {options.crop!r} is not a crop", remedy="use X,Y,W,H, such as 0,0,320,240"
            )
        framing["crop"] = [int(part) for part in options.crop.split(",")]
    if options.length is not None:
        rhythm |= {"length": parse_delay(options.length)}
    if options.speed is not None:
        rhythm |= {"speed": options.speed.removesuffix("%"), "length": None}
    if options.play_fps is not None:
        parse_rate(options.play_fps)
    if options.matte is not None:
        output["alpha"] |= {"edges": "matte", "matte": options.matte}
    if options.max_bytes is not None:
        output["budget"] = _bytes(options.max_bytes)
    for part, key, value in (
        (rhythm, "step", options.step),
        (rhythm, "thinned", options.thinned or ("same-time" if options.step is not None else None)),
        (rhythm, "repeat", options.repeat),
        (rhythm, "dissolve", options.dissolve),
        (base["gather"], "gaps", options.gaps),
        (output["take"], "rate", options.play_fps),
        (output["take"], "between", options.between),
        (output["size"], "fit", options.fit),
        (output["alpha"], "cutoff", options.cutoff),
        (output["tuning"], "colours", options.colours),
        (output["tuning"], "dither", options.dither),
        (output["tuning"], "amount", options.dither_amount),
        (output["tuning"], "tolerance", options.tolerance),
    ):
        if value is not None:
            part[key] = value
    try:
        return Recipe.model_validate(base)
    except ValidationError as error:
        raise InputError(_first(error, options), remedy="see 'jayflick make --help'") from error


def _first(error: ValidationError, options: argparse.Namespace | None = None) -> str:
    """What is wrong first, and where: in the recipe, or with one of the options."""
    first = error.errors()[0]
    message = str(first["msg"])
    if first["type"] == "value_error":  # says by itself what it is about
        return message.removeprefix("Value error, ")
    where = ".".join(str(part) for part in first["loc"])
    last = str(first["loc"][-1]) if first["loc"] else ""
    option = {"width": "size", "height": "size", "amount": "dither_amount"}.get(last, last)
    if options is not None and getattr(options, option, None) is not None:
        where = "--" + option.replace("_", "-")
    return f"{where}: {message}" if where else message


def _cut(text: str) -> Cut:
    match = re.fullmatch(r"([1-9]\d{0,6})-([1-9]\d{0,6})?(?:/([1-9]\d{0,3}))?", text)
    if match is None or (match[2] and int(match[2]) < int(match[1])):
        raise InputError(
            f"--clip {text!r} is not a part of a clip", remedy="use one such as 25-72, 25- or 1-300/3"
        )
    return Cut(int(match[1]), int(match[2]) if match[2] else None, int(match[3] or 1))


def _bytes(text: str) -> int:
    match = re.fullmatch(r"(\d{1,12})([KkMm]?)", text)
    if match is None:
        raise InputError(f"--max-bytes {text!r} is not a size", remedy="use bytes, or 1024K, or 5M")
    return int(match[1]) * {"": 1, "k": 1024, "m": 1024 * 1024}[match[2].lower()]


def _write_file(path: Path, data: bytes) -> None:
    atomic_write(path, data)
    mask = os.umask(0)  # the only way to ask for it
    os.umask(mask)
    path.chmod(0o666 & ~mask)


def _write_frames(rendered: Rendered, folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    gif = read_gif(rendered.data)
    digits = max(4, len(str(len(gif.frames))))
    for number, picture in enumerate(gif.pictures(), 1):
        Image.fromarray(picture).save(folder / f"{number:0{digits}}.png")


def _report(
    options: argparse.Namespace, recipe: Recipe, rendered: Rendered, output: Path, read: float, total: float
) -> dict[str, Any]:
    info = rendered.info
    seconds = rendered.seconds
    return {
        "output": output.name + ("/" if output.is_dir() else ""),
        **{key: info[key] for key in ("bytes", "width", "height", "count", "duration_ms")},
        "wanted_duration_ms": milliseconds(rendered.plan.durations),
        "seconds": {
            "read": round(read, 4),
            **{stage: round(seconds[stage], 4) for stage in ("rhythm", "framing", "tuning", "encoding")},
            "total": round(total, 4),
        },
        "peak_memory_bytes": _peak_memory(),
        "options": recipe.model_dump(mode="json"),
        "notes": rendered.notes,
    }


def _peak_memory() -> int:
    """The most memory this process ever had resident, in bytes.

    Asked of the kernel's own page on it: the usual call also counts what a parent had before it started us.
    """
    with contextlib.suppress(OSError):
        for line in Path("/proc/self/status").read_text().splitlines():
            if line.startswith("VmHWM:"):
                return int(line.split()[1]) * 1024
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


# info and gather


def _info(options: argparse.Namespace) -> None:
    path = Path(options.file)
    data = read_file(path)
    document = describe(read_gif(data, name=path.name), len(data), name=path.name)
    if options.json:
        print(json.dumps(document, indent=2))
        return
    times = {0: "for ever", 1: "once"}.get(document["repeat"], f"{document['repeat']} times")
    print(
        f"{printable(path.name)}: {document['width']} × {document['height']}, {document['count']} frames, "
        f"{document['duration_ms'] / 1000:.2f} s {times}, {document['bytes']} bytes, "
        f"{document['colours']} colours{', transparent' if document['transparent'] else ''}"
    )
    print("frame  delay ms    bytes  colours  disposal  palette  box")
    for frame in document["frames"]:
        x, y, width, height = frame["box"]
        print(
            f"{frame['index'] + 1:5} {frame['delay_ms']:9} {frame['bytes']:8} {frame['colours']:8} "
            f"{frame['disposal']:9}  {frame['palette'] or 'none':7}  {width}×{height} at {x},{y}"
        )


def _gather(options: argparse.Namespace) -> None:
    with tempfile.TemporaryDirectory(prefix="jayflick-") as scratch:
        sequences, ignored = gather(look_at(list_files(options.input), Path(scratch), _cut(options.clip))[0])
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
        raise _none_of(ignored, options.input)


if __name__ == "__main__":
    sys.exit(main())
