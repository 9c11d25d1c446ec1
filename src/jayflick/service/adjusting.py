"""A project's recipe with something set that was asked for of many."""

from collections.abc import Sequence

from sqlalchemy.orm import Session

from ..core.adjusted import with_setting, with_target
from ..core.recipe import Recipe, Target
from . import carrying, own_targets, projects
from .errors import NotFound
from .frames import FrameLists
from .models import Project
from .schemas.batches import Action, CheckAction, FitAction, HandOffAction, SendAction, SetAction, TakeAction


def adjusted(
    session: Session, lists: FrameLists, project: Project, action: Action, outputs: Sequence[str] | None
) -> tuple[Recipe, Recipe, list[str]]:
    """A project's recipe before and after an action that changes it, and what there is to say of it.

    ``outputs``: the names of those that it is about; ``None``: all. What changes nothing of a recipe leaves it
    as it is. Raises ``InputError`` for a value that is none, ``NotFound`` for settings that are gone.
    """
    before = Recipe.model_validate(projects.current(session, project).recipe)
    if isinstance(action, TakeAction):
        if action.project_id == project.id:
            return before, before, []
        found = carrying.settings_of(session, lists, project.id, action)
        return before, found.recipe, found.notes
    ids = {one.id for one in before.outputs if outputs is None or one.name in outputs}
    if not ids:
        return before, before, ["it has no such output"]
    if isinstance(action, SetAction):
        return before, *with_setting(before, ids, action.setting, action.value)
    if isinstance(action, CheckAction):
        return before, *with_target(before, ids, _target(session, action.target))
    return before, before, []


def _target(session: Session, name: str) -> Target | None:
    if not name:
        return None
    for known in own_targets.all_targets(session):
        if known.target.name == name:
            return known.target
    raise NotFound("there is no such target", remedy="choose another")


def label_of(session: Session, action: Action) -> str:
    """What a batch is called, and each change that it makes. Raises ``NotFound`` for what is not there."""
    match action:
        case SetAction():
            value = action.value
            words = "as in each project" if value is None else value
            if isinstance(value, bool):
                words = "on" if value else "off"
            return f"{action.setting.capitalize()} {words}"
        case TakeAction():
            known = action.project_id and projects.find(session, action.project_id).name
            return f"Settings of {known}" if known else "Settings of a recipe"
        case CheckAction():
            target = _target(session, action.target)
            return f"Checked against {target.title}" if target is not None else "No target"
        case FitAction():
            return "Fit the budget" if action.most is None else f"Fit under {action.most / 1024:g} KB"
        case HandOffAction():
            return "Hand-off as a zip" if action.to == "zip" else "Hand-off into the folder"
        case SendAction():
            from ..standins.kinds import KINDS  # which the server itself can do without

            return f"Send to {KINDS[action.to].title if action.to in KINDS else action.to}"
        case _:
            return {"make": "Encode again", "delete": "Delete"}[action.kind]
