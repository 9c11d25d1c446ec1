"""What a revision lacks: for the output that is looked at it is worked out at once.

Which pictures an output takes, and whether they are there already, is the expensive part of a change: it looks
at every frame, for every output. Where that is much, the other outputs have their turn right after.
"""

import logging
from collections import defaultdict
from collections.abc import Iterable

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from ..core.errors import JayFlickError
from ..core.recipe import Recipe
from .errors import fault, problem_of
from .models import Job, Project, Result, Revision, now
from .results import Results
from .room import is_full

log = logging.getLogger(__name__)

AT_ONCE = 4000
"""Frames, counted for each output anew, up to which all outputs are worked out at once: a tenth of a second."""
UNDER_WAY = ("new", "queued", "running")
"""States of jobs that have yet to end."""


def queue(session: Session, revision: Revision, results: Results, shown: str = "") -> None:
    """Queue what a revision still lacks; what the output ``shown`` takes is worked out at once.

    A job for another revision that makes the very pictures that are wanted goes on, for this one; the others
    are no longer wanted (newest wins). What cannot be made is a failed job, and no obstacle to a change. The
    project is locked.
    """
    recipe = Recipe.model_validate(revision.recipe)
    there = set(session.scalars(select(Result.output_id).where(Result.revision_id == revision.id)))
    lacking = [output.id for output in recipe.outputs if output.id not in there]
    if all(output.id != shown for output in recipe.outputs):
        shown = recipe.outputs[0].id
    frames = results.frames.of(session, revision.project_id, revision.frame_set).frames
    few = len(frames) * len(lacking) <= AT_ONCE
    under_way = defaultdict(list)
    for job in _under_way(session, revision.project_id):
        if job.output_id in lacking:
            under_way[job.output_id].append(job)
        else:
            job.state, job.ended = "superseded", now()
    for output_id in lacking:
        jobs = under_way[output_id]
        place = 0 if output_id == shown else 1
        if few or place == 0:
            _work_out(session, revision, recipe, output_id, place, results, jobs)
        elif fresh := next((job for job in jobs if job.state == "new"), None):
            fresh.revision_id, fresh.created = revision.id, now()
        else:
            session.add(_job(revision, output_id, state="new", place=place))


def work_out_next(session: Session, results: Results) -> str | None:
    """Work out what the newest of the new jobs takes; the project it is of, ``None`` when there is none."""
    found = session.execute(
        select(Job.id, Job.project_id).where(Job.state == "new").order_by(Job.created.desc(), Job.id).limit(1)
    ).first()
    if found is None:
        return None
    project_id: str = found.project_id
    session.get(Project, project_id, with_for_update=True)  # as a change does it: neither waits for the other
    job = session.get(Job, found.id, with_for_update=True)
    if job is not None and job.state == "new":
        revision = session.get_one(Revision, job.revision_id)
        recipe = Recipe.model_validate(revision.recipe)
        jobs = [one for one in _under_way(session, project_id) if one.output_id == job.output_id]
        try:
            _work_out(session, revision, recipe, job.output_id, job.place, results, jobs)
        except Exception as error:
            if isinstance(error, SQLAlchemyError) or is_full(error):
                raise  # there is nothing wrong with it; it has its turn later
            log.exception("an output could not be worked out", exc_info=error)
            job.state, job.error, job.ended = "failed", fault(error), now()
    return project_id


def _work_out(
    session: Session,
    revision: Revision,
    recipe: Recipe,
    output_id: str,
    place: int,
    results: Results,
    under_way: Iterable[Job],
) -> None:
    """Make an output at once, or queue what is to be made. ``under_way``: the jobs there are of it."""
    to_make = None
    try:
        to_make = results.prepare(session, revision, recipe, output_id)
    except JayFlickError as error:
        session.add(_job(revision, output_id, state="failed", error=problem_of(error), ended=now()))
    for job in under_way:
        if job.state == "new":
            session.delete(job)
        elif to_make is not None and job.pictures == to_make.pictures:
            job.revision_id, job.place = revision.id, place
            to_make = None
        else:
            job.state, job.ended = "superseded", now()
    if to_make is not None:
        session.add(_job(revision, output_id, pictures=to_make.pictures, work=to_make.pixels, place=place))


def _under_way(session: Session, project_id: str) -> list[Job]:
    wanted = Job.project_id == project_id, Job.state.in_(UNDER_WAY)
    return list(session.scalars(select(Job).where(*wanted).order_by(Job.id).with_for_update()))


def _job(revision: Revision, output_id: str, **more: object) -> Job:
    return Job(project_id=revision.project_id, revision_id=revision.id, output_id=output_id, **more)
