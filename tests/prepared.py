"""Data folders that many tests begin with, made once for a state of the source and copied from then on.

``python -m tests.prepared`` makes them before any test runs.
"""

import fcntl
import hashlib
import os
import shutil
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from tests.server import Server, until

ROOT = Path(__file__).parents[1]
_KEPT = ROOT / ".test-data"
PATIENT = 600
"""In seconds: a machine that is busy with much else draws the demo ten times as slowly."""


def _state() -> str:
    """A hash over all that such folders depend on."""
    digest = hashlib.sha256()
    for file in sorted([*ROOT.glob("src/**/*.py"), *ROOT.glob("requirements/*.txt"), Path(__file__)]):
        digest.update(file.read_bytes())
    return digest.hexdigest()[:16]


def _prepared(name: str, make: Callable[[Path], None]) -> Path:
    folder = _KEPT / f"{name}-{_state()}"
    _KEPT.mkdir(exist_ok=True)
    with (_KEPT / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not folder.exists():
            for old in _KEPT.glob(f"{name}-*"):
                shutil.rmtree(old)
            half = _KEPT / f"half-{name}"
            shutil.rmtree(half, ignore_errors=True)
            make(half)
            half.rename(folder)
    return folder


def _make_empty(folder: Path) -> None:
    Server(folder).start("--no-demo").stop()


def _make_demo(folder: Path) -> None:
    server = Server(folder).start()
    with server.client() as client:
        until(lambda: client.get("/api/health").json()["demo_waiting"] == 0, PATIENT)
        until(lambda: all(project["results"] for project in client.get("/api/projects").json()), PATIENT)
    server.stop()


def copy_empty(to: Path) -> Path:
    """A data folder with a database that is set up and has its tables, and nothing else."""
    return Path(shutil.copytree(_prepared("empty", _make_empty), to, dirs_exist_ok=True))


def copy_demo(to: Path) -> Path:
    """A data folder with the demo, its outputs made."""
    demo = _prepared("demo", _make_demo)
    return Path(shutil.copytree(demo, to, dirs_exist_ok=True, copy_function=_shared))


def _shared(source: str, to: str) -> str:
    """A copy; of files that are written once and never changed another name, if the file system can."""
    if "/stages/" in source or "/store/" in source:
        with suppress(OSError):
            os.link(source, to)
            return to
    return str(shutil.copy2(source, to))


if __name__ == "__main__":
    _prepared("empty", _make_empty)
    _prepared("demo", _make_demo)
