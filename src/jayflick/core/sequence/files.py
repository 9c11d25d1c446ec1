"""Frames that lie in a folder: finding them, looking at them, reading them."""

import hashlib
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from glob import glob, has_magic
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from .gather import Found
from .pictures import read_header, read_picture

MAX_FILES = 3000
"""The most files that are gathered at once."""
MAX_BYTES = 256 * 1024 * 1024
"""The most bytes one picture file may have."""


@dataclass(frozen=True)
class FileFrame:
    """A frame in a file that is read again whenever its pixels are wanted."""

    path: Path
    name: str
    sha256: str
    width: int
    height: int

    def read(self) -> NDArray[np.uint8]:
        return read_picture(read_file(self.path), name=self.name)


def read_file(path: Path) -> bytes:
    """A file's bytes; ``InputError`` names it when it is not there, not a file, not readable or too large."""
    try:
        if not path.is_file():
            what = "is not a file" if path.exists() else "there is no such file"
            raise InputError(what, file=path.name, remedy="check the name")
        if path.stat().st_size > MAX_BYTES:
            raise InputError(
                f"is larger than {MAX_BYTES // 1048576} MB", file=path.name, remedy="scale it down"
            )
        return path.read_bytes()
    except OSError as failed:
        raise InputError(
            f"cannot be read ({failed.strerror})", file=path.name, remedy="check the name and its permissions"
        ) from failed


def list_files(inputs: Iterable[str]) -> list[Path]:
    """The files that inputs stand for: files as they are, a folder's files, what a pattern matches."""
    files: list[Path] = []
    for text in inputs:
        path = Path(text)
        if path.is_dir():
            files += sorted(entry for entry in path.iterdir() if entry.is_file() and entry.name[0] != ".")
        elif not path.exists() and has_magic(text):
            matched = sorted(Path(match) for match in glob(text))
            if not matched:
                raise InputError("nothing matches this pattern", file=text, remedy="check the pattern")
            files += [match for match in matched if match.is_file()]
        else:
            files.append(path)
    if len(files) > MAX_FILES:
        raise InputError(
            f"{len(files)} files are more than the {MAX_FILES} that one import takes",
            remedy="bring them in parts, or thin them out first",
        )
    return files


def look_at(files: Iterable[Path]) -> list[tuple[Path, Found, str]]:
    """Each file with its header or the reason it cannot be used, and its SHA-256 (empty when unreadable)."""

    def one(path: Path) -> tuple[Path, Found, str]:
        try:
            data = read_file(path)
            header = read_header(data, name=path.name)
        except InputError as error:
            return path, Found(path.name, None, error), ""
        return path, Found(path.name, header), hashlib.sha256(data).hexdigest()

    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(one, files))
