"""What work on a worker rests on: its program, what it keeps of frames, its share of its machine, its end."""

import hashlib
import os
import platform
import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import cache
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from ... import __version__
from ..atomic import atomic_write, prune
from ..errors import Cancelled, InputError
from ..pictures.kinds import decoders
from ..progress import OnProgress, Progress, now_and_then
from ..stages import Stages
from ..store import Store
from .shared import Shared

CACHE = "JAYFLICK_CACHE"
"""The variable that names where a worker keeps frames; otherwise the system's folder for what is temporary."""
MOST_CACHED = 4 << 30
"""Bytes of frames that are kept there, and of stage results: those used last."""
_AT_ONCE = 64
"""Files that are in memory together."""
_LOOK = 1.0
"""Seconds between two looks whether it is still wanted."""

Beside = Mapping[str, tuple[int, int]]
"""By the address of a worker which one of its machine's it is, from 0, and how many that has."""


@cache
def program() -> str:
    """All that bytes depend on besides recipe and frames: our code, the coders, and the kind of processor.

    Clips and AVIF are coded by libraries that choose their loops by the processor; x264 and libaom are told to
    give the same bytes, and what the kind of machine is stands for the rest.
    """
    digest = hashlib.sha256()
    root = Path(__file__).parent.parent.parent
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


class OtherProgramError(InputError):
    """A worker would give other bytes."""


def other_program(worker: str, theirs: str, ours: str) -> OtherProgramError:
    """A worker is refused, by name and by what differs."""
    apart = sorted(set(theirs.split(", ")) ^ set(ours.split(", ")))
    return OtherProgramError(
        f"worker {worker} runs another program: {', '.join(apart)}",
        remedy="install the same version with the same packages there",
    )


class Cache:
    """What a worker keeps of the frames of a run, and of what is made of them on the way.

    Frames are not waited for on the disk, but checked when they are used.
    """

    _came = 0
    """Bytes that came since it was last looked through, by any thread of this process."""

    def __init__(self, shared: Shared) -> None:
        """``shared``: where frames come from."""
        named = os.environ.get(CACHE)
        folder = Path(named or Path(tempfile.gettempdir()) / f"jayflick-cache-{os.getuid()}")
        self._shared = shared
        self._frames = Store(folder / "frames")
        self.stages = Stages(folder / "stages", Store(folder / "files"))

    def fetch(self, hashes: Iterable[str]) -> None:
        """Have these frames here; only those that are not are read from the shared place."""
        lacking = [sha256 for sha256 in dict.fromkeys(hashes) if not self._frames.path(sha256).exists()]
        for at in range(0, len(lacking), _AT_ONCE):
            self._bring(lacking[at : at + _AT_ONCE])

    def read(self, hashes: Sequence[str]) -> Iterator[bytes]:
        """The files of frames: as they are kept, if they did not come to harm, else from the shared place."""
        for at in range(0, len(hashes), _AT_ONCE):
            some = hashes[at : at + _AT_ONCE]
            there = {sha256: self._kept(sha256) for sha256 in some}
            there |= self._bring([sha256 for sha256, data in there.items() if data is None])
            yield from (data for sha256 in some if (data := there[sha256]) is not None)

    def _bring(self, hashes: Sequence[str]) -> dict[str, bytes]:
        found = dict(zip(hashes, self._shared.get(hashes), strict=True))
        for sha256, data in found.items():
            atomic_write(self._frames.path(sha256), data, durable=False)
            self.note(len(data))
        return found

    def _kept(self, sha256: str) -> bytes | None:
        path = self._frames.path(sha256)
        try:
            data = path.read_bytes()
            os.utime(path)  # those used longest ago go first
        except OSError:
            return None
        return data if hashlib.sha256(data).hexdigest() == sha256 else None

    def note(self, more: int) -> None:
        """So many bytes came, roughly: what was used longest ago goes, now and then."""
        Cache._came += more
        if Cache._came > MOST_CACHED // 16:  # looking through all of it takes a while
            Cache._came = 0
            for folder in (self._frames.folder, self.stages.folder, self.stages.store.folder):
                prune(folder, MOST_CACHED)


@contextmanager
def share_of_processors(beside: Beside) -> Iterator[None]:
    """Work on this worker's share of its machine: workers that all use all of it stand in each other's way."""
    before = os.sched_getaffinity(0)  # of this thread, and of those that it begins
    try:
        from distributed import get_worker

        number, count = beside[get_worker().address]
        os.sched_setaffinity(0, sorted(before)[number::count] or before)
    except (ImportError, KeyError, OSError, ValueError):
        pass  # it came later, or is no worker
    try:
        yield
    finally:
        os.sched_setaffinity(0, before)


def while_wanted(shared: Shared, tell: OnProgress = lambda progress: None) -> OnProgress:
    """Ends the work once it was called off; ``tell`` is told how far it is, now and then."""

    def look(progress: Progress) -> None:
        if shared.is_cancelled():
            raise Cancelled("called off")
        tell(progress)

    return now_and_then(_LOOK, look)
