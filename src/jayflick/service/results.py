"""The results of outputs: made at once where no pixel need be touched, recorded, shown."""

import json
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Row, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.recipe import FramesOutput, Recipe
from ..core.render import Pending, Rendered, pending, render_at_once
from ..core.stages import Stages, cache_key
from ..core.store import Store
from .coded import OutputFiles, dumped, files_of, keep_coded, playing_of
from .errors import NotFound
from .frames import FrameLists
from .models import CodedPictures, Result, Revision, now
from .schemas.results import ResultInfo
from .trials import keep_trial


@dataclass(frozen=True)
class Results:
    """Where results are made of, and kept."""

    stages: Stages
    frames: FrameLists

    @property
    def store(self) -> Store:
        return self.stages.store

    def prepare(self, session: Session, revision: Revision, recipe: Recipe, output_id: str) -> Pending | None:
        """Make an output within the transaction if its pictures are coded already, as after a change of time.

        Returns ``None`` if so, otherwise what is to be made. Raises ``InputError`` when nothing could be.
        """
        frames = self.frames.of(session, revision.project_id, revision.frame_set).frames
        rendered = render_at_once(recipe, frames, output_id, self.stages)
        if rendered is None:
            return pending(recipe, frames, output_id, self.stages)
        keep_result(session, revision.project_id, revision.id, output_id, rendered)
        return None


def keep_result(
    session: Session, project_id: str, revision_id: int, output_id: str, rendered: Rendered
) -> None:
    """Record a result, which is a trial too; doing it twice changes nothing. The project is locked."""
    keep_coded(session, rendered.coded)
    plan = rendered.plan
    document = {
        **playing_of(rendered),
        "positions": plan.positions,
        "blends": {index: str(shot) for index, shot in enumerate(plan.shots) if len(shot.parts) > 1},
        "places": plan.places,
        "dropped": plan.dropped,
        "scale": plan.scale,
        "durations": plan.durations,
        "content": _content(rendered),
        "scaled_by": rendered.scaled_by,
        "notes": rendered.notes,
        "seconds": {stage: round(seconds, 4) for stage, seconds in rendered.seconds.items()},
    }
    values = {
        "project_id": project_id,
        "revision_id": revision_id,
        "output_id": output_id,
        "coded_key": rendered.coded.key,
        "document": dumped(document),
        "created": now(),
    }
    statement = insert(Result).values(**values)
    session.execute(statement.on_duplicate_key_update(coded_key=statement.inserted.coded_key))
    keep_trial(session, project_id, rendered)


def _content(rendered: Rendered) -> str:
    """Names all that leaves: what the files hold, what they are called, and what is said of them elsewhere."""
    held, said, output = rendered.held, rendered.timed.described, rendered.output
    names = [output.file_name, *(file.name for file in rendered.timed.files)]
    beside = (output.cut, output.place) if isinstance(output, FramesOutput) else ()
    time = str(held.unit), held.units, held.repeat
    return cache_key("content", 2, rendered.coded.key, *time, said, names, *beside)


def made(session: Session, store: Store, result_id: int, key: str | None) -> "MadeOutput":
    """A result by its number; ``NotFound`` when there is none, or its ``key`` says that another is meant."""
    row = session.execute(select(*RESULT_COLUMNS).where(Result.id == result_id)).first()
    if row is None:
        raise NotFound("there is no such result")
    info = result_document(row)
    if key not in (None, info.key):
        raise NotFound("there is no such result here")
    recipe = Recipe.model_validate(session.get_one(Revision, row.revision_id).recipe)
    output = recipe.output(row.output_id)
    return files_of(info, output, row.coded, json.loads(row.document)["held"], store)


MadeOutput = OutputFiles[ResultInfo]
"""A result, with its files."""

RESULT_COLUMNS = (
    Result.id,
    Result.project_id,
    Result.output_id,
    Result.revision_id,
    Result.coded_key,
    Result.created,
    Result.document,
    select(CodedPictures.document)
    .where(CodedPictures.key == Result.coded_key)
    .scalar_subquery()
    .label("coded"),
)
"""What is shown of a result."""


def result_document(result: Row[Any]) -> ResultInfo:
    """A result as the interface shows it."""
    document, coded = result.document, json.loads(result.coded)
    facts = {
        "id": result.id,
        "output_id": result.output_id,
        "revision_id": result.revision_id,
        "pixels": result.coded_key,
        "costs": coded["costs"],
        "key": cache_key("file", 2, result.id, result.coded_key, document),
        "created": result.created.isoformat(),
    }
    if '"at"' not in document:  # as it was recorded when every step was a picture of its own
        facts["at"] = coded["at"]
    # One document of both, read at once: it may tell of thousands of frames.
    return ResultInfo.model_validate_json(f"{json.dumps(facts)[:-1]},{document[1:]}")
