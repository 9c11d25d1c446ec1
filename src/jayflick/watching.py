"""Changes in folders, told once they have settled."""

import os
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from watchfiles import Change, watch

from .core.atomic import PART

_FAR = frozenset(
    {"nfs", "nfs4", "cifs", "smb3", "smbfs", "9p", "fuse.sshfs", "ceph", "afs", "vboxsf", "virtiofs"}
)
"""Kinds of file systems that others write to, of which the system has no news."""

LONGEST = 5
"""Times as long as folders have to be still, changes that do not end are waited for: a log, a long render."""
MOUNTS = Path("/proc/self/mounts")


def settled(
    folders: Sequence[Path],
    seconds: float,
    passed_over: Callable[[Path], bool],
    due: Callable[[], bool],
    *,
    below: bool = True,
    until: threading.Event | None = None,
) -> Iterator[frozenset[Path]]:
    """Each time folders have been still for so long after a change: those in which there was one.

    Told once at the beginning as well, of all; with none when something is ``due``; and now and then while they
    are never still. ``passed_over``: files of which a change is none. A folder that goes away is waited for.
    ``below``: what is in their folders counts as well. Ends once ``until`` is set.
    """
    folders = [folder.absolute() for folder in folders]
    while until is None or not until.is_set():
        there = [_identity(folder) for folder in folders]
        # What happened before it was watched is a change as well.
        pending, since = frozenset(folders), time.monotonic()
        for changes in _changes([one for one in folders if one.is_dir()], seconds, passed_over, below, until):
            if [_identity(folder) for folder in folders] != there:
                break  # gone, come or another by now: what is watched is what is there
            if changes and not pending:
                since = time.monotonic()
            pending |= {folder for folder in folders if any(_lies_in(path, folder, below) for path in changes)}
            restless = pending and time.monotonic() - since > LONGEST * seconds
            if restless or (not changes and (pending or due())):
                yield pending
                pending = frozenset()


def _lies_in(path: str, folder: Path, below: bool) -> bool:
    return path.startswith(f"{folder}{os.sep}") if below else os.path.dirname(path) == str(folder)


def _changes(
    folders: Sequence[Path],
    seconds: float,
    passed_over: Callable[[Path], bool],
    below: bool,
    until: threading.Event | None,
) -> Iterator[list[str]]:
    """The paths of changes as they come, and none whenever there was none for so long."""

    def counts(change: Change, path: str) -> bool:
        name = os.path.basename(path)
        return not name.startswith((".", PART)) and not passed_over(Path(path))

    for found in watch(
        *folders,
        watch_filter=counts,
        debounce=200,
        step=50,
        stop_event=until,
        rust_timeout=max(1, round(seconds * 1000)),
        yield_on_timeout=True,
        force_polling=any(is_far(folder) for folder in folders),
        recursive=below,
        raise_interrupt=threading.current_thread() is threading.main_thread(),
        ignore_permission_denied=True,
    ):
        yield [path for _, path in found]


def _identity(folder: Path) -> tuple[int, int] | None:
    try:
        found = folder.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def is_far(folder: Path) -> bool:
    """Whether a folder lies where other machines write, as the table of mounts tells it (proc(5))."""
    place, kind, longest = folder.resolve(), "", -1
    try:
        lines = MOUNTS.read_text().splitlines()
    except OSError:
        return False
    for line in lines:
        _, mounted, found, *_ = line.split(" ")
        point = Path(mounted.replace("\\040", " "))
        if place.is_relative_to(point) and len(point.parts) > longest:
            kind, longest = found, len(point.parts)
    return kind in _FAR
