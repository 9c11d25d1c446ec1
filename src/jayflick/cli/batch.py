"""``jayflick batch``: the same made of many sequences, one that fails stopping no other."""

import argparse
import hashlib
import json
import os
import re
import signal
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import ExitStack, suppress
from multiprocessing import get_context
from pathlib import Path
from typing import Any, NamedTuple

from .. import __version__
from ..core.content import MAX_BYTES, read_file
from ..core.errors import InputError, JayFlickError, printable
from ..core.pictures.kinds import decoders
from ..core.recipe import BaseOutput, Recipe
from ..core.sequence.archives import members
from ..core.sequence.project_file import DOCUMENT
from ..parent import die_with_parent
from .earlier import forget_old, made_before, remember
from .make import Made, keep_in_mind, make, read_by, refused, verdicts
from .many import Task, tasks_of
from .recipes import recipe_of
from .writing import Writing, encoded, place_of, print_json, scratch_folder

NOTES = ".jayflick-batch.jsonl"
"""In the folder of the output: of each sequence what it is made of, and the files that come of it."""
_DIED = "the process that made it died, each time"

Result = dict[str, Any]
"""What became of a sequence: ``sequence``, ``state``, ``seconds``, and ``outputs`` or an ``error``."""


def run_batch(options: argparse.Namespace) -> int:
    begun = time.perf_counter()
    options.all = (options.places is None and options.recipe is not None) or "{file}" in (options.places or "")
    options.places = options.places or ("{sequence}/{file}" if options.all else "{sequence}.gif")
    _need_sense(options)
    output = Path(options.output)
    tasks, notes = tasks_of(options.input, output, by_folder=options.sheet is not None)
    for note in notes:
        print(f"jayflick: note: {note}", file=sys.stderr)
    options.spared = _below_output(tasks, output)
    report = _report(options, tasks)
    known = _known(output / NOTES)
    results: list[Result] = []
    done = 0
    try:
        for some in _carried_out(options, tasks, known if options.resume else {}):
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
    own.output = f"{options.output}/" if options.all else _place(options, options.places)
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


class Known(NamedTuple):
    """What earlier runs made of a sequence."""

    last: Result
    """As it was noted last."""
    sums: dict[str, set[str]]
    """By path in the output's folder the SHA-256 of all that was ever put there."""


def _known(notes: Path) -> dict[str, Known]:
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


def _carried_out(
    options: argparse.Namespace, tasks: Sequence[Task], known: dict[str, Known]
) -> Iterator[list[Result]]:
    """What becomes of each task, as it is done. One whose process dies is tried again, alone."""
    waiting = sorted(tasks, key=lambda task: (-task.size, task.name))  # the longest first: none is left over
    jobs = min(options.jobs, len(tasks))
    alone: list[Task] = []
    while waiting or alone:
        many = bool(waiting)
        turn = waiting if many else alone[:1]
        if not many:  # what it had noted may have taken its place before it died
            known = {**known, **_of(alone[0], _known(Path(options.output) / NOTES))}
        with _Pool(jobs if many else 1) as pool:
            for task, found in pool.done(turn, options, known):
                if found is not None:
                    yield found
                elif many:
                    alone.append(task)
                else:
                    yield [_failed(task.name, InputError(_DIED, remedy="use fewer or smaller frames"))]
        if not many:
            del alone[0]


class _Pool:
    """A few processes, forked from this one with all that it has loaded."""

    def __init__(self, jobs: int) -> None:
        self._jobs = jobs
        forked = get_context("fork")
        begun = forked.Value("i", 0)
        self._executor = ProcessPoolExecutor(
            jobs, mp_context=forked, initializer=_begin, initargs=(os.getpid(), jobs, begun)
        )

    def __enter__(self) -> "_Pool":
        return self

    def __exit__(self, kind: type[BaseException] | None, *more: object) -> None:
        if kind is not None:
            for process in list((self._executor._processes or {}).values()):
                with suppress(ProcessLookupError):
                    os.kill(process.pid or 0, signal.SIGTERM)
        self._executor.shutdown(wait=True, cancel_futures=True)

    def done(
        self, waiting: list[Task], options: argparse.Namespace, known: dict[str, Known]
    ) -> Iterator[tuple[Task, list[Result] | None]]:
        """Tasks with what became of them, ``None`` where their process died; those are taken off the list.

        Ends once all are done, or a process has died.
        """
        at_work: dict[Future[list[Result]], Task] = {}
        broken = False
        while at_work or (waiting and not broken):
            while waiting and len(at_work) < self._jobs and not broken:
                task = waiting[0]
                try:
                    future = self._executor.submit(_one, options, task, _of(task, known))
                except BrokenProcessPool:
                    broken = True
                    break
                at_work[future] = waiting.pop(0)
            ended, _ = wait(at_work, return_when=FIRST_COMPLETED)
            for future in ended:
                task = at_work.pop(future)
                error = future.exception()
                broken = broken or isinstance(error, BrokenProcessPool)
                if error is None:
                    yield task, future.result()
                elif isinstance(error, BrokenProcessPool):
                    yield task, None
                else:
                    raise error


_at_work = False


def _begin(parent: int, jobs: int, begun: Any) -> None:
    """First thing in a process of the pool. Each has its share of the processors: threads that hand small
    frames over from one to another take longer than they save. ``begun``: how many processes are there."""
    with begun.get_lock():
        share = sorted(os.sched_getaffinity(0))[begun.value :: jobs]
        begun.value += 1
    if share:
        os.sched_setaffinity(0, share)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C reaches all of the terminal's processes
    signal.signal(signal.SIGTERM, _end)
    die_with_parent(parent)


