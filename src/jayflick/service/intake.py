"""Taking the files of one upload: each read apart, its frames kept in the store, all noted together."""

import os
import time
from collections.abc import Callable, Sequence
from contextlib import ExitStack, closing
from dataclasses import replace
from threading import Lock
from typing import BinaryIO, NamedTuple

from sqlalchemy.orm import Session
from starlette.datastructures import UploadFile

from ..core.content import HEAD
from ..core.errors import InputError, Unfinished
from ..core.pictures.clip import WHOLE, Cut, knows
from ..core.roots import Root, is_locked
from ..core.sequence.pieces import Enclosed, Piece, Refused
from ..core.text import safe_path
from ..core.timing.flicks import MILLISECOND
from . import imports
from .decoding import Sent, Wanted
from .errors import problem_of
from .origins import Origin, Place
from .parts import Service
from .pictures import keep_picture, keep_pictures
from .schemas.document import Problem
from .schemas.imports import ClipInfo, FileTaken

NOTED_AT_ONCE = 64
"""Frames that are recorded in one transaction: a clip or an archive may hold thousands."""
SMALL = 1 << 20
"""Bytes up to which a file is held in memory; of a larger one as much as is at hand."""
TOLD_EVERY = 0.2
"""Seconds between two words to the windows of how far a file is."""


