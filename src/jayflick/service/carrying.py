"""What a project would be with the settings of another."""

from collections import Counter
from collections.abc import Sequence

from sqlalchemy.orm import Session

from ..core.carried import carried, taken
from ..core.errors import InputError
from ..core.recipe import Recipe
from ..core.sequence import gather as gathering
from ..core.sequence.first import first_recipe
from ..core.sequence.gather import majority_size, missing_after
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
    (size, _), *_ = Counter((one.width, one.height) for one in listed.frames).most_common(1)
    own = Recipe.model_validate(revision.recipe)
    found, notes = _with(session, request, own, project.name, listed.gaps, size)
    return SettingsInfo(recipe=found, notes=notes)


def first_like(
    session: Session, title: str, sequence: gathering.Sequence, request: SettingsRequest | None
) -> tuple[Recipe, list[str]]:
    """What a new project of that name starts with, like another if one is named; and what it does not take."""
    own = first_recipe(title, sequence)
    if request is None:
        return own, []
    gaps = missing_after([found.number for found in sequence.files], sequence.document())
    return _with(session, request, own, title, gaps, majority_size(sequence.files))


def _with(
    session: Session,
    request: SettingsRequest,
    own: Recipe,
    title: str,
    gaps: Sequence[int],
    size: tuple[int, int],
) -> tuple[Recipe, list[str]]:
    if request.project_id is not None:
        other = projects.find(session, request.project_id)
        recipe, other_title = Recipe.model_validate(projects.current(session, other).recipe), other.name
    elif request.recipe is not None:
        recipe, other_title = request.recipe, ""
    else:
        raise InputError("no settings are named", remedy="choose a project, or open a recipe")
    merged, notes = taken(own, recipe, request.settings, title, other_title)
    found, more = carried(merged, gaps, *size)
    return found, [*notes, *more]
