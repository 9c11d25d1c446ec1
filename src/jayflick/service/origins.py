"""Where files lie that are opened in place, and what is remembered of it for a project."""

import json
import os
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass

from sqlalchemy.orm import Session

from ..core.sequence import gather as gathering
from ..core.sequence.sources import Seen
from ..core.text import clean
from .models import Source


@dataclass(frozen=True)
class Place:
    """A file before it is read, and what its frame is called."""

    folder: str
    """The folder that was opened, an absolute path."""
    path: str
    """Its path in that folder, as the system gives it."""
    name: str


@dataclass(frozen=True)
class Origin:
    """Where a frame was read from, and what its file was like then."""

    folder: str
    path: str
    size: int
    """In bytes."""
    written: int
    """When it was last written, in nanoseconds since 1970."""


def note_source(
    session: Session,
    project_id: str,
    sequences: Sequence[gathering.Sequence],
    origins: Mapping[str, Origin],
    hashes: Mapping[str, str],
    *,
    separate: bool = False,
) -> None:
    """Remember where a new project's frames lie, if all were opened in one folder and each is a file.

    ``separate``: each is a picture by itself, whatever else in its folder has a name like it.
    """
    files = [found for sequence in sequences for found in sequence.files]
    if not files or any(found.name not in origins for found in files):
        return
    folders = {origins[found.name].folder for found in files}
    if len(folders) > 1:
        return
    (folder,) = folders
    paths = [origins[found.name].path for found in files]
    common = os.path.commonpath([os.path.dirname(path) for path in paths])
    prefix = f"{clean(common)}/" if common else ""
    patterns = [found.name for found in files] if separate else [sequence.pattern for sequence in sequences]
    refused = {
        problem["file"]: problem["message"]
        for sequence in sequences
        for problem in sequence.problems
        if problem["kind"] == "unreadable" and problem["file"] in origins
    }
    inside = {name: os.path.relpath(origins[name].path, common or ".") for name in refused}
    seen = {
        inside[name]: Seen(origins[name].size, origins[name].written, "", message)
        for name, message in refused.items()
        if not inside[name].startswith("..")
    } | {
        os.path.relpath(origin.path, common or "."): Seen(origin.size, origin.written, hashes[found.name])
        for found in files
        for origin in [origins[found.name]]
    }
    session.add(
        Source(
            project_id=project_id,
            folder=os.path.join(folder, common) if common else folder,
            prefix=prefix,
            patterns=[pattern.removeprefix(prefix) for pattern in patterns],
            seen=written(seen),
        )
    )


def written(seen: Mapping[str, Seen]) -> str:
    """What was seen of files, by path, as a source holds it."""
    return json.dumps({path: list(asdict(one).values()) for path, one in seen.items()})


def read(text: str) -> dict[str, Seen]:
    """What was seen of files, by path."""
    return {path: Seen(*values) for path, values in json.loads(text).items()}
