"""What can be done with projects: kept, changed, undone, shown. Each call is one transaction."""

import json
import uuid
from collections.abc import Callable, Iterable
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from ..core.errors import JayFlickError
from ..core.recipe import Recipe
from .frames import FrameLists
from .jobs import job_document
from .models import Frame, FrameSet, Job, Project, Result, Revision, now
from .schemas import FrameSetInfo, JobInfo, ProjectCard, ProjectInfo, Report, ResultInfo, RevisionInfo


class NotFound(JayFlickError):
    """There is no such thing (any more)."""


class Conflict(JayFlickError):
    """Somebody else, or another window, was faster."""


def new_id() -> str:
    return uuid.uuid4().hex


def find(session: Session, project_id: str, *, lock: bool = False) -> Project:
    project = session.get(Project, project_id, with_for_update=lock)
    if project is None or project.removed is not None:
        raise NotFound("there is no such project", remedy="go back to the shelf")
    return project


def create(session: Session, name: str, report: dict[str, Any], frames: list[Frame], recipe: Recipe) -> Project:
    """A new project with its frames (not yet added to the session) and its first revision, its job queued."""
    project = Project(id=new_id(), name=name)
    session.add(project)
    session.flush()
    _add_revision(
        session, project, recipe, "Frames brought in", frame_set=_add_set(session, project, report, frames)
    )
    return project


def _add_set(session: Session, project: Project, report: dict[str, Any], frames: list[Frame]) -> int:
    """Give a project another set of frames; returns its number."""
    last = session.scalar(select(func.max(FrameSet.number)).where(FrameSet.project_id == project.id)) or 0
    session.add(FrameSet(project_id=project.id, number=last + 1, report=report))
    for frame in frames:
        frame.project_id, frame.frame_set = project.id, last + 1
    session.add_all(frames)
    session.flush()
    return last + 1


def renew(
    session: Session, project: Project, label: str, report: dict[str, Any], frames: list[Frame], recipe: Recipe
) -> None:
    """Put other frames in the place of a project's; undo leads back to those it had."""
    _add_revision(session, project, recipe, label, frame_set=_add_set(session, project, report, frames))


AtOnce = Callable[[Session, Revision, Recipe, str], None]
"""Makes an output of a revision, whose recipe is this, within the transaction, if that touches no pixel;
``InputError`` when there is nothing that could be played."""


def edit(
    session: Session,
    project_id: str,
    base_revision: int,
    label: str,
    recipe: Recipe,
    gesture: str = "",
    *,
    at_once: AtOnce,
) -> None:
    """Make ``recipe`` the project's newest revision; refused when the project has moved on from its base."""
    project = find(session, project_id, lock=True)
    if project.revision_id != base_revision:
        raise Conflict(
            "this project was changed in another window", remedy="look at that change, then make yours again"
        )
    _add_revision(session, project, recipe, label, gesture, at_once)


def _add_revision(
    session: Session,
    project: Project,
    recipe: Recipe,
    label: str,
    gesture: str = "",
    at_once: AtOnce = lambda session, revision, recipe, output_id: None,
    *,
    frame_set: int | None = None,
) -> None:
    parent_id = project.revision_id
    if gesture:
        last = current(session, project)
        if last.gesture == gesture and last.parent_id is not None:
            parent_id = last.parent_id
    revision = Revision(
        project_id=project.id,
        parent_id=parent_id,
        label=label,
        gesture=gesture,
        recipe=recipe.model_dump(mode="json"),
        frame_set=frame_set or current(session, project).frame_set,
    )
    session.add(revision)
    session.flush()
    project.tip_id = revision.id
    for output in recipe.outputs:
        at_once(session, revision, recipe, output.id)
    _make_current(session, project, revision.id, recipe)


