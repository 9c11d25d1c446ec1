"""Files on their way out: all are there under hidden names before any takes its place."""

import contextlib
import hashlib
import json
import os
import signal
import sys
import tempfile
import threading
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from types import TracebackType
from typing import Any, NamedTuple, Self

from ..core.atomic import PART
from ..core.errors import InputError, JayFlickError


def encoded(document: Any, indent: int | None = 2) -> bytes:
    """A JSON document as text that is UTF-8, whatever names it holds; on one line without an ``indent``."""
    text = json.dumps(document, indent=indent, ensure_ascii=False, allow_nan=False)
    # What is left of a name that is none in UTF-8 becomes the escape that JSON has for it.
    return text.encode("utf-8", "backslashreplace") + b"\n"


def print_json(document: Any, indent: int | None = 2) -> None:
    """On stdout, in UTF-8 whatever the terminal takes."""
    sys.stdout.flush()
    sys.stdout.buffer.write(encoded(document, indent))
    sys.stdout.flush()


class Written(NamedTuple):
    """A file that a run puts somewhere."""

    path: Path
    bytes: int
    sha256: str


class Writing:
    """What one run writes: everything or, if it is left before :meth:`commit`, nothing.

    A file is refused where one is already, unless by ``force``, where one of the ``inputs`` lies even so, and
    where another of this run goes. ``ours``: tells of a file that it may be replaced, by force or not.
    """

    def __init__(
        self,
        *,
        force: bool,
        inputs: Iterable[Path] = (),
        ours: Callable[[Path], bool] = lambda path: False,
    ) -> None:
        self._force = force
        self._ours = ours
        self._inputs = {place_of(path) for path in inputs}
        self._claimed: dict[Path, str] = {}
        self._parts: list[tuple[str, Path]] = []
        self._made: list[Path] = []
        self._stale: list[Path] = []
        self.written: list[Written] = []
        """What was put so far."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        for part, _ in self._parts:
            with contextlib.suppress(OSError):
                os.unlink(part)
        for folder in reversed(self._made):
            with contextlib.suppress(OSError):  # strangers came meanwhile
                folder.rmdir()

    def claim(self, path: Path, by: str, *, rework: bool = False) -> None:
        """Refuse at once what could not be put there later; ``by``: the option that names it.

        ``rework``: what is made of an input may take its place.
        """
        place = place_of(path)
        if place in self._inputs and not rework:
            raise InputError("is an input, and is never replaced", file=path.name, remedy=f"use another {by}")
        if place in self._claimed:
            raise InputError(
                f"{self._claimed[place]} and {by} name the same file", file=path.name, remedy="use two names"
            )
        self._claimed[place] = by
        if path.is_dir():
            raise InputError("is a folder", file=path.name, remedy=f"use the name of a file for {by}")
        if path.exists() and not self._force and not self._ours(path):
            raise InputError("already exists", file=path.name, remedy="add --force to replace it")
        # What cannot be written is said before anything is made.
        folder = next(one for one in place.parents if one.exists())
        if not folder.is_dir() or not os.access(folder, os.W_OK | os.X_OK):
            raise JayFlickError("cannot be written there", file=path.name, remedy="choose another place")

    def put(self, path: Path, data: bytes, *, claimed: bool = False) -> None:
        """A file's bytes; its place is refused as :meth:`claim` does, unless it is ``claimed``."""
        if not claimed:
            self.claim(path, "-o")
        self._make(path.parent)
        try:
            with _undisturbed():  # what is there is known to be
                handle, part = tempfile.mkstemp(dir=path.parent, prefix=PART)
                self._parts.append((part, path))
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            os.chmod(part, 0o666 & ~_mask())
        except OSError as error:
            what = str(error.strerror or error)
            raise JayFlickError(what, file=path.name, remedy="make room or choose another place") from error
        self.written.append(Written(path, len(data), hashlib.sha256(data).hexdigest()))

    def _make(self, folder: Path) -> None:
        missing = []
        while not folder.exists():
            missing.append(folder)
            folder = folder.parent
        for one in reversed(missing):
            with _undisturbed():
                one.mkdir(exist_ok=True)
                self._made.append(one)

    def remove(self, path: Path) -> None:
        """What an earlier run wrote goes when the rest takes its place, unless it is an input now."""
        if place_of(path) not in self._inputs:
            self._stale.append(path)

    def commit(self) -> None:
        """All take their places. A signal that comes between waits until they have."""
        with _undisturbed():
            while self._parts:
                part, path = self._parts[0]
                try:
                    os.replace(part, path)
                except OSError as error:
                    remedy = "choose another place"
                    raise JayFlickError(str(error.strerror), file=path.name, remedy=remedy) from error
                del self._parts[0]
            for path in self._stale:
                path.unlink(missing_ok=True)
            for folder in {written.path.parent for written in self.written}:
                directory = os.open(folder, os.O_RDONLY)
                try:
                    os.fsync(directory)
                finally:
                    os.close(directory)
            self._made.clear()


def place_of(path: Path) -> Path:
    """Where a file lies, by whichever links it is reached; one that is a link itself is that link."""
    return path.parent.resolve() / path.name


@contextlib.contextmanager
def scratch_folder() -> Iterator[Path]:
    """A folder for as long as a run takes, whatever ends it."""
    made: tempfile.TemporaryDirectory[str] | None = None
    try:
        with _undisturbed():
            made = tempfile.TemporaryDirectory(prefix="jayflick-")
        yield Path(made.name)
    finally:
        if made is not None:
            made.cleanup()


def _mask() -> int:
    mask = os.umask(0)  # the only way to ask for it
    os.umask(mask)
    return mask


@contextlib.contextmanager
def _undisturbed() -> Iterator[None]:
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    signals = {signal.SIGINT, signal.SIGTERM}
    before = signal.pthread_sigmask(signal.SIG_BLOCK, signals)
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
