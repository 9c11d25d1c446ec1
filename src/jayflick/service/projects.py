"""What can be done with projects: kept, changed, undone, shown. Each call is one transaction."""

import itertools
import re
import uuid
from collections.abc import Iterable
from datetime import timedelta
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from ..core.recipe import Recipe
from .cards import Wanted, card_facts, delivered, handed_off, results_of
from .errors import Conflict, NotFound
from .frames import FrameLists
from .jobs import job_document
from .models import Frame, FrameSet, Job, KeptOutput, Project, Revision, now
from .queueing import UNDER_WAY, queue
from .results import Results
from .schemas.document import Problem
from .schemas.projects import BinnedProject, FrameSetInfo, JobInfo, ProjectInfo, RevisionInfo
from .schemas.sending import KeptInfo


def new_id() -> str:
    return uuid.uuid4().hex


def find(session: Session, project_id: str, *, lock: bool = False) -> Project:
    project = session.get(Project, project_id, with_for_update=lock)
    if project is None or project.removed is not None:
        raise NotFound("there is no such project", remedy="go back to the shelf")
    return project


def create(
    session: Session,
    name: str,
    report: dict[str, Any],
    frames: list[Frame],
    recipe: Recipe,
    results: Results,
) -> Project:
    """A new project with its frames (not yet added to the session) and its first revision, its job queued."""
    project = Project(id=new_id(), name=_free_name(session, name))
    session.add(project)
    session.flush()
    number = _add_set(session, project, report, frames)
    _add_revision(session, project, recipe, "Frames brought in", results, frame_set=number)
    return project


def _free_name(session: Session, name: str) -> str:
    """The name, with a number if a project on the shelf has it already."""
    stem = re.sub(r" \d+$", "", name)
    alike = Project.name.startswith(stem, autoescape=True), Project.removed.is_(None)
    taken = set(session.scalars(select(Project.name).where(*alike)))
    if name not in taken:
        return name
    return next(free for number in itertools.count(2) if (free := f"{name[:193]} {number}") not in taken)


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
    session: Session,
    project: Project,
    label: str,
    report: dict[str, Any],
    frames: list[Frame],
    recipe: Recipe,
    results: Results,
    gesture: str = "",
) -> None:
    """Put other frames in the place of a project's; undo leads back to those it had."""
    number = _add_set(session, project, report, frames)
    _add_revision(session, project, recipe, label, results, gesture, frame_set=number)


def find_at(session: Session, project_id: str, base_revision: int) -> Project:
    """A project that is to be changed; refused when it has moved on from the revision that was seen."""
    project = find(session, project_id, lock=True)
    _require(project, base_revision)
    return project


def _require(project: Project, base_revision: int) -> None:
    if project.revision_id != base_revision:
        raise Conflict(
            "this project was changed in another window", remedy="review that change, then make yours again"
        )


def edit(
    session: Session,
    project_id: str,
    base_revision: int,
    label: str,
    recipe: Recipe,
    results: Results,
    gesture: str = "",
    chosen: str = "",
) -> None:
    """Make ``recipe`` the project's newest revision; refused when the project has moved on from its base.

    Asked twice, as by a client that did not get the answer, it is done once.

    ``chosen``: the output that is looked at, which is made first.
    """
    project = find(session, project_id, lock=True)
    moved_on = project.revision_id != base_revision
    if moved_on and current(session, project).recipe == recipe.model_dump(mode="json"):
        return
    _require(project, base_revision)
    _add_revision(session, project, recipe, label, results, gesture, chosen=chosen)


def _add_revision(
    session: Session,
    project: Project,
    recipe: Recipe,
    label: str,
    results: Results,
    gesture: str = "",
    *,
    frame_set: int | None = None,
    chosen: str = "",
) -> None:
    base = last = current(session, project) if project.revision_id is not None else None
    if last and gesture and last.gesture == gesture and last.parent_id is not None:
        base = session.get_one(Revision, last.parent_id)
    document = recipe.model_dump(mode="json")
    if frame_set is None:
        assert last is not None, "the first revision says which frames it has"
        frame_set = last.frame_set
    if base and (base.recipe, base.frame_set) == (document, frame_set):
        revision = base  # back where it began: there is nothing to undo
    else:
        revision = Revision(
            project_id=project.id,
            parent_id=base and base.id,
            label=label,
            gesture=gesture,
            recipe=document,
            frame_set=frame_set,
        )
        session.add(revision)
        session.flush()
    if revision is not last:
        project.tip_id = revision.id
    _make_current(session, project, revision, results, chosen)


