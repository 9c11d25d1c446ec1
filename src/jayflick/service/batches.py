"""What is asked for of many projects at once: recorded with an item a project or output, shown, called off."""

import json
from collections.abc import Iterable, Sequence
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import Row, case, delete, func, select, update
from sqlalchemy.orm import Session

from ..core.errors import JayFlickError
from ..core.places import need_apart, need_names, path_of
from ..core.recipe import Recipe
from . import adjusting, projects
from .errors import Conflict, NotFound, problem_of
from .frames import FrameLists
from .models import Batch, BatchItem, Project, Revision
from .schemas.batches import (
    Action,
    BatchFailure,
    BatchInfo,
    BatchNote,
    BatchOutlook,
    BatchRequest,
    FitAction,
    HandOffAction,
    SendAction,
)
from .schemas.document import Problem

KEPT = 50
"""Batches that are remembered, the newest; those under way besides."""
SHOWN = 5
"""The newest that are shown, beside those under way."""
TOLD = 200
"""The most notes, and the most failures, that are shown of one."""
UNDER_WAY = ("queued", "working")
_ACTION: TypeAdapter[Action] = TypeAdapter(Action)
_UNDONE = ("set", "take", "check", "fit", "delete")
"""What can be taken back."""


class Asked:
    """A batch's action, with the outputs that it is about."""

    def __init__(self, document: str) -> None:
        known = json.loads(document)
        self.kind: str = known["action"]["kind"]
        self.outputs: list[str] | None = known.get("outputs")
        self._action: dict[str, Any] = known["action"]

    @property
    def is_zip(self) -> bool:
        return self.kind == "hand-off" and self._action["to"] == "zip"

    @property
    def action(self) -> Action:
        return _ACTION.validate_python(self._action)


def look(session: Session, lists: FrameLists, request: BatchRequest) -> BatchOutlook:
    """What a change of many would do. Nothing is changed."""
    changed, notes, failures = 0, [], []
    for project in _found(session, request.projects):
        try:
            before, after, said = adjusting.adjusted(session, lists, project, request.action, request.outputs)
        except JayFlickError as error:
            problem = Problem.model_validate(problem_of(error))
            failures.append(BatchFailure(project_id=project.id, project=project.name, error=problem))
            continue
        changed += after != before
        notes += [BatchNote(project_id=project.id, project=project.name, note=note) for note in said]
    return BatchOutlook(changed=changed, notes=notes[:TOLD], failures=failures[:TOLD])


def _found(session: Session, ids: Sequence[str]) -> list[Project]:
    """Projects on the shelf, in the order they are named; ``NotFound`` when none of them is there."""
    rows = session.scalars(select(Project).where(Project.id.in_(ids), Project.removed.is_(None)))
    known = {project.id: project for project in rows}
    found = [known[one] for one in dict.fromkeys(ids) if one in known]
    if not found:
        raise NotFound("there are no such projects", remedy="go back to the shelf")
    return found


def ask(session: Session, request: BatchRequest) -> int:
    """Record what is to be done to each project; its number."""
    found = _found(session, request.projects)
    action = request.action
    what = {
        "action": action.model_dump(mode="json"),
        "outputs": request.outputs,
    }
    label = adjusting.label_of(session, action)
    if isinstance(action, HandOffAction):
        _need_places_apart(session, found, request.outputs, action.names)
    batch = Batch(label=label[:200], action=json.dumps(what))
    session.add(batch)
    session.flush()
    targets: list[tuple[str, str]] = [(project.id, "") for project in found]
    if isinstance(action, FitAction | SendAction):
        targets = list(_outputs(session, found, request.outputs))
        if not targets:
            raise NotFound("none of these projects has such an output", remedy="choose other outputs")
    session.add_all(
        BatchItem(batch_id=batch.id, place=place, project_id=project_id, output_id=output_id)
        for place, (project_id, output_id) in enumerate(targets)
    )
    _forget_old(session)
    return batch.id


def _outputs(
    session: Session, found: Sequence[Project], names: Sequence[str] | None
) -> Iterable[tuple[str, str]]:
    for project in found:
        recipe = Recipe.model_validate(projects.current(session, project).recipe)
        for output in recipe.outputs:
            if names is None or output.name in names:
                yield project.id, output.id


def _need_places_apart(
    session: Session, found: Sequence[Project], outputs: Sequence[str] | None, names: str
) -> None:
    need_names(names)
    paths = []
    for project in found:
        recipe = Recipe.model_validate(projects.current(session, project).recipe)
        wanted = [one for one in recipe.outputs if outputs is None or one.name in outputs]
        its_own = [path_of(names, project.name, one.name, one.file_name) for one in wanted]
        # Those of one project are told apart by numbers.
        paths += [(path, project.name) for path in {path.casefold(): path for path in its_own}.values()]
    need_apart(paths)


def _forget_old(session: Session) -> None:
    newest = session.scalars(select(Batch.id).order_by(Batch.id.desc()).limit(KEPT)).all()
    at_work = select(BatchItem.batch_id).where(BatchItem.state.in_(UNDER_WAY))
    session.execute(
        delete(Batch).where(Batch.id < newest[-1], Batch.id.not_in(at_work)),
        execution_options={"synchronize_session": False},
    )