class Intake:
    """One request's files on their way into an import that is open. Nothing is noted before it is safe.

    Files may be taken by several threads at once.
    """

    def __init__(self, service: Service, import_id: str) -> None:
        """Raises ``JayFlickError`` when the import is not open."""
        self.wanted = Wanted()
        """Once it is not, what is being taken ends with ``Cancelled``."""
        self._service = service
        self._import_id = import_id
        self._taken: list[tuple[Piece, str, int]] = []
        self._refused: list[tuple[InputError, str]] = []
        self._origins: dict[str, Origin] = {}
        self._noting = Lock()
        self._enclosed: Enclosed | None = None
        self._told = time.monotonic()
        settings = service.settings
        with service.sessions() as session:
            frames, size = imports.held(session, import_id)
        self._frames_left = settings.most_files - frames
        self._bytes_left = settings.most_import_bytes - size

    def take(
        self,
        upload: UploadFile,
        written: float | None = None,
        *,
        hold_clips: bool = False,
        patient: bool = False,
    ) -> FileTaken:
        """Read one file apart; what cannot be used is recorded for the report, with why.

        ``written``: when it was last written, in seconds since 1970. ``hold_clips``: a clip is only looked
        through, and waits. ``patient``: it may take longer than usual to read.
        """
        file, size = upload.file, upload.size or 0

        def held() -> _Held:
            file.seek(0)
            file.flush()
            return _Held(file.read() if size <= SMALL else file)

        name = upload.filename or ""
        return self._take(name, size, held, written, hold_clips=hold_clips, patient=patient)

    def take_in_place(
        self, root: Root, place: Place, *, hold_clips: bool = False, patient: bool = False
    ) -> FileTaken:
        """Read one file where it lies, as :meth:`take` does with one that was sent.

        It is kept as it is now, then read: what others write to it meanwhile changes nothing. One that changes
        while it is being kept is refused as ``Unfinished`` and not recorded: it is on its way.
        """
        path = root.relative(f"{place.folder}/{place.path}") or ""
        with root.open_file(path) as file:
            status = os.fstat(file.fileno())

            def held() -> _Held:
                if is_locked(file):
                    raise _on_its_way(place)
                if status.st_size <= SMALL:
                    found = _Held(file.read(status.st_size))
                else:
                    sha256 = self._service.store.copy(file, status.st_size)
                    found = _Held(kept.enter_context(self._service.store.path(sha256).open("rb")), sha256)
                after = os.fstat(file.fileno())
                if (after.st_size, after.st_mtime_ns) != (status.st_size, status.st_mtime_ns):
                    raise _on_its_way(place)
                return found

            with ExitStack() as kept:
                return self._take(
                    place.name,
                    status.st_size,
                    held,
                    status.st_mtime,
                    Origin(place.folder, place.path, status.st_size, status.st_mtime_ns),
                    hold_clips=hold_clips,
                    patient=patient,
                )

    def take_small_in_place(
        self, root: Root, places: Sequence[Place], *, hold_clips: bool = False, patient: bool = False
    ) -> list[FileTaken | InputError]:
        """Read small files where they lie, as :meth:`take_in_place` does, in less time than one by one.

        What that raises comes in its place.
        """

        def alone(place: Place) -> FileTaken | InputError:
            try:
                return self.take_in_place(root, place, hold_clips=hold_clips, patient=patient)
            except InputError as error:
                return error

        held: list[tuple[Place, bytes, Origin]] = []
        results: dict[Place, FileTaken | InputError] = {}
        for place in places:
            try:
                imports.clean_name(place.name)
                held.append((place, *_read_small(root, place)))
            except InputError:
                results[place] = alone(place)
        read = self._service.decoders.only_pieces(
            [(data, imports.clean_name(place.name)) for place, data, _ in held],
            patient=patient,
            wanted=self.wanted,
        )
        pictures: list[tuple[Place, Piece, bytes, Origin]] = []
        others: list[Place] = []
        for (place, data, origin), found in zip(held, read, strict=True):
            if isinstance(found, Piece):
                piece = replace(found, written=found.written or origin.written / 1e9)
                pictures.append((place, piece, data, origin))
            else:
                others.append(place)
        kept = keep_pictures(
            self._service.store, self._service.stages, [(piece, data) for _, piece, data, _ in pictures]
        )
        for (place, piece, _, origin), (sha256, size) in zip(pictures, kept, strict=True):
            if self._taken_in(piece, sha256, size, origin):
                self._tell(piece.name, 1, sha256)
                results[place] = _taken(piece.name, [sha256], [])
            else:
                others.append(place)
        results |= {place: alone(place) for place in others}
        return [results[place] for place in places]

    def _take(
        self,
        name: str,
        size: int,
        held: "Callable[[], _Held]",
        written: float | None,
        origin: Origin | None = None,
        *,
        hold_clips: bool,
        patient: bool,
    ) -> FileTaken:
        pictures: list[str] = []
        problems: list[InputError] = []
        try:
            name = imports.clean_name(name)
            most = self._service.settings.most_file_bytes
            if size > most:
                raise InputError(f"is larger than {most // 1048576} MB", file=name, remedy="scale it down")
            self._need_room(name)
            data, kept = held()
            if hold_clips and knows(_head(data), name):
                return self._hold(data, name, size)
            self._apart(data, name, pictures, problems, written, patient=patient, kept=kept, origin=origin)
        except Unfinished:
            raise
        except InputError as error:
            self._refuse(error, name, origin)
            problems.append(error)
        return _taken(name, pictures, problems)

    def _refuse(self, error: InputError, name: str, origin: Origin | None = None) -> None:
        with self._noting:
            self._refused.append((error, name))
            if origin is not None:
                self._origins[safe_path(name)] = origin

    def take_clip(self, data: BinaryIO, name: str, cut: Cut) -> FileTaken:
        """Take what is wanted of a clip that was held."""
        pictures: list[str] = []
        problems: list[InputError] = []
        try:
            self._apart(data, name, pictures, problems, cut=cut)
        except InputError as error:
            self._refuse(error, name)
            problems.append(error)
        return _taken(name, pictures, problems)

    def _apart(
        self,
        data: Sent,
        name: str,
        pictures: list[str],
        problems: list[InputError],
        written: float | None = None,
        cut: Cut = WHOLE,
        *,
        patient: bool = False,
        kept: str | None = None,
        origin: Origin | None = None,
    ) -> None:
        read = self._service.decoders.pieces(data, name, cut, patient=patient, wanted=self.wanted)
        with closing(read) as found:
            for piece in found:
                if isinstance(piece, Enclosed):
                    self._enclosed = piece
                    continue
                if isinstance(piece, Refused):
                    self._refuse(piece.error, piece.name, origin if piece.name == name else None)
                    problems.append(piece.error)
                    continue
                self._need_room(name)
                try:
                    imports.clean_name(piece.name)
                except InputError as error:  # it stops no other
                    self._refuse(error, piece.name)
                    problems.append(error)
                    continue
                whole = origin if piece.data is None else None
                piece = replace(piece, written=piece.written or written)
                pictures.append(self._store(piece, data, kept, whole))
                self._tell(name, len(pictures), pictures[-1])

    def _hold(self, data: Sent, name: str, size: int) -> FileTaken:
        service = self._service
        found = service.decoders.survey(data, name, self.wanted)
        sha256 = service.store.put(data)
        service.transact(imports.hold_clip, self._import_id, name, sha256, size)
        clip = ClipInfo(
            sha256=sha256,
            name=name,
            count=found.count,
            width=found.width,
            height=found.height,
            duration_ms=found.duration / MILLISECOND,
            rate=float(found.rate) if found.rate else None,
        )
        return FileTaken(name=name, frames=0, picture=None, problem=None, clip=clip)

    @property
    def _room_left(self) -> bool:
        return self._frames_left > 0 and self._bytes_left > 0

    def _need_room(self, name: str) -> None:
        if self._room_left:
            return
        settings = self._service.settings
        limit = (
            f"{settings.most_files} frames"
            if self._frames_left <= 0
            else f"{settings.most_import_bytes // 1048576} MB of frames"
        )
        remedy = "import them in parts, or thin them out first"
        raise InputError(f"one import takes {limit}", file=name, remedy=remedy)

    def _store(self, piece: Piece, data: Sent, kept: str | None, origin: Origin | None) -> str:
        sha256, size = keep_picture(self._service.store, self._service.stages, piece, data, kept)
        if not self._taken_in(piece, sha256, size, origin):
            self._need_room(piece.name)
        return sha256

    def _taken_in(self, piece: Piece, sha256: str, size: int, origin: Origin | None) -> bool:
        """Count a frame that is kept; not if others, side by side, have left no room for it meanwhile."""
        with self._noting:
            if not self._room_left:
                return False
            self._frames_left -= 1
            self._bytes_left -= size
            # Its bytes are in the store; those of many frames at once would be too much to hold on to.
            self._taken.append((replace(piece, data=None), sha256, size))
            if origin is not None:
                self._origins[piece.name] = origin
            if len(self._taken) >= NOTED_AT_ONCE:
                self._keep()
        return True

    def _tell(self, name: str, frames: int, picture: str) -> None:
        if time.monotonic() - self._told < TOLD_EVERY:
            return
        self._told = time.monotonic()
        self._service.hub.tell("import", import_id=self._import_id, name=name, frames=frames, picture=picture)

    def keep(self) -> None:
        """Record what was taken and refused so far."""
        with self._noting:
            self._keep()

    def _keep(self) -> None:
        self._service.transact(self._note)
        self._enclosed = None
        self._taken.clear()
        self._refused.clear()
        self._origins.clear()

    def _note(self, session: Session) -> None:
        imports.note(session, self._import_id, self._taken, self._refused, self._origins)
        if self._enclosed is not None:
            imports.note_enclosed(session, self._import_id, self._enclosed.project)


