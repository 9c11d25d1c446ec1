"""One sequence of many: what is known of it, made here or elsewhere, put in its place."""

import argparse
import hashlib
import json
import os
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any, NamedTuple

from .. import __version__
from ..core.content import MAX_BYTES, read_file
from ..core.errors import InputError, JayFlickError
from ..core.pictures.kinds import decoders
from ..core.places import filled
from ..core.progress import OnProgress
from ..core.recipe import BaseOutput
from ..core.sequence.archives import members
from ..core.sequence.project_file import DOCUMENT
from .earlier import left_over
from .make import Made, keep_in_mind, make, read_by
from .many import Task, tasks_of
from .writing import Writing, Written, encoded, place_of

NOTES = ".jayflick-batch.jsonl"
"""In the folder of the output: of each sequence what it is made of, and the files that come of it."""

Result = dict[str, Any]
"""What became of a sequence: ``sequence``, ``state``, ``seconds``, and ``outputs`` or an ``error``."""


class Known(NamedTuple):
    """What earlier runs made of a sequence."""

    last: Result
    """As it was noted last."""
    sums: dict[str, set[str]]
    """By path in the output's folder the SHA-256 of all that was ever put there."""


def known_from(notes: Path) -> dict[str, Known]:
    """What earlier runs into a folder noted, by sequence."""
    known: dict[str, Known] = {}
    try:
        lines = notes.read_bytes().splitlines(keepends=True)
    except FileNotFoundError:
        return {}
    if lines and not lines[-1].endswith(b"\n"):  # cut short by the end of that run
        _append(notes, b"\n")
    for line in lines:
        with suppress(ValueError, KeyError, TypeError, AttributeError):
            last = json.loads(line)
            sums = known[last["sequence"]].sums if last["sequence"] in known else {}
            for path, sha256 in last["files"].items():
                sums.setdefault(path, set()).add(sha256)
            known[last["sequence"]] = Known(last, sums)
    return known


def _append(notes: Path, line: bytes) -> None:
    """In one piece: others may do so at the same time."""
    notes.parent.mkdir(parents=True, exist_ok=True)
    handle = os.open(notes, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o666)
    try:
        os.write(handle, line)
    finally:
        os.close(handle)


def of_task(task: Task, known: dict[str, Known]) -> dict[str, Known]:
    """What is known of a task, or of the sequences in an archive."""
    if not task.archive:
        return {task.name: known[task.name]} if task.name in known else {}
    return {name: one for name, one in known.items() if name == task.name or name.startswith(f"{task.name}/")}


def unpacked(options: argparse.Namespace, task: Task, scratch: Path) -> tuple[list[Task], list[Result]]:
    """The sequences in an archive, and what could not be unpacked; a project, without a recipe, is one."""
    data = read_file(task.files[0])
    lost: list[Result] = []
    for member in members(data, task.files[0].name, MAX_BYTES):
        if member.name == DOCUMENT and not options.recipe:
            return [task], []
        if member.error is not None:
            lost.append(failed(f"{task.name}/{member.name}", member.error))
            continue
        place = scratch / member.name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(member.data)
    inside, _ = tasks_of([str(scratch)], scratch / NOTES, by_folder=options.sheet is not None)
    single = len(inside) == 1
    named = (task.name if single else f"{task.name}/{one.name}" for one in inside)
    return [Task(name, one.files, one.size) for name, one in zip(named, inside, strict=True)], lost


def made_of(options: argparse.Namespace, task: Task, before: Known | None) -> Result:
    try:
        key = key_of(options, task.files)
        if (kept := kept_of(options, key, before)) is not None:
            return kept
        return made_here(options, task, key, before)[0]
    except (JayFlickError, OSError) as error:
        return failed(task.name, error)


def kept_of(options: argparse.Namespace, key: str, before: Known | None) -> Result | None:
    """What an earlier run made of the same, if all of that is still there."""
    known = before is not None and before.last.get("key") == key
    if before is not None and known and _still_there(Path(options.output), before.last["files"]):
        return {**before.last, "state": "kept", "seconds": 0.0}
    return None


