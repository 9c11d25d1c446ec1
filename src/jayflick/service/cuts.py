"""Frames made of a project's pictures: the views on them cut out, or one moved over another."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np

from ..core.errors import InputError
from ..core.recipe import Recipe
from ..core.sequence.flight import Flight, flown
from ..core.sequence.pieces import MOST_PIXELS, Piece
from ..core.sequence.views import Grid, views_of
from . import frame_sets, projects
from .frames import StoredFrame
from .parts import Service
from .pictures import keep_picture


def cut_views(service: Service, project_id: str, base_revision: int, grid: Grid) -> None:
    """Make a frame of each view of each frame that is used. The pictures stay; undo leads back to them."""
    recipe, frames = _current(service, project_id)
    used = [frame for position, frame in enumerate(frames, 1) if position not in recipe.gather.left_out]
    most = service.settings.most_files
    if len(used) * grid.count > most:
        raise InputError(
            f"that would be {len(used) * grid.count} frames; the limit is {most}",
            remedy="cut into fewer views, or leave frames out first",
        )
    pieces = (piece for frame in used for piece in views_of(frame.read(), grid, frame.name))
    _put(service, project_id, base_revision, f"Cut into {grid.across} × {grid.down} views", pieces)


def fly(
    service: Service, project_id: str, base_revision: int, cut_out: int, backdrop: int | None, flight: Flight
) -> None:
    """Make the frames of a cut-out that moves over a backdrop, or over nothing. Undo leads back."""
    _, frames = _current(service, project_id)
    for position in (cut_out, backdrop or 1):
        if position > len(frames):
            raise InputError(
                f"there is no frame {position}: the project has {len(frames)}", remedy="choose another"
            )
    ground = frames[(backdrop or cut_out) - 1]
    if ground.width * ground.height * flight.count > MOST_PIXELS:
        raise InputError(
            f"{flight.count} frames of {ground.width} × {ground.height} are more than the "
            f"{MOST_PIXELS // 10**6:,} million pixels allowed",
            remedy="make fewer frames, or scale the backdrop down first",
        )
    picture = frames[cut_out - 1].read()
    below = np.zeros_like(picture) if backdrop is None else frames[backdrop - 1].read()
    pieces = flown(picture, below, flight, frames[cut_out - 1].name)
    _put(service, project_id, base_revision, f"A cut-out in {flight.count} frames", pieces)


def _current(service: Service, project_id: str) -> tuple[Recipe, Sequence[StoredFrame]]:
    with service.sessions() as session:
        project = projects.find(session, project_id)
        revision = projects.current(session, project)
        recipe = Recipe.model_validate(revision.recipe)
        return recipe, service.frames.of(session, project_id, revision.frame_set).frames


def _put(service: Service, project_id: str, base_revision: int, label: str, pieces: Iterable[Piece]) -> None:
    """Put frames that were made in the place of a project's. What is stored is safe before it is recorded."""
    taken: list[tuple[Piece, str, int]] = []
    for piece in pieces:
        sha256, size = keep_picture(service.store, service.stages, piece, piece.data or b"")
        taken.append((replace(piece, data=None), sha256, size))  # it is safe: not held for all of them
    service.transact(frame_sets.cut_apart, project_id, base_revision, label, taken, service.results)
