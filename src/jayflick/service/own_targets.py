"""Targets: those that ship, and those made here."""

from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.recipe import Target
from ..core.targets.catalogue import read_target, shipped
from .models import OwnTarget, now
from .schemas.checks import TargetInfo

MOST_TARGETS = 100


def all_targets(session: Session) -> list[TargetInfo]:
    """Those that ship first, then one's own in the order of their titles."""
    own = [Target.model_validate(document) for document in session.scalars(select(OwnTarget.document))]
    return [
        *(TargetInfo(target=target, own=False) for target in shipped()),
        *(TargetInfo(target=target, own=True) for target in sorted(own, key=lambda one: one.title)),
    ]


def add(session: Session, document: str, file: str) -> None:
    """Keep a target; one of the same name is replaced. ``InputError`` says which line is wrong."""
    target = read_target(document.encode(), file)
    if any(target.name == one.name for one in shipped()):
        raise InputError(f"{target.name} ships with Jay Flick", file=file, remedy="give it another name")
    names = set(session.scalars(select(OwnTarget.name)))
    if target.name not in names and len(names) >= MOST_TARGETS:
        raise InputError(f"there are {MOST_TARGETS} targets", file=file, remedy="remove one first")
    statement = insert(OwnTarget).values(
        name=target.name, document=target.model_dump(mode="json"), created=now()
    )
    session.execute(statement.on_duplicate_key_update(document=statement.inserted.document))


def remove(session: Session, name: str) -> None:
    """Forget a target of one's own. Outputs that go there keep its limits."""
    session.execute(delete(OwnTarget).where(OwnTarget.name == name))
