"""What a live show needs to know of a project's numbered sets; nothing here changes a project."""

from sqlalchemy.orm import Session

from ..core.broadcast.cover import Cover
from ..core.broadcast.overlay import Memory
from ..core.broadcast.raster import ACTION, GRAPHICS, raster_for, safe_area
from ..core.broadcast.remedies import for_overlay, for_transition
from ..core.errors import InputError
from ..core.framing.art_box import Box
from ..core.recipe import FramesOutput, Recipe
from ..core.stages import Stages
from . import projects
from .checks import remedy_info
from .errors import NotFound
from .frames import FrameLists
from .handoffs import outputs
from .schemas.checks import BroadcastInfo


def look(session: Session, lists: FrameLists, stages: Stages, project_id: str, output_id: str) -> BroadcastInfo:
    """An output as it was made last. ``Conflict`` while it is not made."""
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    recipe = Recipe.model_validate(revision.recipe)
    try:
        output = recipe.output(output_id)
    except KeyError:
        raise NotFound("there is no such output") from None
    if not isinstance(output, FramesOutput):
        raise InputError("this output is no numbered set", remedy="choose one that is")
    (made,) = outputs(session, stages.store, project_id, [output_id])
    info = made.info.info
    frames = lists.of(session, project_id, revision.frame_set).frames
    used = Box(*(info.used or (0, 0, info.width, info.height)))
    cover = Cover(tuple(info.opaque or ()))
    raster = raster_for(info.width, info.height)
    memory = Memory(info.count, used, raster)
    target = output.target
    remedies = []
    if target is not None and target.cover and cover.opaque:
        remedies = for_transition(recipe, frames, output, stages, cover)
    elif target is not None and target.on_raster:
        remedies = for_overlay(recipe, frames, output, stages, used)
    return BroadcastInfo(
        raster=raster,
        cut=cover.cut if cover.opaque else None,
        place=output.place or (0, 0),
        used=tuple(used),
        trimmed_bytes=memory.trimmed_bytes,
        full_bytes=memory.full_bytes,
        action_safe=tuple(safe_area(raster, ACTION)),
        graphics_safe=tuple(safe_area(raster, GRAPHICS)),
        remedies=[remedy_info(remedy) for remedy in remedies],
    )
