"""The results of stages, kept under a hash of everything they depend on."""

import hashlib
import json
import os
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

from .atomic import atomic_write


def cache_key(stage: str, version: int, *inputs: Any) -> str:
    """The name of a stage's result: a SHA-256 over the stage, its code's version and all its inputs."""
    text = json.dumps([stage, version, *inputs], sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


class Stages:
    """Stage results as files in a folder, and a count of how often each stage really ran.

    A result is written under a temporary name and renamed, so that a reader never meets half of one and two
    processes may fill the same folder.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.runs: Counter[str] = Counter()
        folder.mkdir(parents=True, exist_ok=True)

    def path(self, stage: str, key: str) -> Path:
        return self.folder / key[:2] / f"{key}.{stage}"

    def obtain(self, stage: str, key: str, make: Callable[[], bytes]) -> bytes:
        """The stage's result for ``key``: read if it is there, otherwise made by ``make`` and kept."""
        path = self.path(stage, key)
        try:
            data = path.read_bytes()
        except FileNotFoundError:
            self.runs[stage] += 1
            data = make()
            atomic_write(path, data, durable=False)
        else:
            os.utime(path)  # what was used last is dropped last
        return data

    def has(self, stage: str, key: str) -> bool:
        return self.path(stage, key).exists()

    def prune(self, most_bytes: int) -> None:
        """Drop what was used longest ago until at most ``most_bytes`` are kept."""
        files = []
        for path in self.folder.glob("*/*"):
            try:
                status = path.stat()
            except FileNotFoundError:
                continue
            files.append((status.st_mtime, status.st_size, path))
        total = sum(size for _, size, _ in files)
        for _, size, path in sorted(files):
            if total <= most_bytes:
                break
            path.unlink(missing_ok=True)
            total -= size
