"""What runs on a worker: one sequence, of frames known by their content, made into files known by theirs."""

import argparse
import hashlib
import os
import platform
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any, NamedTuple

from .. import __version__
from ..core.atomic import prune
from ..core.errors import Cancelled, JayFlickError
from ..core.pictures.kinds import decoders
from ..core.progress import Progress
from ..core.shared import Shared
from ..core.store import Store
from .each import inside, made_here
from .many import Task
from .writing import scratch_folder

CACHE = "JAYFLICK_CACHE"
"""The variable that names where a worker keeps frames; otherwise the system's folder for what is temporary."""
MOST_CACHED = 4 << 30
"""Bytes of frames that are kept there: those used last."""
_came = argparse.Namespace(bytes=0)
"""What came into it since it was last looked through."""
_LOOK = 1.0
"""Seconds between two looks whether it is still wanted."""


class File(NamedTuple):
    """A file that a sequence is made of."""

    name: str
    sha256: str
    written: int
    """When it was last written, in nanoseconds since 1970: it is told where the order is in doubt."""


class Order(NamedTuple):
    """What is to be made."""

    program: str
    share: str
    run: str
    sequence: str
    size: int
    files: tuple[File, ...]
    options: dict[str, Any]
    texts: dict[str, bytes]
    """By option what the files hold that options name: a recipe, a target."""
    key: str
    beside: dict[str, tuple[int, int]]
    """By the address of a worker which one of its machine's it is, from 0, and how many that has."""


class Answer(NamedTuple):
    """What came of it: a result with the files by output, or why there is none."""

    result: dict[str, Any] | None
    called: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = ()
    """What each output is called in its folder, and its files: their paths and hashes."""
    error: tuple[str, str | None, str] | None = None
    other_program: str = ""


@cache
def program() -> str:
    """All that bytes depend on besides recipe and frames: our code, the coders, and the kind of processor.

    Clips and AVIF are coded by libraries that choose their loops by the processor; x264 and libaom are told to
    give the same bytes, and what the kind of machine is stands for the rest.
    """
    digest = hashlib.sha256()
    root = Path(__file__).parent.parent
    for source in sorted((root / part) for part in ("core", "cli")):
        for file in sorted(source.rglob("*.py")):
            digest.update(file.relative_to(root).as_posix().encode() + b"\0" + file.read_bytes())
    coders = [f"{name} {_version(name)}" for name in ("av", "numba", "numpy", "opencv-python-headless")]
    parts = [f"jayflick {__version__} {digest.hexdigest()[:12]}", decoders(), *coders, platform.machine()]
    return ", ".join(parts)


def _version(name: str) -> str:
    try:
        return version(name)
    except PackageNotFoundError:
        return "none"


def make_one(order: Order) -> Answer:
    """Make a sequence's files; what cannot be made is answered, not raised."""
    if order.program != program():
        return Answer(None, other_program=program())
    with _share_of_processors(order):
        return _made(order)


def _made(order: Order) -> Answer:
    try:
        shared = Shared(order.share, order.run)
        with scratch_folder() as scratch:
            files = _laid_out(order, shared, scratch / "in")
            options = argparse.Namespace(**order.options)
            for name, text in order.texts.items():
                path = scratch / f"{name}.json"
                path.write_bytes(text)
                setattr(options, name, str(path))
            output = scratch / "out"
            options.output, options.spared = str(output), []
            task = Task(order.sequence, tuple(files), order.size)
            result, made = made_here(options, task, order.key, on_progress=_Watch(shared))
            hashes = dict(
                zip(made.written, shared.put(one.path.read_bytes() for one in made.written), strict=True)
            )
            called = tuple(
                (name, tuple((inside(output, one.path), hashes[one]) for one in written))
                for name, written in made.called
            )
            return Answer(result, called)
    except JayFlickError as error:
        return Answer(None, error=(error.message, error.file, error.remedy))
    except OSError as error:
        return Answer(
            None, error=(f"the worker's disk refused: {error.strerror or error}", None, "make room there")
        )
    except MemoryError:
        return Answer(None, error=("there is too little memory", None, "use workers with more"))


@contextmanager
def _share_of_processors(order: Order) -> Iterator[None]:
    """Work on this worker's share of its machine: workers that all use all of it stand in each other's way."""
    before = os.sched_getaffinity(0)  # of this thread, and of those that it begins
    try:
        from distributed import get_worker

        number, count = order.beside[get_worker().address]
        os.sched_setaffinity(0, sorted(before)[number::count] or before)
    except (ImportError, KeyError, OSError, ValueError):
        pass  # it came later, or is no worker
    try:
        yield
    finally:
        os.sched_setaffinity(0, before)


class _Watch:
    """Ends the work once the run was called off."""

    def __init__(self, shared: Shared) -> None:
        self._shared = shared
        self._due = time.monotonic() + _LOOK

    def __call__(self, progress: Progress) -> None:
        if time.monotonic() < self._due:
            return
        self._due = time.monotonic() + _LOOK
        if self._shared.is_cancelled():
            raise Cancelled("called off")


def _laid_out(order: Order, shared: Shared, folder: Path) -> list[Path]:
    """The files as they lie where they come from, in a folder; only what is not kept here is fetched."""
    kept = Store(_cache_folder())
    lacking = [sha256 for sha256 in {file.sha256 for file in order.files} if not kept.path(sha256).exists()]
    for at in range(0, len(lacking), 64):
        found = shared.get(lacking[at : at + 64])
        kept.put_all(found)
        _came.bytes += sum(map(len, found))
    paths = []
    for file in order.files:
        path = folder / file.name
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            shutil.copyfile(kept.path(file.sha256), path)
            os.utime(kept.path(file.sha256))  # those used longest ago go first
        except FileNotFoundError:  # cleared away in between
            path.write_bytes(shared.get([file.sha256])[0])
        os.utime(path, ns=(file.written, file.written))
        paths.append(path)
    if _came.bytes > MOST_CACHED // 16:  # looking through all of it takes a while
        _came.bytes = 0
        prune(kept.folder, MOST_CACHED)
    return paths


def _cache_folder() -> Path:
    return Path(os.environ.get(CACHE) or Path(tempfile.gettempdir()) / f"jayflick-cache-{os.getuid()}")
