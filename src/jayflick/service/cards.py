"""Projects as cards on the shelf: one question for all of them, and what was not changed is not made again."""

from collections.abc import Mapping, Sequence
from threading import Lock
from typing import Any, NamedTuple

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from ..core.recipe import Recipe
from ..core.sequence.settled import open_questions
from .checks import checks_of
from .models import Delivery, Frame, FrameSet, Handoff, Project, Result, Revision
from .results import RESULT_COLUMNS, result_document
from .schemas.projects import ProjectCard
from .schemas.results import ResultInfo
from .schemas.sending import DeliveryInfo, HandoffInfo


class Shelf:
    """All projects as JSON. Remembers their cards, each under all that it depends on.

    Safe to call from many threads.
    """

    def __init__(self) -> None:
        self._known: dict[str, tuple[tuple[Any, ...], bytes]] = {}
        self._lock = Lock()

    def document(self, session: Session) -> bytes:
        """A JSON list of ``ProjectCard``, newest change first."""
        newest = (
            select(Result.project_id, func.max(Result.id).label("result"))
            .group_by(Result.project_id)
            .subquery()
        )
        rows = session.execute(
            select(Project, newest.c.result)
            .outerjoin(newest, newest.c.project_id == Project.id)
            .where(Project.removed.is_(None))
            .order_by(Project.changed.desc(), Project.id)
        ).all()
        keys = {one.id: (one.revision_id, one.name, one.changed, result) for one, result in rows}
        with self._lock:
            known = {name: card for name, card in self._known.items() if keys.get(name) == card[0]}
        made = cards(session, [one for one, _ in rows if one.id not in known])
        known |= {card.id: (keys[card.id], card.model_dump_json().encode()) for card in made}
        with self._lock:
            self._known = known
        return b"[" + b",".join(known[one.id][1] for one, _ in rows) + b"]"


def card(session: Session, project: Project) -> ProjectCard:
    return cards(session, [project])[0]


def cards(session: Session, projects: Sequence[Project]) -> list[ProjectCard]:
    """Cards of projects, by a number of queries that does not depend on how many there are."""
    if not projects:
        return []
    numbers = [project.revision_id for project in projects]
    # Columns, not rows: there may be many, and only some of each is wanted.
    current = {
        row.project_id: row
        for row in session.execute(
            select(Revision.id, Revision.project_id, Revision.parent_id, Revision.recipe, FrameSet.report)
            .join(
                FrameSet,
                (FrameSet.project_id == Revision.project_id) & (FrameSet.number == Revision.frame_set),
            )
            .where(Revision.id.in_(numbers))
        )
    }
    first = func.max(case((Frame.position == 1, Frame.sha256)))
    counted = (
        select(Frame.project_id, func.count().label("frames"), first.label("first"))
        .join(
            Revision,
            (Frame.project_id == Revision.project_id) & (Frame.frame_set == Revision.frame_set),
        )
        .where(Revision.id.in_(numbers))
        .group_by(Frame.project_id)
    )
    frames = {row.project_id: row for row in session.execute(counted)}
    recipes = {key: Recipe.model_validate(row.recipe) for key, row in current.items()}
    results = results_of(
        session, [Wanted(key, row.id, row.parent_id, recipes[key]) for key, row in current.items()]
    )
    return [
        ProjectCard(
            **card_facts(
                project,
                recipes[project.id],
                frames[project.id].frames,
                frames[project.id].first,
                current[project.id].report,
                results[project.id],
            )
        )
        for project in projects
    ]


def card_facts(
    project: Project,
    recipe: Recipe,
    count: int,
    first: str | None,
    report: Mapping[str, Any],
    results: list[ResultInfo],
) -> dict[str, Any]:
    sizes: dict[str, int] = report["sizes"]
    usual = max(sizes, key=lambda size: sizes[size], default="0x0")
    width, height = recipe.gather.size or (int(side) for side in usual.split("x"))
    return {
        "id": project.id,
        "name": project.name,
        "changed": project.changed,
        "frames": count,
        "width": width,
        "height": height,
        "first_picture": first,
        "notes": open_questions(report["problems"], recipe),
        "missing": len(report["missing"]),
        "recipe": recipe,
        "results": results,
        "checks": checks_of(recipe, results),
    }


class Wanted(NamedTuple):
    """A revision whose outputs' results are wanted."""

    project_id: str
    revision_id: int
    parent_id: int | None
    recipe: Recipe


def results_of(session: Session, wanted: Sequence[Wanted]) -> dict[str, list[ResultInfo]]:
    """By project, for each output the result of its current revision; while that is made, the one before it
    or the newest.
    """
    near = [number for one in wanted for number in (one.revision_id, one.parent_id) if number]
    found = {
        (row.revision_id, row.output_id): row
        for row in session.execute(select(*RESULT_COLUMNS).where(Result.revision_id.in_(near)))
    }
    chosen: dict[tuple[str, str], Any] = {}
    lacking: set[str] = set()
    for one in wanted:
        for output in one.recipe.outputs:
            row = found.get((one.revision_id, output.id)) or found.get((one.parent_id or 0, output.id))
            if row is not None:
                chosen[one.project_id, output.id] = row
            else:
                lacking.add(one.project_id)
    if lacking:
        newest = (
            select(func.max(Result.id))
            .where(Result.project_id.in_(lacking))
            .group_by(Result.project_id, Result.output_id)
        )
        ids = list(session.scalars(newest))
        for row in session.execute(select(*RESULT_COLUMNS).where(Result.id.in_(ids))):
            chosen.setdefault((row.project_id, row.output_id), row)
    return {
        one.project_id: [
            result_document(chosen[one.project_id, output.id])
            for output in one.recipe.outputs
            if (one.project_id, output.id) in chosen
        ]
        for one in wanted
    }


def delivered(session: Session, project_id: str) -> list[DeliveryInfo]:
    """The last time each output was sent to each place, the newest first."""
    rows = session.scalars(
        select(Delivery).where(Delivery.project_id == project_id).order_by(Delivery.created.desc())
    )
    newest: dict[tuple[str, str], Delivery] = {}
    for row in rows:
        newest.setdefault((row.output_id, row.place or row.address), row)
    return [delivery_info(row) for row in newest.values()]


def delivery_info(row: Delivery) -> DeliveryInfo:
    """A delivery as the interface shows it; how far it is stands elsewhere."""
    answer = row.answer or {}
    return DeliveryInfo.model_validate(
        {
            "id": row.id,
            "output_id": row.output_id,
            "content": row.key,
            "place": row.place,
            "address": row.address,
            "memory": row.memory,
            "state": row.state,
            "created": row.created,
            "ended": row.ended,
            **{name: answer[name] for name in ANSWERED if name in answer},
        }
    )


ANSWERED = ("message", "file", "remedy", "remarks")


def handed_off(session: Session, project_id: str) -> list[HandoffInfo]:
    """The last time each output was."""
    newest = select(func.max(Handoff.id)).where(Handoff.project_id == project_id).group_by(Handoff.output_id)
    return [
        HandoffInfo(
            output_id=row.output_id,
            content=row.key,
            file_name=row.file_name,
            place="folder" if row.place == "folder" else "download",
            bytes=row.bytes,
            sha256=row.sha256,
            created=row.created,
        )
        for row in session.scalars(select(Handoff).where(Handoff.id.in_(newest)).order_by(Handoff.id))
    ]