def _read_small(root: Root, place: Place) -> tuple[bytes, Origin]:
    """A file that was small when it was last looked at, and what it is like; ``InputError`` as it is opened."""
    path = root.relative(f"{place.folder}/{place.path}") or ""
    with root.open_file(path) as file:
        before = os.fstat(file.fileno())
        if is_locked(file):
            raise _on_its_way(place)
        data = file.read(SMALL)
        after = os.fstat(file.fileno())
    if len(data) != after.st_size or (after.st_size, after.st_mtime_ns) != (before.st_size, before.st_mtime_ns):
        raise _on_its_way(place)
    return data, Origin(place.folder, place.path, after.st_size, after.st_mtime_ns)


class _Held(NamedTuple):
    """What a file holds, in memory or on the disk, and its hash where the store has it already."""

    data: Sent
    kept: str | None = None


def _head(data: Sent) -> bytes:
    if isinstance(data, bytes):
        return data[:HEAD]
    data.seek(0)
    head = data.read(HEAD)
    data.seek(0)
    return head


def _on_its_way(place: Place) -> Unfinished:
    return Unfinished("is still being written", file=place.name, remedy="wait until it is complete")


def _taken(name: str, pictures: list[str], problems: list[InputError]) -> FileTaken:
    problem = Problem.model_validate(problem_of(problems[0])) if problems else None
    return FileTaken(
        name=name, frames=len(pictures), picture=pictures[0] if pictures else None, problem=problem
    )
