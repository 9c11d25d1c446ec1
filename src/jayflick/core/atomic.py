"""Writing a file whole or not at all."""

import os
import shutil
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import BinaryIO

PART = ".part-"
_BLOCK = 1 << 20


def sweep(folder: Path) -> None:
    """Remove what killed writers left half-written in a folder's folders. Only safe while nobody writes."""
    for part in folder.glob(f"*/{PART}*"):
        part.unlink(missing_ok=True)


def atomic_write(path: Path, data: bytes | BinaryIO, *, durable: bool = True) -> None:
    """Write ``data`` under a temporary name beside ``path``, then rename it: nobody ever meets half of it.

    ``data``: bytes, or a file that is read to its end. ``durable``: only return once file and name are on disk.
    ``OSError`` leaves nothing behind.
    """
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=PART)
    except FileNotFoundError:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=PART)
    try:
        with os.fdopen(handle, "wb") as file:
            if isinstance(data, bytes):
                file.write(data)
            else:
                shutil.copyfileobj(data, file, _BLOCK)
            if durable:
                file.flush()
                os.fsync(file.fileno())
        moved_in(Path(name), path, durable=durable)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def atomic_write_all(files: Mapping[Path, bytes]) -> None:
    """Write several small files, each whole or not at all; returns once all are on disk.

    They are waited for together, which takes a file system with a journal a fraction of the time (fsync(2) of
    the first commits what the others need). ``OSError`` leaves no half of one behind.
    """
    parts: list[tuple[int, str, Path]] = []
    try:
        for path, data in files.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            handle, name = tempfile.mkstemp(dir=path.parent, prefix=PART)
            parts.append((handle, name, path))
            with open(handle, "wb", closefd=False) as file:
                file.write(data)
        for handle, _, _ in parts:
            os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)  # begins to write, and does not wait
        for handle, _, _ in parts:
            os.fsync(handle)
        for _, name, path in parts:
            os.replace(name, path)
        for folder in {path.parent for path in files}:
            _sync_folder(folder)
    except BaseException:
        for _, name, _ in parts:
            Path(name).unlink(missing_ok=True)
        raise
    finally:
        for handle, _, _ in parts:
            os.close(handle)


def moved_in(part: Path, path: Path, *, durable: bool = True) -> None:
    """Give what was written under a temporary name its own. ``durable``: only return once that is on disk."""
    try:
        os.replace(part, path)
    except FileNotFoundError:
        path.parent.mkdir(parents=True, exist_ok=True)
        os.replace(part, path)
    if durable:
        _sync_folder(path.parent)


def _sync_folder(folder: Path) -> None:
    directory = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(directory)
    finally:
        os.close(directory)


def prune(folder: Path, most_bytes: int) -> int:
    """Of files that lie in folders named by two digits, drop those that were touched longest ago until at most
    ``most_bytes`` are left; returns how many are."""
    files = []
    for path in folder.glob("[0-9a-f][0-9a-f]/*"):
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
    return total
