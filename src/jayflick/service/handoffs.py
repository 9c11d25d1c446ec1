"""Handing outputs off: as a download, as one zip, or into a folder of this machine; and what was."""

import hashlib
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from pathlib import Path, PurePath
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.atomic import atomic_write
from ..core.errors import InputError
from ..core.recipe import Recipe
from ..core.store import Store
from ..core.zipped import zipped
from . import projects
from .errors import Conflict, NotFound
from .models import Handoff, Result
from .results import Made, made


class Leaving(NamedTuple):
    """A file that leaves: its path below the place it goes to."""

    path: str
    read: Callable[[], bytes]


def outputs(session: Session, store: Store, project_id: str, wanted: Sequence[str]) -> list[Made]:
    """The current results of some of a project's outputs (none named: of all), in their order.

    ``Conflict`` when one of them is not made yet.
    """
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    recipe = Recipe.model_validate(revision.recipe)
    chosen = [output for output in recipe.outputs if not wanted or output.id in wanted]
    if len(chosen) < len(wanted):
        raise NotFound("there is no such output", remedy="open the project again")
    numbers = {
        row.output_id: row.id
        for row in session.execute(select(Result.id, Result.output_id).where(Result.revision_id == revision.id))
    }
    lacking = [output.name for output in chosen if output.id not in numbers]
    if lacking:
        raise Conflict(f"{lacking[0]} is not encoded yet", remedy="wait for it, or hand the others off")
    return [made(session, store, numbers[output.id], None) for output in chosen]


def leaving(chosen: Sequence[Made]) -> list[list[Leaving]]:
    """For each output its files, a set's in a folder of its own; no two have the same path."""
    taken: set[str] = set()
    result = []
    for one in chosen:
        name = _plain(one.output.file_name)
        folder = one.output.folder
        stem, ending = (PurePath(name).stem, "" if folder else PurePath(name).suffix)
        place, number = f"{stem}{ending}", 1
        while place.lower() in taken:
            number += 1
            place = f"{stem}-{number}{ending}"
        taken.add(place.lower())
        files = one.timed.files
        if folder:
            result.append([Leaving(f"{place}/{_plain(file.name)}", file.read) for file in files])
        else:
            result.append([Leaving(place, files[0].read)])
    return result


def _plain(name: str) -> str:
    """A name that no system hides, or takes for another folder."""
    return f"_{name[1:]}" if name.startswith(".") else name


def as_zip(chosen: Sequence[Made]) -> Iterator[bytes]:
    """All of them in one archive."""
    return zipped((file.path, file.read) for files in leaving(chosen) for file in files)


def into_folder(chosen: Sequence[Made], folder: Path, name: str, *, replace: bool) -> Path:
    """Write all into a folder below ``folder`` that is named like the project.

    Nothing that is there is replaced unless that is said; what cannot be written whole is not left half there.
    Returns the folder.
    """
    root = folder.resolve()
    place = root / (_plain("".join(c if c.isalnum() or c in " -_" else "-" for c in name)).strip() or "loop")
    files = [file for one in leaving(chosen) for file in one]
    paths = [place / file.path for file in files]
    for path in paths:
        if not path.resolve().is_relative_to(root):  # a link that leads elsewhere
            raise InputError("leads outside the hand-off folder", file=path.name, remedy="remove the link")
    there = [path for path in paths if path.exists()]
    if there and not replace:
        names = ", ".join(path.name for path in there[:3]) + (" …" if len(there) > 3 else "")
        raise Conflict(f"already there: {names}", remedy="replace them, or give the outputs other names")
    written: list[Path] = []
    try:
        for path, file in zip(paths, files, strict=True):
            path.parent.mkdir(parents=True, exist_ok=True)
            written.append(path)
            atomic_write(path, file.read())
    except BaseException:
        for path in set(written) - set(there):
            path.unlink(missing_ok=True)
            with suppress(OSError):
                path.parent.rmdir()
        raise
    return place


def described(chosen: Sequence[Made], project_id: str, place: str) -> list[Handoff]:
    """What leaves, to be remembered, with its bytes and hash: of a set those of its zip. Reads every file."""
    rows = []
    for one, files in zip(chosen, leaving(chosen), strict=True):
        digest, size = hashlib.sha256(), 0
        parts = (file.read() for file in files) if len(files) == 1 else zipped(files)
        for part in parts:
            digest.update(part)
            size += len(part)
        rows.append(
            Handoff(
                project_id=project_id,
                output_id=one.output.id,
                key=one.info.content,
                file_name=one.output.file_name,
                place=place,
                bytes=size,
                sha256=digest.hexdigest(),
            )
        )
    return rows