def undo(session: Session, project_id: str) -> None:
    """Go back to the revision before."""
    project = find(session, project_id, lock=True)
    undone = current(session, project)
    if undone.parent_id is None:
        raise Conflict("there is nothing to undo")
    parent = session.get_one(Revision, undone.parent_id)
    _make_current(session, project, parent.id, Recipe.model_validate(parent.recipe))


def redo(session: Session, project_id: str) -> None:
    """Go forward again to the revision that was undone."""
    project = find(session, project_id, lock=True)
    following = _following(session, project)
    if following is None:
        raise Conflict("there is nothing to redo")
    _make_current(session, project, following.id, Recipe.model_validate(following.recipe))


def rename(session: Session, project_id: str, name: str) -> None:
    project = find(session, project_id, lock=True)
    project.name, project.changed = name, now()


def remove(session: Session, project_id: str) -> None:
    """Take a project off the shelf; it can be put back."""
    find(session, project_id, lock=True).removed = now()


def restore(session: Session, project_id: str) -> None:
    project = session.get(Project, project_id, with_for_update=True)
    if project is None:
        raise NotFound("there is no such project")
    project.removed = None


def cancel(session: Session, job_id: int) -> None:
    """Call a job off; the result shown so far stays."""
    session.execute(
        update(Job)
        .where(Job.id == job_id, Job.state.in_(("queued", "running")))
        .values(state="cancelled", ended=now())
    )


def retry(session: Session, project_id: str) -> None:
    """Queue the current revision's missing outputs again."""
    project = find(session, project_id, lock=True)
    revision = current(session, project)
    _queue(session, project, revision.id, Recipe.model_validate(revision.recipe))


def current(session: Session, project: Project) -> Revision:
    """The revision that counts."""
    return session.get_one(Revision, project.revision_id)


def _following(session: Session, project: Project) -> Revision | None:
    """The child of the current revision on the way to the tip."""
    if project.tip_id == project.revision_id:
        return None
    step = session.get(Revision, project.tip_id) if project.tip_id else None
    while step is not None and step.parent_id != project.revision_id:
        step = session.get(Revision, step.parent_id) if step.parent_id else None
    return step


def _make_current(session: Session, project: Project, revision_id: int, recipe: Recipe) -> None:
    project.revision_id, project.changed = revision_id, now()
    _queue(session, project, revision_id, recipe)


def _queue(session: Session, project: Project, revision_id: int, recipe: Recipe) -> None:
    """Queue what the revision still lacks; jobs for other revisions are no longer wanted (newest wins)."""
    session.execute(
        update(Job)
        .where(Job.project_id == project.id, Job.state.in_(("queued", "running")))
        .values(state="superseded", ended=now())
    )
    there = set(session.scalars(select(Result.output_id).where(Result.revision_id == revision_id)))
    for output in recipe.outputs:
        if output.id not in there:
            session.add(Job(project_id=project.id, revision_id=revision_id, output_id=output.id))


# shown


def report_of(session: Session, revision: Revision) -> dict[str, Any]:
    """What gathering found in the frames of a revision."""
    return dict(session.get_one(FrameSet, (revision.project_id, revision.frame_set)).report)


def shelf(session: Session) -> list[ProjectCard]:
    """All projects, newest change first."""
    projects = session.scalars(
        select(Project).where(Project.removed.is_(None)).order_by(Project.changed.desc(), Project.id)
    ).all()
    return [card(session, project) for project in projects]


def card(session: Session, project: Project) -> ProjectCard:
    revision = current(session, project)
    recipe = Recipe.model_validate(revision.recipe)
    mine = Frame.project_id == project.id, Frame.frame_set == revision.frame_set
    first = session.scalar(select(Frame.sha256).where(*mine).order_by(Frame.position).limit(1))
    count = session.scalar(select(func.count()).select_from(Frame).where(*mine)) or 0
    report = Report.model_validate(report_of(session, revision))
    return ProjectCard(**_card_facts(session, project, recipe, count, first, report))