def _end(number: int, frame: object) -> None:
    """What is under way is unwound first: nothing is left half-written."""
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    if _at_work:
        raise KeyboardInterrupt
    os._exit(1)


def _of(task: Task, known: dict[str, Known]) -> dict[str, Known]:
    """What is known of a task, or of the sequences in an archive."""
    if not task.archive:
        return {task.name: known[task.name]} if task.name in known else {}
    return {name: one for name, one in known.items() if name == task.name or name.startswith(f"{task.name}/")}


def _one(options: argparse.Namespace, task: Task, known: dict[str, Known]) -> list[Result]:
    """Make a task's files; what cannot be made of it is told, not raised."""
    global _at_work
    try:
        _at_work = True
        if not task.archive:
            return [_made(options, task, known.get(task.name))]
        with ExitStack() as open_:
            try:
                inside, lost = _unpacked(options, task, open_.enter_context(scratch_folder()))
            except (JayFlickError, OSError) as error:
                return [_failed(task.name, error)]
            return [*lost, *(_made(options, one, known.get(one.name)) for one in inside)]
    except MemoryError:
        return [_failed(task.name, InputError("there is too little memory", remedy="use fewer --jobs"))]
    except KeyboardInterrupt:
        os._exit(1)
    finally:
        _at_work = False


def _unpacked(options: argparse.Namespace, task: Task, scratch: Path) -> tuple[list[Task], list[Result]]:
    """The sequences in an archive, and what could not be unpacked; a project, without a recipe, is one."""
    data = read_file(task.files[0])
    lost: list[Result] = []
    for member in members(data, task.files[0].name, MAX_BYTES):
        if member.name == DOCUMENT and not options.recipe:
            return [task], []
        if member.error is not None:
            lost.append(_failed(f"{task.name}/{member.name}", member.error))
            continue
        place = scratch / member.name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(member.data)
    inside, _ = tasks_of([str(scratch)], scratch / NOTES, by_folder=options.sheet is not None)
    single = len(inside) == 1
    named = (task.name if single else f"{task.name}/{one.name}" for one in inside)
    return [Task(name, one.files, one.size) for name, one in zip(named, inside, strict=True)], lost


def _made(options: argparse.Namespace, task: Task, before: Known | None) -> Result:
    begun = time.perf_counter()
    output = Path(options.output)
    try:
        key = _key(options, task.files)
        if before is not None and before.last.get("key") == key and _still_there(output, before.last["files"]):
            return {**before.last, "state": "kept", "seconds": 0.0}
        place = _placed(options, task)
        own = argparse.Namespace(**vars(options))
        own.input, own.report = [str(file) for file in task.files], None
        own.output = f"{output}/" if options.all else _place(options, str(place(None)))
        others = set(map(place_of, options.spared)) - set(map(place_of, task.files))
        if place_of(Path(own.output)) in others:
            raise InputError(
                "is a frame of another sequence, and is never replaced",
                file=Path(own.output).name,
                remedy="use other --names",
            )
        own.describe = [str(place(None, one)) for one in options.describe or ()] or None
        own.trials = options.trials and str(place(None, options.trials))
        sums = {} if before is None else before.sums

        def ours(path: Path) -> bool:
            return _sum_of(path) in sums.get(_inside(output, path), ())

        def result(made: Made) -> Result:
            return {
                "sequence": task.name,
                "state": "made",
                "seconds": round(time.perf_counter() - begun, 4),
                "notes": made.notes,
                "outputs": [{key: one[key] for key in one if key != "options"} for one in made.outputs],
                "key": key,
                "files": {_inside(output, one.path): one.sha256 for one in made.written},
            }

        # Before they are there, so that a later run knows them for its own however this one ends.
        made = make(
            own,
            ours=ours,
            carry=True,
            spared=options.spared,
            placed=place if options.all else None,
            ready=lambda made: _append(output / NOTES, encoded(result(made), indent=None)),
        )
    except (JayFlickError, OSError) as error:
        return _failed(task.name, error)
    keep_in_mind(made)
    return result(made)


def _placed(options: argparse.Namespace, task: Task) -> Callable[..., Path]:
    def place(made: BaseOutput | None, pattern: str = options.places) -> Path:
        file = "" if made is None else Path(made.file_name).stem if made.folder else made.file_name
        # In one go: the name of a sequence may hold what looks like another part.
        parts = {"{sequence}": task.name, "{file}": file}
        name = re.sub(r"\{(?:sequence|file)\}", lambda found: parts[found[0]], pattern)
        return Path(options.output) / name

    return place


def _place(options: argparse.Namespace, place: str) -> str:
    """A place as ``-o`` takes it: a set's ends with a slash."""
    return f"{place}/" if options.frames is not None else place


def _inside(output: Path, path: Path) -> str:
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


def _key(options: argparse.Namespace, files: Sequence[Path]) -> str:
    """A fingerprint of all that an output depends on: the program, what was asked of it, the frames."""
    where = {"input", "output", "report", "json", "force", "resume", "jobs", "command", "spared"}
    asked = {name: value for name, value in vars(options).items() if name not in where}
    for name in ("recipe", "target"):
        if asked[name] and asked[name].endswith(".json"):
            asked[name] = _sum_of(Path(asked[name]))
    frames = [(file.name, _sum_of(file)) for file in files]
    text = json.dumps([__version__, decoders(), asked, frames], sort_keys=True, default=str)
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def _failed(name: str, error: Exception) -> Result:
    if isinstance(error, JayFlickError):
        what = {"message": error.message, "file": error.file, "remedy": error.remedy}
    else:
        why = getattr(error, "strerror", None) or type(error).__name__
        what = {"message": str(why), "file": None, "remedy": "make room or choose another place"}
    return {"sequence": name, "state": "failed", "seconds": 0.0, "error": what}


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
