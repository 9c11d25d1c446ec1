"""Files on their way in: an import is opened, takes files one by one, and is looked through."""

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.pictures.kinds import NAMED
from ..core.sequence import gather as gathering
from ..core.sequence.gather import Found, gather
from ..core.sequence.pieces import Piece
from ..core.sequence.project_file import ProjectFile
from ..core.text import LONGEST_NAME, clean, safe_path
from .errors import Conflict, NotFound
from .models import Import, ImportClip, ImportFile, Picture, table_of
from .origins import Origin
from .pictures import found_of, note_pictures
from .projects import new_id


def begin(session: Session) -> str:
    """Open an import; nothing shows until it is finished."""
    opened = Import(id=new_id())
    session.add(opened)
    return opened.id


def clean_name(name: str) -> str:
    """The name of an upload with its folders; ``InputError`` when it is none that can be kept."""
    # Browsers write a quote in a form's file name as %22 (HTML Standard, multipart/form-data encoding).
    plain = clean(name.replace("%22", '"')).replace("\\", "/")
    parts = [part for part in plain.split("/") if part not in ("", ".")]
    if plain.startswith("/") or ".." in parts or not parts or plain.endswith("/"):
        raise InputError("its name points outside its folder", file=name, remedy="give it a plain name")
    whole = "/".join(parts)
    if len(whole) > LONGEST_NAME:
        raise InputError(
            f"its name is {len(whole)} characters long; the limit is {LONGEST_NAME}",
            file=whole[:60] + "…",
            remedy="give it a shorter name",
        )
    return whole


Taken = tuple[Piece, str, int]
"""A frame that was brought, the hash of its picture and that one's size in bytes."""


def note(
    session: Session,
    import_id: str,
    taken: Sequence[Taken],
    refused: Iterable[tuple[InputError, str]],
    origins: Mapping[str, Origin],
) -> None:
    """Record the frames of an import, and the files that could not be used, for the report.

    The same name again replaces what it brought before. ``origins``: where files lie, by their frames' names.
    """
    note_pictures(session, taken)
    nothing = {
        "sha256": None,
        "duration": None,
        "repeat": None,
        "written": None,
        "folder": None,
        "path": None,
        "stamp": None,
    }
    rows: dict[str, dict[str, Any]] = {}
    for piece, sha256, _ in taken:
        row: dict[str, Any] = {**nothing, "sha256": sha256, "message": "", "remedy": ""}
        row |= {"duration": piece.duration, "repeat": piece.repeat, "written": piece.written}
        rows[piece.name] = row | _placed(origins.get(piece.name))
    for error, name in refused:
        refused_row: dict[str, Any] = {**nothing, "message": error.message, "remedy": error.remedy}
        rows[safe_path(name)] = refused_row | _placed(origins.get(safe_path(name)))
    if not rows:
        return
    values = [
        {
            "import_id": import_id,
            "name": name,
            "name_key": _name_key(name),
            **rows[name],
        }
        for name in sorted(rows)
    ]
    statement = insert(table_of(ImportFile))
    changed = {key: statement.inserted[key] for key in (*nothing, "message", "remedy")}
    session.execute(statement.on_duplicate_key_update(changed), values)


def _placed(origin: Origin | None) -> dict[str, Any]:
    """Where a file lies, as its row has it."""
    if origin is None:
        return {}
    return {"folder": origin.folder, "path": origin.path, "stamp": [origin.size, origin.written]}


def _name_key(name: str) -> str:
    return hashlib.sha256(name.encode()).hexdigest()


def hold_clip(session: Session, import_id: str, name: str, sha256: str, size: int) -> None:
    """Record a clip whose bytes are safe; nothing of it is taken yet. Bringing it twice changes nothing."""
    still_open(session, import_id)
    values = {"import_id": import_id, "sha256": sha256, "name": name, "bytes": size}
    session.execute(insert(ImportClip).values(**values).on_duplicate_key_update(name=name))


