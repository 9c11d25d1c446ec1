"""Where a project's frames lie: how these differ from what the project has, and how they are taken in anew."""

import hashlib
import os
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.roots import Entry, Root
from ..core.sequence.listing import listed
from ..core.sequence.sources import Difference, Match, Seen, differing, matched, members, number_of
from ..core.text import clean
from . import frame_sets, imports, projects
from .errors import Conflict, NotFound
from .folders import Folders
from .in_place import take
from .intake import Intake
from .models import Frame, ImportFile, Picture, Source, now
from .origins import Place, read, written
from .parts import Service
from .schemas.projects import Renewed

PATIENCE = 10.0
"""Seconds since it was last written for which a file that cannot be used is taken to be on its way."""


State = Literal["here", "gone", "closed", "refused"]


@dataclass(frozen=True)
class Look:
    """A project's source, and what is there now."""

    source: Source
    state: State
    root: Root | None
    there: dict[str, Entry]
    seen: dict[str, Seen]
    held: frozenset[str]
    """The SHA-256 of the frames that the project shows."""
    names: frozenset[str]
    """What they are called."""

    @property
    def apart(self) -> bool:
        """Whether none of the project's frames is one that was read there: they were cut, flown or replaced."""
        if not self.seen or self.held & {one.sha256 for one in self.seen.values()}:
            return False
        return not self.names & {self.source.prefix + clean(path) for path in self.seen}

    @property
    def difference(self) -> Difference:
        """How they differ. Of a project whose pictures were made of those frames, nothing is compared."""
        if self.apart:
            return Difference((), (), (), ())
        return differing(self.there, self.seen, self.held)


def look(session: Session, folders: Folders, project_id: str) -> Look | None:
    """A project's source as it is now; ``None`` when its frames were not opened in place."""
    project = projects.find(session, project_id)
    source = session.get(Source, project_id)
    if source is None:
        return None
    revision = projects.current(session, project)
    shown = session.execute(
        select(Frame.sha256, Frame.name).where(
            Frame.project_id == project_id, Frame.frame_set == revision.frame_set
        )
    ).all()
    held, names = (frozenset(row[column] for row in shown) for column in (0, 1))
    state, root, there = _there(folders, source.folder, source.patterns)
    return Look(source, state, root, there, read(source.seen), held, names)


def _there(
    folders: Folders, folder: str, patterns: Sequence[str]
) -> tuple[State, Root | None, dict[str, Entry]]:
    """The files in a folder that belong to some patterns."""
    found = folders.of(folder)
    if found is None:
        return "closed", None, {}
    root, path = found
    entries: list[tuple[str, Entry]] = []
    try:
        for below in sorted({os.path.dirname(pattern) for pattern in patterns}):
            real = root.found(f"{clean(path)}/{below}" if path else below)
            inside = os.path.relpath(real, path or ".") if below else ""
            entries += [
                (os.path.join(inside, entry.name), entry)
                for entry in root.listing(real).entries
                if not entry.folder
            ]
    except InputError:
        return ("refused" if os.path.lexists(folder) else "gone"), root, {}
    return "here", root, members(entries, patterns)


def renew(
    service: Service,
    project_id: str,
    *,
    only_changed: bool = False,
    intake: Callable[[Intake], None] = lambda taking: None,
) -> tuple[Renewed | None, list[str]]:
    """Take in what differs in a project's source: what became of its frames, and what is on its way still.

    ``None`` where nothing differed after all: then no revision is made. ``only_changed``: what is written since
    it was seen, so that what an undo took back stays so. ``intake``: is given what reads, to call it off.
    """
    with service.sessions() as session:
        seen = look(session, service.folders, project_id)
    if seen is None:
        raise _no_source()
    if seen.root is None or seen.state != "here":
        raise Conflict("the folder of these frames cannot be read", remedy="point to where it is now")
    paths = seen.difference.changed if only_changed else seen.difference.wanted
    if not paths:
        return None, []
    source = seen.source
    places = [Place(source.folder, path, source.prefix + clean(path)) for path in sorted(paths)]
    import_id = service.transact(imports.begin)
    taking = Intake(service, import_id)
    intake(taking)
    taken, waiting = take(taking, seen.root, places)
    recent = time.time_ns() - int(PATIENCE * 1e9)
    for place, one in zip(places, taken, strict=True):
        if one.problem and place not in waiting and seen.there[place.path].written > recent:
            waiting.append(place)
    done = service.transact(
        _lay,
        service,
        project_id,
        import_id,
        {place.path: place.name for place in places if place not in waiting},
        seen.there,
        follows=only_changed,
    )
    if done is not None:
        service.changed(project_id)
    return done, [place.name for place in waiting]