def _card_facts(
    session: Session, project: Project, recipe: Recipe, count: int, first: str | None, report: Report
) -> dict[str, Any]:
    usual = max(report.sizes, key=lambda size: report.sizes[size], default="0x0")
    width, height = recipe.gather.size or (int(side) for side in usual.split("x"))
    return {
        "id": project.id,
        "name": project.name,
        "changed": project.changed,
        "frames": count,
        "width": width,
        "height": height,
        "first_picture": first,
        "notes": len(report.problems),
        "missing": len(report.missing),
        "recipe": recipe,
        "results": _results(session, project, recipe),
    }


def _results(session: Session, project: Project, recipe: Recipe) -> list[ResultInfo]:
    """For each output the current revision's result, or the newest there is while that is being made."""
    found = []
    for output in recipe.outputs:
        mine = select(Result).where(Result.project_id == project.id, Result.output_id == output.id)
        result = session.scalar(mine.where(Result.revision_id == project.revision_id)) or session.scalar(
            mine.order_by(Result.created.desc()).limit(1)
        )
        if result is not None:
            found.append(result_document(result))
    return found


def result_document(result: Result) -> ResultInfo:
    facts = {
        "id": result.id,
        "output_id": result.output_id,
        "revision_id": result.revision_id,
        "sha256": result.sha256,
        "pixels": result.pixels,
        "created": result.created.isoformat(),
    }
    document = result.document if '"delays"' in result.document else _as_now(result.document)
    # One document of both, read at once: it may tell of thousands of frames.
    return ResultInfo.model_validate_json(f"{json.dumps(facts)[:-1]},{document[1:]}")


def _as_now(document: str) -> str:
    """A result's document as versions before this one wrote it, in the form it has now."""
    old = json.loads(document)
    frames = old["info"].pop("frames")
    shots = old.pop("shots", [str(position) for position in old["positions"]])
    new = {
        "delays": [frame["delay_ms"] for frame in frames],
        "costs": [frame["bytes"] for frame in frames],
        "blends": {index: shot for index, shot in enumerate(shots) if "x" in shot},
    }
    # The first of them knew only whole frames in their own order.
    return json.dumps({"places": old["positions"], "dropped": [], "scale": 1.0, **old, **new})


def bench(session: Session, project_id: str, lists: FrameLists, most_file_bytes: int) -> ProjectInfo:
    """Everything the bench shows of a project; ``most_file_bytes``: what a file may have that is brought in."""
    project = find(session, project_id)
    revision = current(session, project)
    recipe = Recipe.model_validate(revision.recipe)
    following = _following(session, project)
    frames = lists.of(session, revision.project_id, revision.frame_set)
    jobs = session.scalars(
        select(Job)
        .where(Job.project_id == project_id, Job.revision_id == revision.id, Job.state != "superseded")
        .order_by(Job.id)
    )
    newest = {job.output_id: job for job in jobs}
    return ProjectInfo(
        **_card_facts(session, project, recipe, len(frames.infos), frames.infos[0].sha256, frames.report),
        frame_set=revision.frame_set,
        revision=RevisionInfo(id=revision.id, label=revision.label, created=revision.created),
        undo=revision.label if revision.parent_id is not None else None,
        redo=following.label if following else None,
        jobs=[JobInfo.model_validate(job_document(job)) for job in _wanted(newest.values())],
        archive_parts=frames.parts(most_file_bytes),
    )


def frame_set(session: Session, project_id: str, number: int, lists: FrameLists) -> FrameSetInfo:
    """One of a project's sets of frames."""
    found = session.get(FrameSet, (project_id, number))
    if found is None:
        raise NotFound("the project has no such frames")
    frames = lists.of(session, project_id, number)
    return FrameSetInfo(frames=list(frames.infos), report=frames.report)


def _wanted(jobs: Iterable[Job]) -> list[Job]:
    return [job for job in jobs if job.state != "done"]
