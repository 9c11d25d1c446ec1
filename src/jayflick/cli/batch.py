"""``jayflick batch``: the same made of many sequences, one that fails stopping no other."""

import argparse
import sys
import time
from collections.abc import Sequence
from pathlib import Path

from ..core.errors import InputError, JayFlickError, printable
from ..core.recipe import Recipe
from .cluster import elsewhere
from .each import NOTES, Result, known_from, place_as
from .earlier import forget_old, made_before, remember
from .make import read_by, refused, verdicts
from .many import Task, tasks_of
from .pool import here
from .recipes import recipe_of
from .writing import Writing, encoded, print_json


def run_batch(options: argparse.Namespace) -> int:
    begun = time.perf_counter()
    options.all = (options.places is None and options.recipe is not None) or "{file}" in (options.places or "")
    options.places = options.places or ("{sequence}/{file}" if options.all else "{sequence}.gif")
    _need_sense(options)
    output = Path(options.output)
    tasks, notes = tasks_of(options.input, output, by_folder=options.sheet is not None)
    if options.share is not None and options.scheduler is None:
        notes.append("--share has no effect without --scheduler")
    for note in notes:
        print(f"jayflick: note: {note}", file=sys.stderr)
    options.spared = _below_output(tasks, output)
    report = _report(options, tasks)
    known = known_from(output / NOTES)
    results: list[Result] = []
    done = 0
    try:
        carried_out = here if options.scheduler is None else elsewhere
        for some in carried_out(options, tasks, known if options.resume else {}):
            done += 1
            for one in some:
                _say(one, done, len(tasks), as_json=options.json)
                results.append(_told(one))
    except KeyboardInterrupt:
        raise JayFlickError(
            f"stopped; {done} of {len(tasks)} are done", remedy="run it again with --resume to make the rest"
        ) from None
    forget_old()
    results.sort(key=lambda one: str(one["sequence"]))
    seconds = round(time.perf_counter() - begun, 4)
    if report is not None:
        with report:
            document = {"sequences": results, "seconds": {"total": seconds}}
            report.put(Path(options.report), encoded(document), claimed=True)
            report.commit()
        remember(Path(options.report).name, report.written)
    count = {state: sum(one["state"] == state for one in results) for state in ("made", "kept", "failed")}
    if not options.json:
        kept = f", {count['kept']} unchanged" if count["kept"] else ""
        print(f"{count['made']} made{kept}, {count['failed']} failed, {seconds:.1f} s")
    not_taken = any(refused(output) for one in results for output in one.get("outputs", ()))
    return 1 if count["failed"] or not_taken else 0


def _need_sense(options: argparse.Namespace) -> None:
    """Refuse what cannot be meant, before a file is read."""
    if not 1 <= options.jobs <= 256:
        raise InputError(f"--jobs {options.jobs} is out of range", remedy="use 1 to 256")
    output = Path(options.output)
    if output.exists() and not output.is_dir():
        raise InputError("is not a folder", file=output.name, remedy="use -o DIR/")
    parts = options.places.split("/")
    if options.scheduler is not None and options.share is None:
        raise InputError(
            "--scheduler needs a place that its workers reach too", remedy="add --share, a folder or s3://…"
        )
    if "{sequence}" not in options.places or ".." in parts or "" in parts:
        raise InputError(
            f"--names {options.places!r} does not tell sequences apart",
            remedy="use one such as {sequence}/{file}",
        )
    for named in (*(options.describe or ()), *filter(None, [options.trials])):
        if "{sequence}" not in named:
            raise InputError(
                "every sequence would write it", file=named, remedy="put {sequence} in its name, as in --names"
            )
    own = argparse.Namespace(**vars(options))
    own.output = f"{options.output}/" if options.all else place_as(options, options.places)
    own.folder = own.output.endswith("/")
    own.size = None if options.size is not None and "%" in options.size else options.size  # of frames
    recipe_of(own, Recipe())


def _below_output(tasks: Sequence[Task], output: Path) -> list[Path]:
    """Source frames among which results are put: no sequence's output takes the place of another's frame."""
    root = output.resolve()
    folders = {folder: folder.resolve() for folder in {file.parent for task in tasks for file in task.files}}
    inside = {folder for folder, place in folders.items() if place == root or root in place.parents}
    return [file for task in tasks for file in task.files if file.parent in inside]


def _report(options: argparse.Namespace, tasks: Sequence[Task]) -> Writing | None:
    """Where the report goes, if one is wanted; refused before anything is made where it cannot go there."""
    if not options.report:
        return None
    path = Path(options.report)
    alike = [file for task in tasks for file in task.files if file.name == path.name]
    writing = Writing(
        force=options.force,
        inputs=[*alike, *read_by(options)],
        ours=made_before if options.resume else lambda file: False,
    )
    writing.claim(path, "--report")
    return writing


def _told(result: Result) -> Result:
    return {name: value for name, value in result.items() if name not in ("key", "files")}


def _say(result: Result, done: int, total: int, *, as_json: bool) -> None:
    name = printable(result["sequence"])
    if as_json:
        print_json(_told(result), indent=None)
    if result["state"] == "failed":
        error = result["error"]
        said = JayFlickError(error["message"], file=error["file"], remedy=error["remedy"])
        print(f"jayflick: {name}: {' '.join(str(said).split())}", file=sys.stderr, flush=True)
        return
    for note in result["notes"]:
        print(f"jayflick: {name}: note: {note}", file=sys.stderr)
    for line in verdicts(result["outputs"]):
        print(f"jayflick: {name}: {line}", file=sys.stderr)
    if not as_json:
        outputs = ", ".join(f"{one['output']} {one['bytes']} bytes" for one in result["outputs"])
        how = "unchanged" if result["state"] == "kept" else f"{result['seconds']:.1f} s"
        print(f"{done}/{total} {name}: {outputs}, {how}", flush=True)
