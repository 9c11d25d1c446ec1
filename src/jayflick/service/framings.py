"""What is found out of pictures while they are framed: what they use, how they lie, how bright they are."""

from collections.abc import Sequence

import numpy as np
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.framing.frames import Framed, enlargement_of
from ..core.framing.prepared import Prepared
from ..core.framing.steady import common_area, find_moves
from ..core.framing.trim import By
from ..core.framing.used import used_part
from ..core.pictures.header import MAX_PIXELS
from ..core.recipe import LineUp, Recipe, Size
from ..core.stages import Stages
from . import projects
from .frames import FrameLists, StoredFrame
from .schemas.framing import (
    FoundMove,
    FrameLevels,
    LevelsInfo,
    LevelsRequest,
    LineUpRequest,
    SteadyInfo,
    TrimInfo,
)


def trim(
    session: Session,
    lists: FrameLists,
    stages: Stages,
    project_id: str,
    by: By,
    tolerance: int,
    margin: int,
) -> TrimInfo:
    """The part of the frames that is used; without a box where that is all of them, or nothing."""
    recipe, frames = _current(session, lists, project_id)
    found = used_part(recipe, frames, stages, by, tolerance, margin)
    return TrimInfo(box=found.box, width=found.size[0], height=found.size[1])


def moves(
    session: Session, lists: FrameLists, stages: Stages, project_id: str, request: LineUpRequest
) -> list[FoundMove]:
    """How frames must be moved to lie on another."""
    recipe, frames = _current(session, lists, project_id)
    _require(frames, [request.anchor, *request.positions])
    prepared = Prepared(frames, recipe.gather, stages)
    found = find_moves(prepared, stages, request.anchor, request.positions, request.free, request.box)
    return [FoundMove(position=position, move=one.move, alike=one.alike) for position, one in found.items()]


def steadied(session: Session, lists: FrameLists, project_id: str, line_up: LineUp) -> SteadyInfo:
    """What lined-up frames have in common, and by how much they would be enlarged instead."""
    recipe, frames = _current(session, lists, project_id)
    used = [p for p in range(1, len(frames) + 1) if p not in recipe.gather.left_out]
    kept = {position: move for position, move in line_up.moves.items() if position in used}
    line_up = line_up.model_copy(update={"moves": kept, "cover": "enlarge"})
    width, height = line_up.drawn_on
    if width * height > MAX_PIXELS:
        raise InputError(
            f"{width} × {height} is more than the {MAX_PIXELS // 10**6} million pixels of a frame",
            remedy="line up frames of a smaller size",
        )
    try:
        enlarged = enlargement_of(line_up, *line_up.drawn_on)
    except InputError:
        return SteadyInfo(common=None, enlarged=None)
    return SteadyInfo(common=common_area(line_up, used), enlarged=enlarged)


def levels(
    session: Session, lists: FrameLists, stages: Stages, project_id: str, request: LevelsRequest
) -> LevelsInfo:
    """How bright frames are before and after their tone is changed, and the levels of one of them."""
    recipe, frames = _current(session, lists, project_id)
    _require(frames, [*request.positions, *([request.histogram] if request.histogram else [])])
    framed = Framed(frames, request.framing, Size(), stages, recipe.gather)
    known = framed.levels
    measured = [
        FrameLevels(
            position=position,
            before=known(position).luma(),
            after=known(position).luma(np.round(framed.curves(position))),  # as pixels get it
        )
        for position in request.positions
    ]
    if request.histogram is None:
        return LevelsInfo(frames=measured, before=None, after=None)
    counts = known(request.histogram)
    return LevelsInfo(
        frames=measured, before=counts.shares(), after=counts.shares(framed.curves(request.histogram))
    )


def _current(session: Session, lists: FrameLists, project_id: str) -> tuple[Recipe, Sequence[StoredFrame]]:
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    frames = lists.of(session, project_id, revision.frame_set).frames
    return Recipe.model_validate(revision.recipe), frames


def _require(frames: Sequence[StoredFrame], positions: Sequence[int]) -> None:
    if max(positions, default=1) > len(frames):
        raise InputError(
            f"there is no frame {max(positions)}: the project has {len(frames)}", remedy="choose another"
        )
