"""The sequences that inputs hold, each with a name of its own: what ``batch`` makes one by one."""

import os
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from glob import glob, has_magic
from pathlib import Path, PurePosixPath

from ..core.errors import InputError, printable
from ..core.roots import Entry
from ..core.sequence.listing import Listed, listed
from ..core.text import safe_path
from .earlier import without_outputs
from .writing import place_of

MOST_FILES = 1_000_000
"""The most files that are looked through for sequences."""


@dataclass(frozen=True)
class Task:
    """One sequence, an animated file, a clip or an archive."""

    name: str
    """What it is called: where it lies below its input, then its files without their number and ending."""
    files: tuple[Path, ...]
    size: int
    """All their bytes."""
    archive: bool = False
    """Whether only its content tells what it holds."""


def tasks_of(inputs: Sequence[str], output: Path, *, by_folder: bool = False) -> tuple[list[Task], list[str]]:
    """What files, folders of folders and patterns hold, by name, and notes on what was passed over.

    ``output``: where results go; nothing that lies there is an input. ``by_folder``: what lies in one folder is
    one task. Raises ``InputError`` when there is none, or two have one name.
    """
    begins: dict[Path, Path] = {}
    """Of each file the folder that its name begins at."""
    for text in inputs:
        path = Path(text)
        if path.is_dir():
            begin = path if len(inputs) == 1 else path.parent  # of several folders the names tell them apart
            found = dict.fromkeys(_below(path, place_of(output)), begin)
        elif not path.exists() and has_magic(text):
            matched = [Path(match) for match in sorted(glob(text, recursive=True)) if Path(match).is_file()]
            if not matched:
                raise InputError("nothing matches this pattern", file=text, remedy="check the pattern")
            found = {file: file.parent for file in matched}
        elif path.exists():
            found = {path: path.parent}
        else:
            raise InputError("does not exist", file=text, remedy="check the path")
        for file, its_own in found.items():
            begins.setdefault(file, its_own)
        if len(begins) > MOST_FILES:
            raise InputError(f"holds more than {MOST_FILES} files", file=path.name, remedy="name a part of it")
    kept, passed = without_outputs(list(begins), inputs)
    notes = _passed_over(passed, "made by an earlier run; name it to use it")
    by_place: dict[tuple[Path, Path], list[Path]] = defaultdict(list)
    for file in kept:
        by_place[file.parent, begins[file]].append(file)
    tasks: list[Task] = []
    others: list[Path] = []
    for (folder, begin), files in sorted(by_place.items()):
        entries = [_entry(file) for file in files]
        groups, unknown = listed(entries)
        if unknown:
            known = {name for one in groups for name in one.names}
            others += [file for file in files if file.name not in known]
        tasks += _of_folder(folder, begin, groups, by_folder=by_folder)
    notes += _passed_over(others, "no frames by their names")
    if not tasks:
        count = f"{len(others)} other {'file is' if len(others) == 1 else 'files are'}"
        what = f"{count if others else 'no file is'} here"
        raise InputError(f"no sequence was found; {what}", remedy="name folders with frames, or archives")
    _need_names_apart(tasks)
    return sorted(tasks, key=lambda task: task.name), notes


def _below(folder: Path, output: Path) -> Iterable[Path]:
    """The files in a folder and its folders, but hidden ones and those of the output."""
    for here, folders, names in os.walk(folder):
        place = Path(here)
        folders[:] = sorted(
            name for name in folders if not name.startswith(".") and place_of(place / name) != output
        )
        for name in sorted(names):
            file = place / name
            if not name.startswith(".") and file.is_file():
                yield file


def _entry(file: Path) -> Entry:
    try:
        status = file.stat()
    except OSError:  # gone meanwhile, which is said once it is read
        return Entry(file.name, False, 0, 0)
    return Entry(file.name, False, status.st_size, status.st_mtime_ns)


def _of_folder(folder: Path, begin: Path, groups: Sequence[Listed], *, by_folder: bool) -> list[Task]:
    below = folder.relative_to(begin).as_posix()
    below = "" if below == "." else below
    own = folder.resolve().name or "frames"
    if by_folder:
        sequences = [one for one in groups if one.kind != "archive"]
        apart = [one for one in groups if one.kind == "archive"]
    else:
        sequences, apart = [], list(groups)
    tasks = [_task(folder, below, _stem(one) or ("" if below else own), one) for one in apart]
    if sequences:
        files = tuple(folder / name for one in sequences for name in one.names)
        tasks.append(Task(safe_path(below or own), files, sum(one.size for one in sequences)))
    return tasks


def _task(folder: Path, below: str, stem: str, one: Listed) -> Task:
    name = safe_path("/".join(part for part in (below, stem) if part))
    files = tuple(folder / name for name in one.names)
    return Task(name, files, one.size, one.kind == "archive")


def _stem(one: Listed) -> str:
    """What its files have in common: ``walk_#.png`` is walk, ``take_#_v2.png`` take_v2."""
    bare = PurePosixPath(one.pattern).name
    stem = bare.rpartition(".")[0] or bare
    if one.kind == "archive":
        stem = stem.removesuffix(".tar")
    before, number, after = stem.partition("#")
    if not number:
        return stem.strip(" .")
    parts = [part for part in (before.rstrip("_-. "), after.lstrip("_-. ")) if part]
    return "_".join(parts)


def _need_names_apart(tasks: Iterable[Task]) -> None:
    seen: dict[str, Task] = {}
    for task in tasks:
        other = seen.setdefault(task.name.casefold(), task)
        if other is not task:
            both = f"{printable(str(other.files[0]))} and {printable(str(task.files[0]))}"
            raise InputError(
                f"{both} would have the same name", file=task.name, remedy="name the folder that both lie in"
            )


def _passed_over(files: Sequence[Path], why: str) -> list[str]:
    if not files:
        return []
    names = ", ".join(printable(file.name) for file in files[:5]) + ("…" if len(files) > 5 else "")
    return [f"passed over {names}: {why}"]