def undo(session: Session, project_id: str, results: Results, chosen: str = "") -> None:
    """Go back to the revision before. ``chosen``: the output that is looked at."""
    project = find(session, project_id, lock=True)
    undone = current(session, project)
    if undone.parent_id is None:
        raise Conflict("there is nothing to undo")
    _make_current(session, project, session.get_one(Revision, undone.parent_id), results, chosen)


def redo(session: Session, project_id: str, results: Results, chosen: str = "") -> None:
    """Go forward again to the revision that was undone. ``chosen``: the output that is looked at."""
    project = find(session, project_id, lock=True)
    following = _following(session, project)
    if following is None:
        raise Conflict("there is nothing to redo")
    _make_current(session, project, following, results, chosen)


def rename(session: Session, project_id: str, name: str) -> None:
    project = find(session, project_id, lock=True)
    project.name, project.changed = name, now()


KEPT = timedelta(days=30)
"""How long a project that was deleted can be restored."""


def remove(session: Session, project_id: str) -> None:
    """Put a project in the bin; it can be restored for 30 days. Nothing more is made for it."""
    find(session, project_id, lock=True).removed = now()
    session.execute(
        update(Job)
        .where(Job.project_id == project_id, Job.state.in_(UNDER_WAY))
        .values(state="cancelled", ended=now())
    )


def binned(session: Session) -> list[BinnedProject]:
    """What is in the bin, the newest first."""
    rows = session.scalars(
        select(Project).where(Project.removed.is_not(None)).order_by(Project.removed.desc(), Project.id)
    )
    return [
        BinnedProject(id=one.id, name=one.name, removed=one.removed, kept_until=one.removed + KEPT)
        for one in rows
        if one.removed is not None
    ]


def empty_bin(session: Session, older: timedelta = timedelta(0)) -> bool:
    """Delete for good one of the projects that were put in the bin longer ago; whether there was one."""
    gone = session.scalar(select(Project.id).where(Project.removed <= now() - older).limit(1))
    session.execute(delete(Project).where(Project.id == gone))
    return gone is not None


def restore(session: Session, project_id: str) -> None:
    project = session.get(Project, project_id, with_for_update=True)
    if project is None:
        raise NotFound("there is no such project")
    project.removed = None


def cancel(session: Session, job_id: int) -> None:
    """Call a job off; the result shown so far stays."""
    session.execute(
        update(Job).where(Job.id == job_id, Job.state.in_(UNDER_WAY)).values(state="cancelled", ended=now())
    )


def retry(session: Session, project_id: str, results: Results) -> None:
    """Queue the current revision's missing outputs again."""
    project = find(session, project_id, lock=True)
    queue(session, current(session, project), results)


def current(session: Session, project: Project) -> Revision:
    """The revision that counts."""
    return session.get_one(Revision, project.revision_id)


def _following(session: Session, project: Project) -> Revision | None:
    """The child of the current revision on the way to the tip."""
    if project.tip_id == project.revision_id:
        return None
    # A revision is always made as the tip: of several children, the newest leads to it.
    children = select(Revision).where(Revision.parent_id == project.revision_id)
    return session.scalar(children.order_by(Revision.id.desc()).limit(1))


def _make_current(
    session: Session, project: Project, revision: Revision, results: Results, chosen: str = ""
) -> None:
    project.revision_id, project.changed = revision.id, now()
    queue(session, revision, results, chosen)


# shown


def report_of(session: Session, revision: Revision) -> dict[str, Any]:
    """What gathering found in the frames of a revision."""
    return dict(session.get_one(FrameSet, (revision.project_id, revision.frame_set)).report)


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
        **card_facts(
            project,
            recipe,
            len(frames.infos),
            frames.infos[0].sha256,
            frames.report.model_dump(include={"sizes", "problems", "missing"}),
            results_of(session, [Wanted(project.id, revision.id, revision.parent_id, recipe)])[project.id],
        ),
        frame_set=revision.frame_set,
        revision=RevisionInfo(id=revision.id, label=revision.label, created=revision.created),
        undo=revision.label if revision.parent_id is not None else None,
        redo=following.label if following else None,
        jobs=[JobInfo.model_validate(job_document(job)) for job in _wanted(newest.values())],
        handoffs=handed_off(session, project_id),
        kept=[
            KeptInfo(output_id=row.output_id, problem=row.problem and Problem.model_validate(row.problem))
            for row in session.scalars(select(KeptOutput).where(KeptOutput.project_id == project_id))
        ],
        deliveries=delivered(session, project_id),
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
