"""What is asked while pictures are framed; nothing here changes a project."""

from typing import Annotated

from fastapi import APIRouter, Query

from ...core.framing.trim import GRAIN, By
from ...core.recipe import LineUp
from .. import framings
from ..parts import Parts, ProjectId, Reading
from ..schemas.framing import FoundMove, LevelsInfo, LevelsRequest, LineUpRequest, SteadyInfo, TrimInfo

router = APIRouter(prefix="/projects/{project_id}", tags=["framing"])


@router.get("/trim")
def get_trim(
    project_id: ProjectId,
    service: Parts,
    session: Reading,
    by: Annotated[By, Query(description="What is kept: art, what moves, or all but bars")],
    tolerance: Annotated[int, Query(ge=0, le=255, description="In levels")] = GRAIN,
    margin: Annotated[int, Query(ge=0, le=4096, description="Pixels kept around it")] = 0,
) -> TrimInfo:
    """The part of the frames that any of them uses. Looks at every pixel, once."""
    return framings.trim(session, service.frames, service.stages, project_id, by, tolerance, margin)


@router.post("/moves")
def find_moves(
    project_id: ProjectId, request: LineUpRequest, service: Parts, session: Reading
) -> list[FoundMove]:
    """How frames must be moved to lie on another. Ask for a few at a time to see how far it is."""
    return framings.moves(session, service.frames, service.stages, project_id, request)


@router.post("/steady")
def get_steady(project_id: ProjectId, line_up: LineUp, service: Parts, session: Reading) -> SteadyInfo:
    """What frames that are lined up so have in common, and by how much they would be enlarged instead."""
    return framings.steadied(session, service.frames, project_id, line_up)


@router.post("/levels")
def get_levels(project_id: ProjectId, request: LevelsRequest, service: Parts, session: Reading) -> LevelsInfo:
    """How bright frames are before and after their tone is changed. Frames are looked at once."""
    return framings.levels(session, service.frames, service.stages, project_id, request)
