"""Handing outputs off: as a download, as one zip, or into a folder of this machine; and what was."""

import hashlib
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path, PurePath
from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.portable import portable
from ..core.recipe import Recipe
from ..core.store import Store
from ..core.zipped import zipped
from . import placing, projects
from .errors import Conflict, NotFound
from .models import Handoff, Project, Result
from .results import MadeOutput, made


class Leaving(NamedTuple):
    """A file that leaves: its path below the place it goes to."""

    path: str
    size: int
    """In bytes."""
    read: Callable[[], bytes]


def outputs(session: Session, store: Store, project_id: str, wanted: Sequence[str]) -> list[MadeOutput]:
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


def leaving(chosen: Sequence[MadeOutput]) -> list[list[Leaving]]:
    """For each output its files, a set's in a folder of its own; no two have the same path."""
    taken: set[str] = set()
    result = []
    for one in chosen:
        name = portable(one.output.file_name)
        folder = one.output.folder
        stem, ending = (PurePath(name).stem, "" if folder else PurePath(name).suffix)
        place, number = f"{stem}{ending}", 1
        while place.lower() in taken:
            number += 1
            place = f"{stem}-{number}{ending}"
        taken.add(place.lower())
        files = one.timed.files
        if folder:
            result.append([Leaving(f"{place}/{portable(file.name)}", file.size, file.read) for file in files])
        else:
            result.append([Leaving(place, files[0].size, files[0].read)])
    return result


def as_zip(chosen: Sequence[MadeOutput]) -> Iterator[bytes]:
    """All of them in one archive."""
    return zipped((file.path, file.read) for files in leaving(chosen) for file in files)


def folder_name(session: Session, project_id: str) -> str:
    """The folder that a project is handed off into; no two projects have the same."""
    rows = session.execute(select(Project.id, Project.name).order_by(Project.created, Project.id)).all()
    names = {row.id: portable(row.name) for row in rows}
    name = names[project_id]
    alike = [one for one, other in names.items() if other.lower() == name.lower()]
    number = alike.index(project_id) + 1
    return name if number == 1 else f"{name} {number}"


def into_folder(
    chosen: Sequence[MadeOutput],
    folder: Path,
    name: str,
    rows: Sequence[Handoff],
    *,
    replace: bool,
) -> placing.Placed:
    """Write all into the folder ``name`` below ``folder``; see :func:`write`."""
    files = [file._replace(path=f"{name}/{file.path}") for one in leaving(chosen) for file in one]
    return write(folder, files, rows, replace=replace)


def write(folder: Path, files: Sequence[Leaving], rows: Sequence[Handoff], *, replace: bool) -> placing.Placed:
    """Write files below ``folder``, whole or not at all.

    ``Conflict`` when another file is there under one of their names, unless it may be replaced. ``rows``: what
    is to be remembered of it, also if the program dies before it is.
    """
    there = [] if replace else [file.path for file in files if _is_another(folder / file.path, file)]
    if there:
        names = ", ".join(PurePath(path).name for path in there[:3]) + (" …" if len(there) > 3 else "")
        raise Conflict(f"already there: {names}", remedy="replace them, or give the outputs other names")
    placed = [(file.path, file.read) for file in files]
    return placing.place(folder.resolve(), placed, [_noted(row) for row in rows])


def _is_another(path: Path, file: Leaving) -> bool:
    """Whether something else than this file is in its place."""
    try:
        return path.stat().st_size != file.size or path.read_bytes() != file.read()
    except FileNotFoundError:
        return False
    except OSError:
        return True


def no_folder() -> NotFound:
    """There is nothing to hand off into."""
    remedy = "start with ./start --handoff FOLDER to write into one"
    return NotFound("no hand-off folder is set", remedy=remedy)


_NOTED = ("project_id", "output_id", "key", "file_name", "place", "bytes", "sha256")


def _noted(row: Handoff) -> dict[str, Any]:
    return {column: getattr(row, column) for column in _NOTED}


def remember_recovered(session: Session, folder: Path) -> None:
    """Finish what was being handed off when the program ended, and remember it."""
    for rows in placing.recovered(folder.resolve()):
        for row in rows:
            alike = [getattr(Handoff, column) == row[column] for column in _NOTED]
            known = session.scalar(select(Handoff.id).where(*alike).limit(1))
            if known is None and session.get(Project, row["project_id"]) is not None:
                session.add(Handoff(**row))


def described(chosen: Sequence[MadeOutput], project_id: str, to: str) -> list[Handoff]:
    """What leaves, to be remembered, with its bytes and hash: of a set those of its zip. Reads every file."""
    rows = []
    for one, files in zip(chosen, leaving(chosen), strict=True):
        digest, size = hashlib.sha256(), 0
        archive = zipped((file.path, file.read) for file in files)
        parts = (file.read() for file in files) if len(files) == 1 else archive
        for part in parts:
            digest.update(part)
            size += len(part)
        rows.append(
            Handoff(
                project_id=project_id,
                output_id=one.output.id,
                key=one.info.content,
                file_name=PurePath(files[0].path).parts[0][:120],
                place=to,
                bytes=size,
                sha256=digest.hexdigest(),
            )
        )
    return rows
