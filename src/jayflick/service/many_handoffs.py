"""Handing off outputs of many projects: where each file goes, as one zip or into the hand-off folder."""

from collections.abc import Iterator, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.places import need_apart, path_of
from ..core.recipe import Recipe
from ..core.store import Store
from ..core.zipped import zipped
from . import handoffs, placing, projects
from .batches import Asked
from .errors import Conflict, NotFound
from .handoffs import Leaving
from .models import Batch, BatchItem, Handoff
from .parts import Service
from .results import MadeOutput
from .schemas.batches import HandOffAction


def chosen(session: Session, store: Store, project_id: str, names: Sequence[str] | None) -> list[MadeOutput]:
    """The current results of a project's outputs of these names; ``None``: of all.

    ``Conflict`` when one is not made yet, ``NotFound`` when there is none.
    """
    project = projects.find(session, project_id)
    recipe = Recipe.model_validate(projects.current(session, project).recipe)
    ids = [one.id for one in recipe.outputs if names is None or one.name in names]
    if not ids:
        raise NotFound("it has no such output", remedy="choose other outputs")
    return handoffs.outputs(session, store, project_id, ids)


def leaving(names: str, project: str, chosen: Sequence[MadeOutput]) -> list[Leaving]:
    """The files of a project's outputs, each with its path."""
    return [
        file._replace(path=path_of(names, project, one.output.name, file.path))
        for one, files in zip(chosen, handoffs.leaving(chosen), strict=True)
        for file in files
    ]


def as_zip(session: Session, store: Store, batch_id: int) -> tuple[str, Iterator[bytes]]:
    """What a batch handed off as one zip, with a name for it: of the projects with which it is done.

    ``Conflict`` when one of them has changed since and is not made again yet.
    """
    batch = session.get(Batch, batch_id)
    asked = None if batch is None else Asked(batch.action)
    if batch is None or asked is None or not asked.is_zip:
        raise NotFound("there is no such zip", remedy="hand them off again")
    action = asked.action
    assert isinstance(action, HandOffAction)
    done = session.scalars(
        select(BatchItem.project_id)
        .where(BatchItem.batch_id == batch_id, BatchItem.state == "done")
        .order_by(BatchItem.place)
    ).all()
    files: list[Leaving] = []
    paths: list[tuple[str, str]] = []
    for project_id in done:
        project = projects.find(session, project_id).name
        try:
            found = leaving(action.names, project, chosen(session, store, project_id, asked.outputs))
        except Conflict as error:
            raise Conflict(
                f"{project}: {error.message}", remedy="wait for it, then hand them off again"
            ) from None
        files += found
        paths += [(file.path, project) for file in found]
    if not files:
        raise NotFound("nothing was handed off", remedy="hand them off again")
    need_apart(paths)
    return f"{len(done)}-projects.zip", zipped((file.path, file.read) for file in files)


def into_folder(
    service: Service,
    project_id: str,
    chosen: Sequence[MadeOutput],
    action: HandOffAction,
    rows: Sequence[Handoff],
) -> placing.Placed:
    """Write a project's outputs into the hand-off folder, whole or not at all.

    ``Conflict`` when another file is there under one of the names and is not to be replaced.
    """
    folder = service.settings.handoff
    if folder is None:
        raise handoffs.no_folder()
    with service.sessions() as session:
        name = projects.find(session, project_id).name
    return handoffs.write(folder, leaving(action.names, name, chosen), rows, replace=action.replace)
