"""The results of stages, kept under a hash of everything they depend on."""

import hashlib
import json
import os
import struct
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

from .atomic import atomic_write, prune
from .checksums import crc32
from .store import Store

_SEAL = struct.Struct("<QI")


def cache_key(stage: str, version: int, *inputs: Any) -> str:
    """The name of a stage's result: a SHA-256 over the stage, its code's version and all its inputs."""
    text = json.dumps([stage, version, *inputs], sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


class Stages:
    """Stage results as files in a folder, and a count of how often each stage really ran.

    A result is written under a temporary name and renamed, so that a reader never meets half of one and two
    processes may fill the same folder. One that was damaged, as by a loss of power, counts as not there.
    Results only save work: where there is no room for one, it is made again the next time.
    """

    def __init__(self, folder: Path, store: Store | None = None, *, flat: bool = False) -> None:
        """``store``: where finished files are put; otherwise a folder in this one. ``flat``: results lie side
        by side, not in 256 folders: to make those takes a tenth of the time of something small.
        """
        self.folder = folder
        self._flat = flat
        self.store = store if store is not None else Store(folder / "files")
        self.runs: Counter[str] = Counter()
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)

    def path(self, stage: str, key: str) -> Path:
        return (self.folder if self._flat else self.folder / key[:2]) / f"{key}.{stage}"

    def get(self, stage: str, key: str) -> bytes | None:
        """The stage's result for ``key``, if it is there and undamaged."""
        path = self.path(stage, key)
        try:
            with path.open("rb") as file:
                data = file.read(max(0, os.fstat(file.fileno()).st_size - _SEAL.size))
                sound = file.read() == _seal(data)
            os.utime(path)  # what was used last is dropped last
        except OSError:
            return None
        return data if sound else None

    def obtain(self, stage: str, key: str, make: Callable[[], bytes]) -> bytes:
        """The stage's result for ``key``: read if it is there, otherwise made by ``make`` and kept."""
        data = self.get(stage, key)
        if data is None:
            self.runs[stage] += 1
            data = make()
            with suppress(OSError):
                atomic_write(self.path(stage, key), data + _seal(data), durable=False)
        return data

    def drop(self, stage: str, key: str) -> None:
        """Forget a result."""
        self.path(stage, key).unlink(missing_ok=True)

    def has(self, stage: str, key: str) -> bool:
        """Whether there is a result; only reading it tells whether it is undamaged."""
        return self.path(stage, key).exists()

    def prune(self, most_bytes: int) -> int:
        """Drop what was used longest ago until at most ``most_bytes`` are kept; returns how many are."""
        return prune(self.folder, most_bytes)


def _seal(data: bytes) -> bytes:
    """What stands behind a result in its file: its length and checksum."""
    return _SEAL.pack(len(data), crc32(data))
