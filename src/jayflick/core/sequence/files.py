"""Frames that lie in a folder: finding them, looking at them, reading them."""

import hashlib
import os
from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from glob import glob, has_magic
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..content import MAX_BYTES, read_file
from ..errors import InputError, Unfinished
from ..pictures.clip import WHOLE, Cut
from ..pictures.kinds import read_picture
from .archives import is_archive, members
from .gather import Found
from .pieces import Enclosed, Refused, pieces
from .project_file import DOCUMENT, FORMAT, ProjectFile, read_document
from .views import Grid, views_of

MAX_FILES = 3000
"""The most files that are gathered at once."""


@dataclass(frozen=True)
class FileFrame:
    """A frame in a file that is read again whenever its pixels are wanted."""

    path: Path
    name: str
    sha256: str
    width: int
    height: int
    transparent: bool = True
    missing_after: int = 0

    def read(self) -> NDArray[np.uint8]:
        """Its pixels. ``Unfinished`` when the file is another by now: what is made is known by content."""
        data = read_file(self.path)
        if hashlib.sha256(data).hexdigest() != self.sha256:
            raise Unfinished(
                "was changed while it was being read", file=self.name, remedy="wait until it is complete"
            )
        return read_picture(data, name=self.name)


def list_files(inputs: Iterable[str], output: Path | None = None) -> list[Path]:
    """The files that inputs stand for: files as they are, all below a folder, what a pattern matches.

    ``output``: where the result goes. What an earlier run wrote there may lie in the folder, and is no frame.
    """
    files: list[Path] = []

    def found(entry: Path) -> bool:
        here, there = entry.absolute(), output.absolute() if output is not None else None
        return entry.is_file() and here != there and there not in here.parents

    for text in inputs:
        path = Path(text)
        if path.is_dir():
            entries = sorted(path.rglob("*"))
            files += [entry for entry in entries if found(entry) and not _hidden(entry.relative_to(path))]
        elif not path.exists() and has_magic(text):
            matched = sorted(Path(match) for match in glob(text))
            if not matched:
                raise InputError("nothing matches this pattern", file=text, remedy="check the pattern")
            files += [match for match in matched if found(match)]
        else:
            files.append(path)
    if len(files) > MAX_FILES:
        raise InputError(
            f"{len(files)} files are too many; one import takes up to {MAX_FILES}",
            remedy="import them in parts, or thin them out first",
        )
    return files


def _hidden(path: Path) -> bool:
    return any(part.startswith(".") for part in path.parts)


def names_of(files: Sequence[Path]) -> list[str]:
    """What files are called: their bare names, with their folders as far as these differ."""
    if not files:
        return []
    common = os.path.commonpath([path.absolute().parent for path in files])
    return [path.absolute().relative_to(common).as_posix() for path in files]


def look_at(files: Sequence[Path], scratch: Path, cut: Cut = WHOLE) -> tuple[list[Found], dict[str, FileFrame]]:
    """Take every file apart: what was found, and where to read the frames that can be used, by name.

    Frames taken out of a file are put in the folder ``scratch``. ``cut``: what is taken of clips.
    """

    def one(job: tuple[int, Path, str]) -> list[tuple[Found, FileFrame | None]]:
        number, path, name = job
        try:
            data = read_file(path)
        except InputError as error:
            return [(Found(name, None, error), None)]
        brought: list[tuple[Found, FileFrame | None]] = []
        for piece in pieces(data, name, written=path.stat().st_mtime, cut=cut):
            if isinstance(piece, Enclosed):
                continue
            if isinstance(piece, Refused):
                brought.append((Found(piece.name, None, piece.error), None))
                continue
            place = path
            if piece.data is not None:
                place = scratch / f"{number}-{len(brought)}"
                place.write_bytes(piece.data)
            sha256 = hashlib.sha256(data if piece.data is None else piece.data).hexdigest()
            header = piece.header
            found = Found(
                piece.name, header, None, piece.fingerprint, piece.duration, piece.repeat, written=piece.written
            )
            size = header.width, header.height
            brought.append((found, FileFrame(place, piece.name, sha256, *size, header.transparent)))
        return brought

    jobs = zip(range(len(files)), files, names_of(files), strict=True)
    with ThreadPoolExecutor(2) as pool:
        everything = [pair for brought in pool.map(one, jobs) for pair in brought]
    return [found for found, _ in everything], {f.name: frame for f, frame in everything if frame is not None}


def cut_into_views(
    frames: Sequence[FileFrame], grid: Grid, scratch: Path
) -> tuple[list[Found], dict[str, FileFrame]]:
    """The views of every frame, as if each had come in a file of its own; these are put in ``scratch``.

    Raises ``InputError`` for more of them than files are gathered at once.
    """
    if grid.count * len(frames) > MAX_FILES:
        raise InputError(
            f"{grid.count * len(frames)} views are too many; one import takes up to {MAX_FILES}",
            remedy="cut into fewer views, or bring fewer pictures",
        )
    found: list[Found] = []
    views: dict[str, FileFrame] = {}
    for frame in frames:
        for piece in views_of(frame.read(), grid, frame.name):
            data, header = piece.data or b"", piece.header
            place = scratch / f"view-{len(found)}"
            place.write_bytes(data)
            size = header.width, header.height
            sha256 = hashlib.sha256(data).hexdigest()
            found.append(Found(piece.name, header, None, piece.fingerprint))
            views[piece.name] = FileFrame(place, piece.name, sha256, *size, header.transparent)
    return found, views


def project_in(files: Sequence[Path]) -> ProjectFile | None:
    """What the first archive or folder that is a project says of it; ``InputError`` if that cannot be used."""
    for path in files:
        data = read_file(path)
        if path.name == DOCUMENT and FORMAT.encode() in data:
            return read_document(data, path.absolute().parent.name)
        # The name stands as it is in a zip; without it there is no need to unpack the rest.
        if is_archive(data, path.name) and DOCUMENT.encode() in data:
            for member in members(data, path.name, MAX_BYTES):
                if member.name == DOCUMENT and member.error is None:
                    return read_document(member.data, path.name)
    return None
