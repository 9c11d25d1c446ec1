"""Bringing frames in: files one by one, then what they make together."""

import hashlib
import re
import unicodedata
from collections.abc import Callable
from io import BytesIO
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from sqlalchemy import func, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.recipe import MAX_SIDE, Output, Recipe, Size, Tuning
from ..core.sequence.gather import Found, Sequence, gather, majority_size
from ..core.sequence.names import split_name, title_of
from ..core.sequence.pictures import Header, read_header, read_picture
from ..core.stages import Stages, stage_key
from . import projects
from .models import Frame, Import, ImportFile, Picture, Project, now
from .projects import Conflict, NotFound, new_id
from .store import Store

LONGEST_NAME = 255


def begin(session: Session) -> str:
    """Open an import; nothing shows until it is finished."""
    opened = Import(id=new_id())
    session.add(opened)
    return opened.id


def clean_name(name: str) -> str:
    """The bare file name of an upload; ``InputError`` when it is none that can be kept."""
    # Browsers write a quote in a form's file name as %22 (HTML Standard, multipart/form-data encoding).
    parts = re.split(r"[/\\]", unicodedata.normalize("NFC", name.replace("%22", '"')))
    bare = parts[-1]
    if ".." in parts[:-1] or bare in ("", ".", ".."):
        raise InputError("its name points outside its folder", file=name, remedy="give it a plain name")
    if len(bare) > LONGEST_NAME:
        raise InputError(
            f"its name has {len(bare)} characters; {LONGEST_NAME} are the most",
            file=bare[:60] + "…",
            remedy="give it a shorter name",
        )
    return bare


def take(store: Store, stages: Stages, name: str, data: bytes) -> tuple[Header, str]:
    """Check one file to its last pixel and keep it; returns its header and hash once it is safe."""
    header = read_header(data, name=name)
    picture = read_picture(data, name=name)  # whole, or refused now rather than at the first render
    sha256 = store.put(data)
    thumbnail(stages, sha256, lambda: picture)
    return header, sha256


def thumbnail(stages: Stages, sha256: str, read: Callable[[], NDArray[np.uint8]]) -> bytes:
    """A small WebP of a picture, at most 112 pixels high; ``read`` is only called when there is none yet."""

    def make() -> bytes:
        small = Image.fromarray(read())
        small.thumbnail((400, 112))
        out = BytesIO()
        small.save(out, "WEBP", quality=82)
        return out.getvalue()

    return stages.obtain("thumb", stage_key("thumb", 1, sha256), make)


def keep_picture(session: Session, header: Header, sha256: str, size: int) -> None:
    """Record a picture of the store, unless it is known already."""
    values = {
        "sha256": sha256,
        "bytes": size,
        "width": header.width,
        "height": header.height,
        "label": header.label,
        "transparent": header.transparent,
        "created": now(),
    }
    session.execute(insert(Picture).values(**values).prefix_with("IGNORE"))


def note_taken(session: Session, import_id: str, name: str, header: Header, sha256: str, size: int) -> None:
    """Record a file of an import; the same name again replaces what it brought before."""
    keep_picture(session, header, sha256, size)
    facts = {
        "width": header.width,
        "height": header.height,
        "depth": header.depth,
        "kind": header.kind,
        "keyed": header.keyed,
    }
    _note(session, import_id, name, sha256=sha256, header=facts, message="", remedy="")


def note_refused(session: Session, import_id: str, error: InputError, name: str) -> None:
    """Record a file that could not be used, for the report."""
    _note(
        session,
        import_id,
        name[:LONGEST_NAME],
        sha256=None,
        header=None,
        message=error.message,
        remedy=error.remedy,
    )


def _note(session: Session, import_id: str, name: str, **facts: Any) -> None:
    key = hashlib.sha256(name.encode()).hexdigest()
    session.execute(
        insert(ImportFile)
        .values(import_id=import_id, name=name, name_key=key, **facts)
        .on_duplicate_key_update(**facts)
    )


def check_open(session: Session, import_id: str, most_files: int) -> None:
    """Refuse a file for an import that is not open, or full."""
    opened = session.get(Import, import_id)
    if opened is None:
        raise NotFound("there is no such import", remedy="drop the frames again")
    if opened.state != "open":
        raise Conflict("this import is finished already", remedy="drop the frames again")
    count = session.scalar(select(func.count()).where(ImportFile.import_id == import_id)) or 0
    if count >= most_files:
        raise InputError(
            f"one import takes {most_files} files", remedy="bring them in parts, or thin them out first"
        )


def finish(session: Session, import_id: str) -> tuple[list[Project], list[dict[str, str]]]:
    """Make a project of each sequence the import brought; returns them and the files that went into none."""
    opened = session.get(Import, import_id, with_for_update=True)
    if opened is None:
        raise NotFound("there is no such import", remedy="drop the frames again")
    if opened.state != "open":
        raise Conflict("this import is finished already")
    rows = session.scalars(select(ImportFile).where(ImportFile.import_id == import_id)).all()
    hashes = {row.name: row.sha256 for row in rows if row.sha256}
    sequences, ignored = gather(_found(row) for row in rows)
    if not sequences:
        reasons = "; ".join(f"{item['file']}: {item['message']}" for item in ignored[:3])
        more = f"; and {len(ignored) - 3} more" if len(ignored) > 3 else ""
        raise InputError(
            f"no usable frames: {reasons}{more}" if ignored else "no frames came",
            remedy="drop numbered PNG frames",
        )
    made = [_project(session, sequence, hashes) for sequence in sequences]
    opened.state = "done"
    return made, ignored


def _found(row: ImportFile) -> Found:
    if row.header is None:
        return Found(row.name, None, InputError(row.message, file=row.name, remedy=row.remedy))
    return Found(row.name, Header(**row.header))  # type: ignore[arg-type]


def _project(session: Session, sequence: Sequence, hashes: dict[str, str]) -> Project:
    """The sequence's frames of the usual size, each number once, as a project with a first recipe."""
    usual = majority_size(sequence.files)
    frames: list[Frame] = []
    seen: set[int] = set()
    for found in sequence.files:
        number = split_name(found.name).number
        header = found.header
        if header is None or (header.width, header.height) != usual or number in seen:
            continue
        if number is not None:
            seen.add(number)
        frames.append(
            Frame(position=len(frames) + 1, number=number, name=found.name, sha256=hashes[found.name])
        )
    title = title_of(sequence.pattern)
    return projects.create(session, title, sequence.document(), frames, first_recipe(title, *usual))


def first_recipe(title: str, width: int, height: int) -> Recipe:
    """What a new project starts with: its own size, but no wider than a page column."""
    stem = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-") or "loop"
    column = 640
    scale = min(1.0, column / width, MAX_SIDE / height)
    size = Size() if scale == 1.0 else Size(width=max(1, round(width * scale)))
    output = Output(file_name=f"{stem[:100]}.gif", size=size, tuning=Tuning(colours=128), budget=1024 * 1024)
    return Recipe(outputs=(output,))
