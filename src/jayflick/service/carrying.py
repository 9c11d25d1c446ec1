"""What a project would be with the settings of another."""

from collections import Counter

from sqlalchemy.orm import Session

from ..core.carried import carried, taken
from ..core.errors import InputError
from ..core.recipe import Recipe
from . import projects
from .frames import FrameLists
from .schemas.plans import SettingsInfo, SettingsRequest


def settings_of(session: Session, lists: FrameLists, project_id: str, request: SettingsRequest) -> SettingsInfo:
    """A project's recipe with settings of another, as its frames allow. Nothing is changed.

    Raises ``NotFound`` when there is no such project, ``InputError`` when neither it nor a recipe is named.
    """
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    listed = lists.of(session, project_id, revision.frame_set)
    ((width, height), _), *_ = Counter((one.width, one.height) for one in listed.frames).most_common(1)
    if request.project_id is not None:
        other = projects.find(session, request.project_id)
        recipe, title = Recipe.model_validate(projects.current(session, other).recipe), other.name
    elif request.recipe is not None:
        recipe, title = request.recipe, ""
    else:
        raise InputError("no settings are named", remedy="choose a project, or open a recipe")
    merged, notes = taken(Recipe.model_validate(revision.recipe), recipe, request.settings, project.name, title)
    found, more = carried(merged, listed.gaps, width, height)
    return SettingsInfo(recipe=found, notes=[*notes, *more])
