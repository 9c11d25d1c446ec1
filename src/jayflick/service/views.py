"""A project's pictures cut into the views that lie side by side on them."""

from ..core.errors import InputError
from ..core.recipe import Recipe
from ..core.sequence.pieces import Piece
from ..core.sequence.views import Grid, views_of
from . import frame_sets, projects
from .parts import Service
from .pictures import keep_picture


def cut_views(service: Service, project_id: str, base_revision: int, grid: Grid) -> None:
    """Make a frame of each view of each frame that is used. The pictures stay; undo leads back to them.

    What is stored is safe before it is recorded.
    """
    with service.sessions() as session:
        project = projects.find(session, project_id)
        revision = projects.current(session, project)
        recipe = Recipe.model_validate(revision.recipe)
        frames = service.frames.of(session, project_id, revision.frame_set).frames
    used = [frame for position, frame in enumerate(frames, 1) if position not in recipe.gather.left_out]
    most = service.settings.most_files
    if len(used) * grid.count > most:
        raise InputError(
            f"that would be {len(used) * grid.count} frames; the limit is {most}",
            remedy="cut into fewer views, or leave frames out first",
        )
    taken: list[tuple[Piece, str, int]] = []
    for frame in used:
        for piece in views_of(frame.read(), grid, frame.name):
            data = piece.data or b""
            taken.append((piece, keep_picture(service.store, service.stages, piece, data), len(data)))
    label = f"Cut into {grid.across} × {grid.down} views"
    service.transact(frame_sets.cut_apart, project_id, base_revision, label, taken, service.results)
