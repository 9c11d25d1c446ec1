"""Folders that may be read with all that is in them, and nothing beyond them.

What is opened is looked at after it was opened, by the handle: a folder that somebody swaps for a link between
two looks leads nowhere. A link is followed as long as it stays inside.
"""

import errno
import fcntl
import os
import stat
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import BinaryIO

from .errors import InputError
from .text import clean

MOST_ENTRIES = 100_000
"""The most names that are looked at in one folder."""


@dataclass(frozen=True)
class Entry:
    """A file or a folder in a folder."""

    name: str
    """As the system gives it: bytes that are no UTF-8 as lone surrogates (PEP 383)."""
    folder: bool
    size: int
    """In bytes."""
    written: int
    """When it was last written, in nanoseconds since 1970."""


@dataclass(frozen=True)
class Listing:
    """What is in a folder, without what is hidden, leads outside, or is neither a file nor a folder."""

    entries: list[Entry]
    more: bool = False
    """Whether there are more names than are looked at."""


class Root:
    """A folder that may be read with all that is in it.

    Paths are relative to it, with ``/`` between names; the empty one is the folder itself. All calls raise
    ``InputError`` for what is not there, leads outside or may not be read.
    """

    def __init__(self, folder: Path, name: str = "") -> None:
        """``name``: what people call it, if not as the folder itself is called."""
        self.path = os.path.realpath(folder)
        self.name = name or clean(os.path.basename(self.path)) or self.path

    def absolute(self, path: str) -> str:
        """Where something of it is. ``InputError`` when the path leads out as it is written, or is hidden."""
        parts = [part for part in path.split("/") if part not in ("", ".")]
        if path.startswith("/") or "\0" in path or any(part.startswith(".") for part in parts):
            raise _outside(path)
        return os.path.join(self.path, *parts)

    def relative(self, absolute: str) -> str | None:
        """The path of a place in it; ``None`` of one that is not in it."""
        if absolute == self.path:
            return ""
        inside = self.path.rstrip("/") + "/"
        return absolute[len(inside) :] if absolute.startswith(inside) else None

    def open_file(self, path: str) -> BinaryIO:
        """A file of it, to be read. Nothing but files is opened: what a device or a pipe does is not known."""
        handle = self._held(path)
        try:
            if not stat.S_ISREG(os.fstat(handle).st_mode):
                raise InputError("is not a file", file=_last(path), remedy="choose another")
            # By way of the handle it is this very file, whatever has its name by now.
            return open(os.open(f"/proc/self/fd/{handle}", os.O_RDONLY | os.O_NOCTTY), "rb")
        except OSError as failed:
            raise _unreadable(path, failed) from failed
        finally:
            os.close(handle)

    def listing(self, path: str) -> Listing:
        """What is in a folder of it, by name."""
        held = self._held(path)
        try:
            handle = os.open(f"/proc/self/fd/{held}", os.O_RDONLY | os.O_DIRECTORY)
        except OSError as failed:
            raise _unreadable(path, failed) from failed
        finally:
            os.close(held)
        try:
            with os.scandir(handle) as found:
                names = list(islice(found, MOST_ENTRIES + 1))
            entries = [entry for one in names[:MOST_ENTRIES] if (entry := self._entry(path, one)) is not None]
        except OSError as failed:
            raise _unreadable(path, failed) from failed
        finally:
            os.close(handle)
        return Listing(sorted(entries, key=lambda entry: entry.name), len(names) > MOST_ENTRIES)

    def _entry(self, path: str, found: "os.DirEntry[str]") -> Entry | None:
        if found.name.startswith("."):
            return None
        try:
            if found.is_symlink():
                os.close(self._held(f"{path}/{found.name}" if path else found.name))
            status = found.stat()
        except (OSError, InputError):
            return None
        folder = stat.S_ISDIR(status.st_mode)
        if not folder and not stat.S_ISREG(status.st_mode):
            return None
        return Entry(found.name, folder, status.st_size, status.st_mtime_ns)

    def walked(self, path: str, most: int) -> Iterator[tuple[str, Entry]]:
        """All files below a folder, by path, but those in folders that are links. ``InputError`` past ``most``
        names: nothing is left out in silence."""
        seen = 0
        waiting = [path]
        while waiting:
            here = waiting.pop()
            listing = self.listing(here)
            seen += len(listing.entries)
            if listing.more or seen > most:
                raise InputError(
                    f"holds more than {most} files and folders", file=_last(path), remedy="choose a part of it"
                )
            folders = []
            for entry in listing.entries:
                inside = f"{here}/{entry.name}" if here else entry.name
                if not entry.folder:
                    yield inside, entry
                elif not os.path.islink(self.absolute(inside)):
                    folders.append(inside)
            waiting += reversed(folders)

    def found(self, shown: str) -> str:
        """The path of what people call so: names are shown cleaned, and may be others on the disk."""
        self.absolute(shown)
        path = ""
        for name in (part for part in shown.split("/") if part not in ("", ".")):
            inside = f"{path}/{name}" if path else name
            if not os.path.lexists(self.absolute(inside)):
                alike = (entry.name for entry in self.listing(path).entries if clean(entry.name) == name)
                inside = f"{path}/{next(alike, name)}" if path else next(alike, name)
            path = inside
        return path

    def _held(self, path: str) -> int:
        """A handle of something inside, by which nothing can be read yet: opening so does nothing to it."""
        try:
            handle = os.open(self.absolute(path), os.O_PATH)
        except OSError as failed:
            raise _unreadable(path, failed) from failed
        if self.relative(os.readlink(f"/proc/self/fd/{handle}")) is None:
            os.close(handle)
            raise _outside(path)
        return handle


def is_locked(file: BinaryIO) -> bool:
    """Whether another program keeps the file locked, as flock(2) or fcntl(2) do it: it is not done with it."""
    for lock in (fcntl.flock, fcntl.lockf):
        try:
            lock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            lock(file, fcntl.LOCK_UN)
        except OSError as held:
            if held.errno in (errno.EAGAIN, errno.EACCES):
                return True  # any other: the file system has no locks
    return False


def _last(path: str) -> str | None:
    return clean(path.rstrip("/").rpartition("/")[2]) or None


def _outside(path: str) -> InputError:
    return InputError("leads outside the folders that may be read", file=_last(path), remedy="choose another")


def _unreadable(path: str, failed: OSError) -> InputError:
    if isinstance(failed, FileNotFoundError | NotADirectoryError):
        return InputError("is not there", file=_last(path), remedy="look at its folder again")
    why = failed.strerror or "unknown reason"
    return InputError(f"cannot be read ({why})", file=_last(path), remedy="check its permissions")
