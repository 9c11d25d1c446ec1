"""Trials: every real encoding of an output, with its file, what is known of it, and what is said of it."""

import json
from dataclasses import asdict
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import ColumnElement, func, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.recipe import BaseOutput, Output, Recipe, SheetOutput
from ..core.render import Rendered
from ..core.stages import cache_key
from ..core.store import Store
from ..core.tuning.trial import LOOKED_AT, Trial
from .coded import OutputFiles, dumped, files_of, playing_of
from .errors import NotFound
from .likeness import figures_of
from .models import CodedPictures, SearchTrial, TrialRow, now
from .schemas.likeness import Figures, LikenessInfo, StandsOut
from .schemas.searches import TrialFile, TrialInfo, TrialWords

NAMES = {"id", "name", "target"}
"""What of an output is none of its trials' business."""

OUTPUT: TypeAdapter[Output] = TypeAdapter(Output)


def keep_trial(
    session: Session, project_id: str, rendered: Rendered, measured: Trial | None = None
) -> int | None:
    """Record what was made of an output; its id. Its coded pictures are recorded, and the project is locked.

    What was made before keeps its number, its likeness and its words. A sheet, which is not measured, is none.
    """
    output = rendered.output
    if isinstance(output, SheetOutput):
        return None
    mine = _of(project_id, output.id)
    number = (session.scalar(select(func.max(TrialRow.number)).where(mine)) or 0) + 1
    values: dict[str, Any] = {
        "sources": rendered.sources,
        "output": output.model_dump(mode="json", exclude=NAMES),
        "document": dumped(playing_of(rendered)),
        "bytes": rendered.info["bytes"],
        "created": now(),
    }
    if measured is not None:
        figures = figures_of(measured.likeness)
        out = None if measured.worst is None else asdict(measured.worst)
        likeness = {"steps": LOOKED_AT, "likeness": figures, "stands_out": out}
        values |= {"error": measured.error, "likeness": likeness}
    key = {"project_id": project_id, "output_id": output.id, "coded_key": rendered.coded.key}
    statement = insert(TrialRow).values(**key, number=number, name="", note="", **values)
    renewed = {**values, "likeness": func.coalesce(TrialRow.likeness, statement.inserted.likeness)}
    session.execute(statement.on_duplicate_key_update(renewed if "likeness" in values else values))
    return session.scalar(select(TrialRow.id).where(mine, TrialRow.coded_key == rendered.coded.key))


def made_by(session: Session, search_id: int) -> list[TrialInfo]:
    """The trials that a search made, of whatever output, in their order."""
    made = select(TrialRow).join(SearchTrial, SearchTrial.trial_id == TrialRow.id)
    rows = session.scalars(made.where(SearchTrial.search_id == search_id).order_by(SearchTrial.place))
    return [_shown(row) for row in rows]


def shown(session: Session, project_id: str, output_id: str) -> list[TrialInfo]:
    """The trials of an output, by their numbers."""
    rows = session.scalars(select(TrialRow).where(_of(project_id, output_id)).order_by(TrialRow.number))
    return [_shown(row) for row in rows]


def made_trial(session: Session, store: Store, trial_id: int, key: str | None = None) -> OutputFiles[TrialFile]:
    """A trial with its file; ``NotFound`` when there is none, or its ``key`` says that another is meant."""
    row = session.get(TrialRow, trial_id)
    if row is None:
        raise NotFound("there is no such trial")
    info = _file(row)
    if key not in (None, info.key):
        raise NotFound("there is no such trial here")
    coded = session.get_one(CodedPictures, row.coded_key).document
    return files_of(info, output_of(row), coded, json.loads(row.document)["held"], store)


def output_of(row: TrialRow, like: BaseOutput | None = None) -> Output:
    """A trial's output, named as ``like`` is."""
    names = {} if like is None else like.model_dump(include=NAMES)
    return OUTPUT.validate_python({**row.output, "id": row.output_id, **names})


def recipe_with(recipe: Recipe, output: BaseOutput) -> Recipe:
    """A recipe in which an output stands in the place of that of its id; at the end where there is none."""
    there = any(one.id == output.id for one in recipe.outputs)
    outputs = [output if one.id == output.id else one for one in recipe.outputs]
    return recipe.model_copy(update={"outputs": tuple(outputs if there else [*outputs, output])})


def describe(session: Session, project_id: str, trial_id: int, words: TrialWords) -> None:
    """Say something of a trial."""
    row = session.get(TrialRow, trial_id, with_for_update=True)
    if row is None or row.project_id != project_id:
        raise NotFound("there is no such trial")
    row.name = row.name if words.name is None else words.name
    row.note = row.note if words.note is None else words.note


def note_likeness(session: Session, project_id: str, output_id: str, pixels: str, found: LikenessInfo) -> bool:
    """Record how like its frames a trial is, if less of it was looked at before; whether that is so.

    What it is chosen by stays once it is known: others were looked at in as many steps.
    """
    mine = _of(project_id, output_id), TrialRow.coded_key == pixels
    row = session.scalar(select(TrialRow).where(*mine))
    if row is None or (row.likeness is not None and row.likeness["steps"] >= len(found.steps)):
        return False
    row.error = found.error if row.error is None else row.error
    row.likeness = {
        "steps": len(found.steps),
        "likeness": found.whole.model_dump(),
        "stands_out": None if found.stands_out is None else found.stands_out.model_dump(),
    }
    return True


def _of(project_id: str, output_id: str) -> ColumnElement[bool]:
    return (TrialRow.project_id == project_id) & (TrialRow.output_id == output_id)


def _shown(row: TrialRow) -> TrialInfo:
    info = json.loads(row.document)["info"]
    known = row.likeness or {"likeness": None, "stands_out": None}
    return TrialInfo(
        id=row.id,
        output_id=row.output_id,
        number=row.number,
        pixels=row.coded_key,
        sources=row.sources,
        format=info["format"],
        width=info["width"],
        height=info["height"],
        count=info["count"],
        bytes=row.bytes,
        error=row.error,
        likeness=known["likeness"] and Figures.model_validate(known["likeness"]),
        stands_out=known["stands_out"] and StandsOut.model_validate(known["stands_out"]),
        output=row.output,
        name=row.name,
        note=row.note,
        created=row.created,
    )


def _file(row: TrialRow) -> TrialFile:
    document = json.loads(row.document)
    return TrialFile(
        id=row.id,
        key=cache_key("trial", 1, row.id, row.coded_key, row.document),
        pixels=row.coded_key,
        **{name: document[name] for name in ("sources", "info", "delays", "at")},
    )