def made_here(
    options: argparse.Namespace,
    task: Task,
    key: str,
    before: Known | None = None,
    on_progress: OnProgress = lambda progress: None,
) -> tuple[Result, Made]:
    """Make a sequence's files and put them in their places, or raise why not."""
    begun = time.perf_counter()
    output = Path(options.output)
    place = _placed(options, task)
    own = argparse.Namespace(**vars(options))
    own.input, own.report = [str(file) for file in task.files], None
    own.output = f"{output}/" if options.all else place_as(options, str(place(None)))
    _need_spared(own.output, options, task)
    own.describe = [str(place(None, one)) for one in options.describe or ()] or None
    own.trials = options.trials and str(place(None, options.trials))

    def result(made: Made) -> Result:
        return {
            "sequence": task.name,
            "state": "made",
            "seconds": round(time.perf_counter() - begun, 4),
            "notes": made.notes,
            "outputs": [{key: one[key] for key in one if key != "options"} for one in made.outputs],
            "key": key,
            "files": {inside(output, one.path): one.sha256 for one in made.written},
        }

    # Before they are there, so that a later run knows them for its own however this one ends.
    made = make(
        own,
        ours=_ours(output, before),
        carry=True,
        spared=options.spared,
        placed=place if options.all else None,
        ready=lambda made: _append(output / NOTES, encoded(result(made), indent=None)),
        on_progress=on_progress,
    )
    keep_in_mind(made)
    return result(made), made


def put_here(
    options: argparse.Namespace,
    task: Task,
    result: Result,
    called: Sequence[tuple[str, Sequence[tuple[str, bytes]]]],
    before: Known | None,
) -> Result:
    """Put what was made elsewhere in its places here, all of it or nothing, by the rules of what is made here.

    ``called``: what each output is called in its folder, and its files by their paths below the output's.
    """
    output = Path(options.output)
    frames = [*task.files, *read_by(options), *options.spared]
    outputs_of: list[tuple[str, list[Written]]] = []
    with Writing(force=options.force, inputs=frames, ours=_ours(output, before)) as writing:
        for name, files in called:
            first = len(writing.written)
            for path, data in files:
                writing.put(output / path, data)
            outputs_of.append((name, writing.written[first:]))
        for name, written in outputs_of:
            for old in left_over(written[0].path.parent, name, [file.path.name for file in written]):
                writing.remove(old)
        _append(output / NOTES, encoded(result, indent=None))
        writing.commit()
    keep_in_mind(Made({}, [], [], outputs_of, writing.written))
    return result


def _need_spared(place: str, options: argparse.Namespace, task: Task) -> None:
    others = set(map(place_of, options.spared)) - set(map(place_of, task.files))
    if place_of(Path(place)) in others:
        raise InputError(
            "is a frame of another sequence, and is never replaced",
            file=Path(place).name,
            remedy="use other --names",
        )


def _ours(output: Path, before: Known | None) -> Callable[[Path], bool]:
    """Tells of a file whether an earlier run put it there, just as it is."""
    sums = {} if before is None else before.sums
    return lambda path: _sum_of(path) in sums.get(inside(output, path), ())


def _placed(options: argparse.Namespace, task: Task) -> Callable[..., Path]:
    def place(made: BaseOutput | None, pattern: str = options.places) -> Path:
        file = "" if made is None else Path(made.file_name).stem if made.folder else made.file_name
        return Path(options.output) / filled(pattern, {"sequence": task.name, "file": file})

    return place


def place_as(options: argparse.Namespace, place: str) -> str:
    """A place as ``-o`` takes it: a set's ends with a slash."""
    return f"{place}/" if options.frames is not None else place


def inside(output: Path, path: Path) -> str:
    return path.relative_to(output).as_posix()


def _still_there(output: Path, sums: dict[str, str]) -> bool:
    return all(_sum_of(output / name) == wanted for name, wanted in sums.items())


def _sum_of(path: Path) -> str | None:
    """The SHA-256 of a file that can be read."""
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except OSError:
        return None


def key_of(options: argparse.Namespace, files: Sequence[Path]) -> str:
    """A fingerprint of all that an output depends on: the program, what was asked of it, the frames."""
    where = {"input", "output", "report", "json", "force", "resume", "jobs", "command", "spared"}
    where |= {"scheduler", "share"}
    asked = {name: value for name, value in vars(options).items() if name not in where}
    for name in ("recipe", "target"):
        if asked[name] and asked[name].endswith(".json"):
            asked[name] = _sum_of(Path(asked[name]))
    frames = [(file.name, _sum_of(file)) for file in files]
    text = json.dumps([__version__, decoders(), asked, frames], sort_keys=True, default=str)
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def failed(name: str, error: Exception) -> Result:
    if isinstance(error, JayFlickError):
        what = {"message": error.message, "file": error.file, "remedy": error.remedy}
    else:
        why = getattr(error, "strerror", None) or type(error).__name__
        what = {"message": str(why), "file": None, "remedy": "make room or choose another place"}
    return {"sequence": name, "state": "failed", "seconds": 0.0, "error": what}