def held_clip(session: Session, import_id: str, sha256: str) -> ImportClip:
    """A clip that waits; refused when it is not there."""
    still_open(session, import_id)
    clip = session.get(ImportClip, (import_id, sha256))
    if clip is None:
        raise NotFound("there is no such clip", remedy="drop it again")
    return clip


def forget(session: Session, import_id: str, folder: str) -> None:
    """Drop what an import has of files whose names begin so."""
    mine = ImportFile.import_id == import_id, ImportFile.name.startswith(folder, autoescape=True)
    session.execute(delete(ImportFile).where(*mine))


def forget_files(session: Session, import_id: str, names: Sequence[str]) -> None:
    """Drop what an import has of files that became projects; the others can still be taken."""
    keys = [_name_key(name) for name in names]
    session.execute(delete(ImportFile).where(ImportFile.import_id == import_id, ImportFile.name_key.in_(keys)))


def note_enclosed(session: Session, import_id: str, project: ProjectFile) -> None:
    """Record what an archive said of its project: finishing the import makes it again."""
    still_open(session, import_id, lock=True).project = project.model_dump_json()


def held(session: Session, import_id: str) -> tuple[int, int]:
    """How many frames and bytes an open import has already; refused when it is not open."""
    still_open(session, import_id)
    count, size = session.execute(
        select(func.count(ImportFile.sha256), func.coalesce(func.sum(Picture.bytes), 0))
        .select_from(ImportFile)
        .outerjoin(Picture, Picture.sha256 == ImportFile.sha256)
        .where(ImportFile.import_id == import_id)
    ).one()
    return count, int(size)


def still_open(session: Session, import_id: str, *, lock: bool = False) -> Import:
    opened = session.get(Import, import_id, with_for_update=lock)
    if opened is None:
        raise NotFound("there is no such import", remedy="drop the frames again")
    if opened.state != "open":
        raise Conflict("this import is finished already", remedy="drop the frames again")
    return opened


def look_through(
    session: Session, import_id: str
) -> tuple[list[gathering.Sequence], list[dict[str, str]], dict[str, str]]:
    """The sequences that an import's files make, what is in none of them, and each frame's hash by its name.

    ``InputError`` when there is no sequence at all.
    """
    still_open(session, import_id)
    rows = session.execute(
        select(ImportFile, Picture)
        .outerjoin(Picture, Picture.sha256 == ImportFile.sha256)
        .where(ImportFile.import_id == import_id)
    ).all()
    hashes = {row.name: row.sha256 for row, _ in rows if row.sha256}
    sequences, ignored = gather(found_of(row, picture) if picture else _refused(row) for row, picture in rows)
    if not sequences:
        reasons = "; ".join(f"{item['file']}: {item['message']}" for item in ignored[:3])
        more = f"; and {len(ignored) - 3} more" if len(ignored) > 3 else ""
        raise InputError(
            f"no usable frames: {reasons}{more}" if ignored else "no frames were imported",
            remedy=f"drop {NAMED} files, a clip or an archive of frames",
        )
    return sequences, ignored, hashes


def _refused(row: ImportFile) -> Found:
    return Found(row.name, None, InputError(row.message, file=row.name, remedy=row.remedy))


def origins_of(session: Session, import_id: str) -> dict[str, Origin]:
    """Where the files of an import lie that were opened in place, by the names of their frames."""
    rows = session.scalars(
        select(ImportFile).where(ImportFile.import_id == import_id, ImportFile.folder.is_not(None))
    )
    return {row.name: Origin(row.folder or "", row.path or "", *(row.stamp or (0, 0))) for row in rows}


def enclosed_name(session: Session, import_id: str) -> str | None:
    """The name of the project that an archive of this import described."""
    project = still_open(session, import_id).project
    return ProjectFile.model_validate_json(project).name if project is not None else None
