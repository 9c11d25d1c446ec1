"""Outputs that are kept written in the hand-off folder: whenever one is new and passes, it is there."""

import hashlib
import logging
import threading
from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from ..core.errors import InputError, JayFlickError
from ..core.recipe import Recipe
from . import handoffs, projects
from .checks import check_of
from .errors import Conflict, NotFound, disk_problem, problem_of
from .models import Handoff, KeptOutput, Project, Result
from .parts import Service
from .results import MadeOutput

log = logging.getLogger(__name__)

PAUSE = 0.2
"""Seconds between two looks for what is new."""
AGAIN = 5.0
"""Seconds after which it is tried again when the database was away."""


def keep(session: Session, project_id: str, output_id: str, *, kept: bool) -> None:
    """Have an output kept written in the hand-off folder, or not. What is there stays."""
    project = projects.find(session, project_id, lock=True)
    recipe = Recipe.model_validate(projects.current(session, project).recipe)
    if output_id not in {output.id for output in recipe.outputs}:
        raise NotFound("there is no such output", remedy="open the project again")
    row = session.get(KeptOutput, (project_id, output_id))
    if kept and row is None:
        session.add(KeptOutput(project_id=project_id, output_id=output_id, files={}))
    elif not kept and row is not None:
        session.delete(row)


class Keeping:
    """Writes them, in a thread of its own, one project after the other."""

    def __init__(self, service: Service) -> None:
        self._service = service
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="keeping", daemon=True)

    def start(self) -> None:
        """Begin, if there is a folder to write into."""
        if self._service.settings.handoff is not None:
            self._service.hub.hearers.append(self._wake.set)
            self._wake.set()
            self._thread.start()

    def stop(self) -> None:
        self._stopping.set()
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join()

    def _run(self) -> None:
        while not self._stopping.is_set():
            self._wake.wait()
            self._stopping.wait(PAUSE)  # news comes in bursts
            self._wake.clear()
            try:
                for project_id, output_id in self._due():
                    if self._stopping.is_set():
                        return
                    self._write(project_id, output_id)
            except SQLAlchemyError:
                log.warning("outputs could not be written; it is tried again", exc_info=True)
                if not self._stopping.wait(AGAIN):
                    self._wake.set()

    def _due(self) -> list[tuple[str, str]]:
        """Outputs with a result that counts, which is another than was written last."""
        with self._service.sessions() as session:
            rows = session.execute(
                select(KeptOutput.project_id, KeptOutput.output_id)
                .join(Project, Project.id == KeptOutput.project_id)
                .join(
                    Result,
                    (Result.revision_id == Project.revision_id) & (Result.output_id == KeptOutput.output_id),
                )
                .where(Project.removed.is_(None))
            )
            return [(project_id, output_id) for project_id, output_id in rows]

    def _write(self, project_id: str, output_id: str) -> None:
        """Write one, whole or not at all; or remember why not."""
        try:
            changed = self._written(project_id, output_id)
            problem = None
        except (Conflict, NotFound):
            return  # it has just changed again, or is gone
        except JayFlickError as error:
            changed, problem = False, problem_of(error)
        except OSError as error:
            changed, problem = False, disk_problem(error)

        def remember(session: Session) -> bool:
            row = session.get(KeptOutput, (project_id, output_id), with_for_update=True)
            if row is None or row.problem == problem:
                return False
            row.problem = problem
            return True

        if self._service.transact(remember) or changed:
            self._service.tell_changed(project_id)

    def _written(self, project_id: str, output_id: str) -> bool:
        """Whether it had to be written. ``JayFlickError`` where it may not be."""
        service = self._service
        folder = service.settings.handoff
        assert folder is not None
        with service.sessions() as session:
            row = session.get(KeptOutput, (project_id, output_id))
            if row is None:
                return False
            chosen = handoffs.outputs(session, service.store, project_id, [output_id])
            name = handoffs.folder_name(session, project_id)
            last = session.scalars(
                select(Handoff)
                .where(
                    Handoff.project_id == project_id, Handoff.output_id == output_id, Handoff.place == "folder"
                )
                .order_by(Handoff.id.desc())
                .limit(1)
            ).first()
        leaving = {f"{name}/{file.path}": file for files in handoffs.leaving(chosen) for file in files}
        settled = leaving.keys() == row.files.keys() and all(len(known) == 1 for known in row.files.values())
        same = settled and last is not None and last.key == chosen[0].info.content
        if same and all((folder / path).exists() for path in leaving):
            return False
        files = {path: hashlib.sha256(file.read()).hexdigest() for path, file in leaving.items()}
        _need_passing(chosen)
        ours = {last.sha256} if last is not None else set()
        _need_ours(folder, files, row.files, ours)
        rows = handoffs.described(chosen, project_id, "folder")
        # Noted before it is there: whenever the program dies, what it wrote is known to be its own.
        either = {
            path: sorted({*row.files.get(path, ()), *filter(None, [files.get(path)])})
            for path in row.files.keys() | files.keys()
        }
        service.transact(_note, project_id, output_id, either)
        placed = handoffs.into_folder(chosen, folder, name, rows, replace=True)

        def remember(session: Session) -> None:
            projects.find(session, project_id)
            session.add_all(rows)
            _note(session, project_id, output_id, {path: [sha256] for path, sha256 in files.items()})

        service.transact(remember)
        placed.done()
        _clear(folder, row.files, files)
        return True


def _note(session: Session, project_id: str, output_id: str, files: dict[str, list[str]]) -> None:
    kept = session.get(KeptOutput, (project_id, output_id), with_for_update=True)
    if kept is not None:
        kept.files = files


def _need_passing(chosen: Sequence[MadeOutput]) -> None:
    for one in chosen:
        if one.output.target is not None:
            checked = check_of(one.output, one.info)
            if checked.verdict == "fail":
                broken = next(rule for rule in checked.rules if rule.verdict == "fail")
                why = f"{broken.rule} is {broken.measured}, allowed {broken.allowed}"
                raise InputError(
                    f"does not pass {checked.title}: {why}",
                    file=one.output.file_name,
                    remedy="the last one that passed stays there",
                )


def _need_ours(
    folder: Path, files: Mapping[str, str], known: Mapping[str, Sequence[str]], ours: set[str]
) -> None:
    """Refuse to replace a file that somebody else wrote, or wrote to."""
    for path, sha256 in files.items():
        there = _hash(folder / path)
        if there is not None and there not in (sha256, *known.get(path, ()), *ours):
            raise InputError(
                "is there already, and was not written by this output",
                file=Path(path).name,
                remedy="move it away, or give the output another name",
            )


def _hash(path: Path) -> str | None:
    """Of a file's content; ``None`` where there is no file."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except (FileNotFoundError, NotADirectoryError, IsADirectoryError):
        return None


def _clear(folder: Path, before: Mapping[str, Sequence[str]], files: Mapping[str, str]) -> None:
    """Remove what was written before and is no part of it any more, as frames of a longer set."""
    for path, known in before.items():
        if path not in files and _hash(folder / path) in known:
            with suppress(OSError):
                (folder / path).unlink()
                (folder / path).parent.rmdir()  # only if nothing is in it
