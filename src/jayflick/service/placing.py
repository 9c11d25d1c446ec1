"""Files put into a folder that is not ours: all of them or none, also when the program dies in the middle.

They are written beside, in a folder of their own, then moved in one after the other; what was there is kept
until all are there. A list of what goes where is written in between: without it nothing has been moved yet,
with it all is there to be moved, so that the next start finishes what it finds, or takes it back.
"""

import fcntl
import json
import os
import shutil
import tempfile
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..core.atomic import atomic_write
from ..core.errors import InputError

_PREFIX = ".handing-off-"
_LIST = "list.json"
_AWAY = "rename or remove it"


@dataclass(frozen=True)
class Placed:
    """Files that are in their places, what they replaced still being kept."""

    beside: Path
    handle: int

    def done(self) -> None:
        """It is known that they are there: what they replaced goes."""
        shutil.rmtree(self.beside, ignore_errors=True)
        os.close(self.handle)


def place(root: Path, files: Sequence[tuple[str, Callable[[], bytes]]], notes: Any) -> Placed:
    """Put files, by their paths below ``root``, into their places; what is there already is replaced.

    ``notes``: what :func:`recovered` shall give if this is never said to be done, as JSON. Raises
    ``InputError`` naming what is in the way, and ``OSError``; then everything is as it was.
    """
    for path, _ in files:
        _need_free(root, path)
    beside = Path(tempfile.mkdtemp(dir=root, prefix=_PREFIX))
    handle = os.open(beside / "lock", os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        for number, (_, read) in enumerate(files):
            atomic_write(beside / "new" / str(number), read())
        paths = [path for path, _ in files]
        atomic_write(beside / _LIST, json.dumps({"paths": paths, "notes": notes}).encode())
        try:
            _move_in(root, beside, paths)
        except BaseException:
            _take_back(root, beside, paths)
            raise
    except BaseException:
        _clear(beside)
        os.close(handle)
        raise
    return Placed(beside, handle)


def recovered(root: Path) -> list[Any]:
    """Finish, or take back, what a program that died had begun; the notes of what is in place now."""
    notes = []
    for beside in root.glob(f"{_PREFIX}*"):
        try:
            handle = os.open(beside / "lock", os.O_RDWR | os.O_CREAT, 0o600)
        except OSError:
            continue
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:  # another program is at it
            os.close(handle)
            continue
        with suppress(OSError, ValueError):
            known = json.loads((beside / _LIST).read_bytes())
            try:
                _move_in(root, beside, known["paths"])
                notes.append(known["notes"])
                shutil.rmtree(beside / "old", ignore_errors=True)
            except (OSError, InputError):
                _take_back(root, beside, known["paths"])
        _clear(beside)
        os.close(handle)
    return notes


def _clear(beside: Path) -> None:
    """Remove what was prepared; not if a file that was replaced could not be put back: it is nowhere else."""
    with suppress(OSError):
        if any((beside / "old").iterdir()):
            return
    shutil.rmtree(beside, ignore_errors=True)


def _need_free(root: Path, path: str) -> None:
    """Refuse a place that leads elsewhere, or where something else than a file is."""
    inside = root.resolve()
    target = inside / path
    try:
        resolved = target.resolve(strict=False)
        elsewhere = not resolved.is_relative_to(inside)
    except (OSError, RuntimeError):
        raise InputError("is a link that leads to itself", file=target.name, remedy="remove the link") from None
    if elsewhere:
        raise InputError("leads outside the hand-off folder", file=target.name, remedy="remove the link")
    if target.is_dir():
        raise InputError("cannot be written: there is a folder of this name", file=target.name, remedy=_AWAY)
    for parent in target.parents:
        if parent == inside:
            return
        if parent.exists() and not parent.is_dir():
            raise InputError(
                "is a file, and a folder of this name is needed", file=parent.name, remedy="rename or remove it"
            )


def _move_in(root: Path, beside: Path, paths: Sequence[str]) -> None:
    """Move what is not in its place yet, keeping what was there."""
    (beside / "old").mkdir(exist_ok=True)
    for number, path in enumerate(paths):
        new, old, target = beside / "new" / str(number), beside / "old" / str(number), root / path
        if not new.exists():
            continue
        _need_free(root, path)
        target.parent.mkdir(parents=True, exist_ok=True)
        if target.exists() and not old.exists():
            _keep(target, old)
        new.rename(target)


def _keep(target: Path, old: Path) -> None:
    """Keep what is replaced, and leave it where it is: whoever reads it meets the old file or the new one."""
    try:
        os.link(target, old, follow_symlinks=False)
    except OSError:  # a file system without links
        target.rename(old)


def _take_back(root: Path, beside: Path, paths: Sequence[str]) -> None:
    """Move what was moved in beside again, and what was there before back: at any moment either way is open."""
    for number, path in reversed(list(enumerate(paths))):
        new, old, target = beside / "new" / str(number), beside / "old" / str(number), root / path
        with suppress(OSError):
            if not new.exists():
                target.rename(new)
            if old.exists():
                old.rename(target)
                old.unlink(missing_ok=True)  # two names of one file: rename(2) left both
        for parent in target.parents:
            if parent == root:
                break
            with suppress(OSError):
                parent.rmdir()  # only if nothing is in it