def _lay(
    session: Session,
    service: Service,
    project_id: str,
    import_id: str,
    taken: Mapping[str, str],
    there: Mapping[str, Entry],
    *,
    follows: bool,
) -> Renewed | None:
    """Lay what was read over the project's frames, and remember it, in one."""
    projects.find(session, project_id, lock=True)
    source = session.get_one(Source, project_id, with_for_update=True)
    rows = {
        row.name: row for row in session.scalars(select(ImportFile).where(ImportFile.import_id == import_id))
    }
    names = set(taken.values())
    imports.forget_files(session, import_id, [name for name in rows if name not in names])
    seen = read(source.seen)
    usable = False
    for path, name in taken.items():
        row, entry = rows.get(name), there[path]
        if row is not None and row.sha256 and row.stamp:
            size, written_at = row.stamp
            seen[path] = Seen(size, written_at, row.sha256)
            usable = True
        elif row is not None:
            seen[path] = Seen(entry.size, entry.written, "", row.message)
    source.seen = written(seen)
    if not usable:
        return None
    numbers = {name: number_of(path, source.patterns) for path, name in taken.items()}
    done = frame_sets.renew(
        session,
        project_id,
        import_id,
        service.settings.most_files,
        service.results,
        numbers=numbers,
        gesture="follow" if follows else "",
        only_changes=True,
    )
    if not done.changed:
        return None
    since = (now() - source.arrived).total_seconds()
    if follows and done.added:
        source.pause = max(source.pause, min(since, 24 * 3600.0))
    source.arrived = now()
    return done


def follow(session: Session, project_id: str, *, follows: bool) -> None:
    """Have frames taken in as they come, or not."""
    projects.find(session, project_id, lock=True)
    source = session.get(Source, project_id, with_for_update=True)
    if source is None:
        raise _no_source()
    if follows and not source.follows:
        source.arrived, source.pause = now(), 0.0
    source.follows = follows


@dataclass(frozen=True)
class Elsewhere:
    """Another folder, and how the frames in it compare with a project's."""

    folder: str
    patterns: list[str]
    there: dict[str, Entry]
    contents: dict[str, str]
    """The SHA-256 of each file that may be one of the project's frames; empty of the others."""
    match: Match
    shown: frozenset[str]
    """The SHA-256 of the frames that the project shows."""


def compare(service: Service, project_id: str, root: Root, shown: str) -> Elsewhere:
    """How the frames in another folder compare with a project's: of several sequences those that do best.

    Files are read for their content only where one of the project's frames has as many bytes.
    """
    with service.sessions() as session:
        source = session.get(Source, project_id)
        if source is None:
            raise _no_source()
        revision = projects.current(session, projects.find(session, project_id))
        rows = session.execute(
            select(Frame.name, Frame.number, Frame.sha256, Picture.bytes)
            .join(Picture, Picture.sha256 == Frame.sha256)
            .where(Frame.project_id == project_id, Frame.frame_set == revision.frame_set)
        ).all()
    path = root.found(shown)
    folder = root.absolute(path)
    known = [(name, number, sha256) for name, number, sha256, _ in rows]
    sizes = {size for _, _, _, size in rows}
    _, _, there = _there(service.folders, folder, source.patterns)
    candidates = [(list(source.patterns), there)] if there else []
    if not there:
        entries = [(entry.name, entry) for entry in root.listing(path).entries if not entry.folder]
        sequences = [one for one in listed([entry for _, entry in entries])[0] if one.kind == "frames"]
        candidates = [([one.pattern], members(entries, [one.pattern])) for one in sequences]
    if not candidates:
        name = clean(os.path.basename(folder))
        raise InputError("there are no frames here", file=name, remedy="choose another")

    def judged(patterns: list[str], files: dict[str, Entry]) -> Elsewhere:
        contents = {
            inside: _hash(root, os.path.join(path, inside)) if entry.size in sizes else ""
            for inside, entry in files.items()
        }
        match = matched(contents, {one: number_of(one, patterns) for one in files}, known)
        return Elsewhere(folder, patterns, files, contents, match, frozenset(one[2] for one in known))

    found = (judged(*candidate) for candidate in candidates)
    return max(found, key=lambda one: (one.match.same, one.match.other, -one.match.added))


def _hash(root: Root, path: str) -> str:
    try:
        with root.open_file(path) as file:
            return hashlib.file_digest(file, "sha256").hexdigest()  # type: ignore[arg-type]
    except (InputError, OSError):
        return ""


def move(service: Service, project_id: str, root: Root, shown: str) -> None:
    """Say that a project's frames lie elsewhere now. What differs there is then newer, until it is taken in."""
    found = compare(service, project_id, root, shown)
    seen = {
        path: Seen(entry.size, entry.written, found.contents[path])
        for path, entry in found.there.items()
        if found.contents[path] in found.shown
    }

    def moved(session: Session) -> None:
        projects.find(session, project_id, lock=True)
        source = session.get_one(Source, project_id, with_for_update=True)
        source.folder, source.patterns, source.seen = found.folder, found.patterns, written(seen)

    service.transact(moved)


def _no_source() -> NotFound:
    return NotFound("its frames were not opened from a folder", remedy="open a folder of numbered frames")
