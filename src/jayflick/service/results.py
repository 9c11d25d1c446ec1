"""The results of outputs: made at once where no pixel need be touched, recorded, shown."""

import json
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, NamedTuple

from sqlalchemy import Row, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.formats.format import Coded, Timed
from ..core.formats.table import format_of
from ..core.recipe import FramesOutput, Output, Recipe
from ..core.render import Pending, Rendered, pending, render_at_once
from ..core.stages import Stages, cache_key
from ..core.store import Store
from ..core.timing.held import FormatTiming
from ..core.timing.listed import Listed
from .errors import NotFound
from .frames import FrameLists
from .models import CodedFile, CodedPictures, Result, Revision, now
from .schemas.results import ResultInfo


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
    """Record a result; doing it twice changes nothing."""
    _keep_coded(session, rendered.coded)
    plan, held = rendered.plan, rendered.held
    document = {
        "info": rendered.info,
        "held": {"unit": str(held.unit), "units": held.units, "repeat": held.repeat, **_listed(held)},
        "delays": [_whole(delay) for delay in held.milliseconds],
        "at": rendered.timed.at,
        "positions": plan.positions,
        "blends": {index: str(shot) for index, shot in enumerate(plan.shots) if len(shot.parts) > 1},
        "places": plan.places,
        "dropped": plan.dropped,
        "scale": plan.scale,
        "durations": plan.durations,
        "sources": rendered.sources,
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
        "document": json.dumps(document, separators=(",", ":")),
        "created": now(),
    }
    statement = insert(Result).values(**values)
    session.execute(statement.on_duplicate_key_update(coded_key=statement.inserted.coded_key))


def _listed(held: FormatTiming) -> dict[str, Any]:
    return {} if held.listed is None else {"listed": held.listed.dump()}


def _content(rendered: Rendered) -> str:
    """Names all that leaves: what the files hold, what they are called, and what is said of them elsewhere."""
    held, said, output = rendered.held, rendered.timed.described, rendered.output
    names = [output.file_name, *(file.name for file in rendered.timed.files)]
    beside = (output.cut, output.place) if isinstance(output, FramesOutput) else ()
    time = str(held.unit), held.units, held.repeat
    return cache_key("content", 2, rendered.coded.key, *time, said, names, *beside)


def _whole(delay: float) -> int | float:
    """Whole milliseconds as such, others to the millionth."""
    return int(delay) if delay == int(delay) else round(delay, 6)


def _keep_coded(session: Session, coded: Coded) -> None:
    """Record coded pictures and their files. The row stays locked until a result points at it."""
    statement = insert(CodedPictures).values(key=coded.key, document=coded.dump().decode(), created=now())
    session.execute(statement.on_duplicate_key_update(created=statement.inserted.created))
    there = session.scalar(select(CodedFile.number).where(CodedFile.coded_key == coded.key).limit(1))
    if there is None:
        files = [
            {"coded_key": coded.key, "number": number, "sha256": file.sha256, "bytes": file.size}
            for number, file in enumerate(coded.files)
        ]
        session.execute(insert(CodedFile).prefix_with("IGNORE").values(files))


class OutputFiles(NamedTuple):
    """A result, with what it takes to fetch its files."""

    info: ResultInfo
    output: Output
    coded: Coded
    timed: Timed


def made(session: Session, store: Store, result_id: int, key: str | None) -> OutputFiles:
    """A result by its number; ``NotFound`` when there is none, or its ``key`` says that another is meant."""
    row = session.execute(select(*RESULT_COLUMNS).where(Result.id == result_id)).first()
    if row is None:
        raise NotFound("there is no such result")
    info = result_document(row)
    if key not in (None, info.key):
        raise NotFound("there is no such result here")
    recipe = Recipe.model_validate(session.get_one(Revision, row.revision_id).recipe)
    output = recipe.output(row.output_id)
    coded = Coded.parse(row.coded.encode())
    time = json.loads(row.document)["held"]
    listed = Listed.parse(time["listed"]) if "listed" in time else None
    held = FormatTiming(output.format, time["units"], Fraction(time["unit"]), time["repeat"], listed=listed)
    return OutputFiles(info, output, coded, format_of(output).timed(coded, held, output, store))


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