def undo(session: Session, batch_id: int) -> int:
    """Ask for all that a batch did to be taken back; the number of the batch that does it."""
    batch = _batch(session, batch_id)
    if not _infos(session, [batch])[0].undo:
        raise Conflict("there is nothing to take back", remedy="undo it in its projects")
    back = Batch(
        label=f"Undo: {batch.label}"[:200], action=json.dumps({"action": {"kind": "undo"}}), undoes=batch.id
    )
    session.add(back)
    session.flush()
    whole = Asked(batch.action).kind == "delete"
    changed = session.execute(
        select(
            BatchItem.project_id,
            # What counts now if nobody changed it since, and what has to count again.
            func.max(BatchItem.after).label("now"),
            func.min(BatchItem.before).label("again"),
        )
        .where(
            BatchItem.batch_id == batch.id,
            BatchItem.state == "done" if whole else BatchItem.after.is_not(None),
        )
        .group_by(BatchItem.project_id)
        .order_by(func.min(BatchItem.place))
    ).all()
    session.add_all(
        BatchItem(
            batch_id=back.id,
            place=place,
            project_id=row.project_id,
            output_id="",
            before=row.now,
            after=row.again,
        )
        for place, row in enumerate(changed)
    )
    return back.id


def _batch(session: Session, batch_id: int) -> Batch:
    batch = session.get(Batch, batch_id, with_for_update=True)
    if batch is None:
        raise NotFound("there is no such batch")
    return batch


def cancel(session: Session, batch_id: int) -> list[BatchItem]:
    """Call off what is left of a batch; what is done stays. What was at work, with what it waited for."""
    _batch(session, batch_id)
    left = session.scalars(
        select(BatchItem)
        .where(BatchItem.batch_id == batch_id, BatchItem.state.in_(UNDER_WAY))
        .with_for_update()
    ).all()
    at_work = [item for item in left if item.state == "working"]
    for item in left:
        item.state = "cancelled"
    return at_work


def retry(session: Session, batch_id: int) -> None:
    """Queue again what failed of a batch, or was called off."""
    batch = _batch(session, batch_id)
    if session.scalar(select(Batch.id).where(Batch.undoes == batch.id).limit(1)) is not None:
        raise Conflict("this was taken back", remedy="ask for it again")
    session.execute(
        update(BatchItem)
        .where(BatchItem.batch_id == batch_id, BatchItem.state.in_(("failed", "cancelled")))
        .values(state="queued", error=None, waits_for="")
    )


def shown(session: Session) -> list[BatchInfo]:
    """Those under way, and the newest others; the newest first."""
    newest = set(session.scalars(select(Batch.id).order_by(Batch.id.desc()).limit(SHOWN)))
    newest |= set(session.scalars(select(BatchItem.batch_id).where(BatchItem.state.in_(UNDER_WAY)).distinct()))
    rows = session.scalars(select(Batch).where(Batch.id.in_(newest)).order_by(Batch.id.desc())).all()
    return _infos(session, rows)


def info(session: Session, batch_id: int) -> BatchInfo:
    batch = session.get(Batch, batch_id)
    if batch is None:
        raise NotFound("there is no such batch")
    return _infos(session, [batch])[0]


def _infos(session: Session, batches: Sequence[Batch]) -> list[BatchInfo]:
    ids = [batch.id for batch in batches]
    made = BatchItem.after.is_not(None) & (BatchItem.after != BatchItem.before)
    counted = session.execute(
        select(
            BatchItem.batch_id,
            BatchItem.state,
            func.count().label("items"),
            func.sum(case((made, 1), else_=0)).label("changed"),
        )
        .where(BatchItem.batch_id.in_(ids))
        .group_by(BatchItem.batch_id, BatchItem.state)
    ).all()
    undone = set(session.scalars(select(Batch.undoes).where(Batch.undoes.in_(ids))))
    said = session.execute(
        select(
            BatchItem.batch_id,
            BatchItem.project_id,
            BatchItem.output_id,
            BatchItem.notes,
            BatchItem.error,
            Project.name,
            Revision.recipe,
        )
        .join(Project, Project.id == BatchItem.project_id)
        .join(Revision, Revision.id == Project.revision_id)
        .where(
            BatchItem.batch_id.in_(ids), (BatchItem.state == "failed") | (func.json_length(BatchItem.notes) > 0)
        )
        .order_by(BatchItem.batch_id, BatchItem.place)
        .limit(TOLD * len(ids))
    ).all()
    return [_info(batch, counted, said, batch.id in undone) for batch in batches]


def _info(batch: Batch, counted: Sequence[Row[Any]], said: Sequence[Row[Any]], undone: bool) -> BatchInfo:
    mine = {row.state: row for row in counted if row.batch_id == batch.id}
    items = {state: row.items for state, row in mine.items()}
    asked = Asked(batch.action)
    changed = sum(int(row.changed) for row in mine.values())
    if asked.kind == "delete":
        changed = items.get("done", 0)
    under_way = any(items.get(state) for state in UNDER_WAY)
    kind: Any = asked.kind
    failures, notes = [], []
    for row in said:
        if row.batch_id != batch.id:
            continue
        where = {"project_id": row.project_id, "project": row.name, "output": _name(row)}
        if row.error is not None:
            failures.append(BatchFailure(**where, error=Problem.model_validate(row.error)))
        notes += [BatchNote(**where, note=note) for note in row.notes]
    return BatchInfo(
        id=batch.id,
        label=batch.label,
        kind=kind,
        created=batch.created,
        total=sum(items.values()),
        done=items.get("done", 0),
        failed=items.get("failed", 0),
        cancelled=items.get("cancelled", 0),
        changed=changed,
        under_way=under_way,
        undo=kind in _UNDONE and changed > 0 and not undone and not under_way,
        download=asked.is_zip and items.get("done", 0) > 0 and not under_way,
        notes=notes[:TOLD],
        failures=failures[:TOLD],
    )


def _name(row: Row[Any]) -> str:
    """What an item's output is called."""
    outputs = row.recipe.get("outputs", []) if row.output_id else []
    return next((str(one["name"]) for one in outputs if one["id"] == row.output_id), "")
