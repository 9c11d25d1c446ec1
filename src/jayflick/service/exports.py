"""A project as files to take away, which brought in again make the same project."""

from collections.abc import Iterator

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.portable import portable, slug
from ..core.recipe import Recipe
from ..core.sequence.project_file import ProjectFile, entries, in_parts, write_project
from ..core.store import Store
from . import projects
from .errors import NotFound
from .models import Frame, Picture


def archive(
    session: Session, store: Store, project_id: str, part: int, most_bytes: int
) -> tuple[str, Iterator[bytes]]:
    """The file name and the bytes of one part (from 1) of a project, small enough to be brought in again."""
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    rows = session.execute(
        select(Frame, Picture.bytes)
        .join(Picture, Picture.sha256 == Frame.sha256)
        .where(Frame.project_id == project_id, Frame.frame_set == revision.frame_set)
        .order_by(Frame.position)
    ).all()
    frames = entries([(frame.name, frame.number, frame.sha256) for frame, _ in rows])
    recipe = Recipe.model_validate(revision.recipe)
    report = projects.report_of(session, revision)
    document = ProjectFile(name=project.name, recipe=recipe, frames=frames, report=report)
    parts = in_parts([(entry, size) for entry, (_, size) in zip(frames, rows, strict=True)], most_bytes)
    if not 1 <= part <= len(parts):
        raise NotFound("the project has no such part")
    which = "" if len(parts) == 1 else f"-{part}-of-{len(parts)}"
    ending = f"-project{which}.zip"
    name = portable(f"{slug(project.name)[:100] or 'loop'}{ending}")
    return name, write_project(document, parts[part - 1], lambda entry: store.read(entry.sha256))
