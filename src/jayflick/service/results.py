"""The results of outputs: made at once where no pixel need be touched, recorded, shown."""

import json
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Row, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.recipe import Recipe
from ..core.render import Pending, Rendered, pending, render_at_once
from ..core.stages import Stages, cache_key
from .frames import FrameLists
from .models import Result, Revision, now
from .schemas import ResultInfo
from .store import Store


@dataclass(frozen=True)
class Results:
    """Where results are made of, and kept."""

    store: Store
    stages: Stages
    frames: FrameLists

    def prepare(self, session: Session, revision: Revision, recipe: Recipe, output_id: str) -> Pending | None:
        """Make an output within the transaction if its pictures are coded already, as after a change of time.

        Returns ``None`` if so, otherwise what is to be made. Raises ``InputError`` when nothing could be.
        """
        frames = self.frames.of(session, revision.project_id, revision.frame_set).frames
        rendered = render_at_once(recipe, frames, output_id, self.stages)
        if rendered is None:
            return pending(recipe, frames, output_id, self.stages)
        alike = select(Result.sha256).where(
            Result.project_id == revision.project_id, Result.pixels == rendered.pixels
        )
        known = session.scalar(alike.limit(1))
        sha256 = known if known and self.store.keep(known) else self.store.put(rendered.untimed)
        keep_result(session, revision.project_id, revision.id, output_id, rendered, sha256)
        return None


def keep_result(
    session: Session, project_id: str, revision_id: int, output_id: str, rendered: Rendered, sha256: str
) -> None:
    """Record a result; doing it twice changes nothing."""
    document = {
        "info": rendered.info,
        "delays": [delay * 10 for delay in rendered.delays],
        "costs": rendered.costs,
        "positions": rendered.plan.positions,
        "blends": {index: str(shot) for index, shot in enumerate(rendered.plan.shots) if len(shot.parts) > 1},
        "places": rendered.plan.places,
        "dropped": rendered.plan.dropped,
        "scale": rendered.plan.scale,
        "durations": rendered.plan.durations,
        "sources": rendered.sources,
        "notes": rendered.notes,
        "seconds": {stage: round(seconds, 4) for stage, seconds in rendered.seconds.items()},
    }
    values = {
        "project_id": project_id,
        "revision_id": revision_id,
        "output_id": output_id,
        "sha256": sha256,
        "pixels": rendered.pixels,
        "document": json.dumps(document, separators=(",", ":")),
        "created": now(),
    }
    session.execute(insert(Result).values(**values).on_duplicate_key_update(sha256=sha256))


RESULT_COLUMNS = (
    Result.id,
    Result.project_id,
    Result.output_id,
    Result.revision_id,
    Result.sha256,
    Result.pixels,
    Result.created,
    Result.document,
)
"""What is shown of a result."""


def result_document(result: Result | Row[Any]) -> ResultInfo:
    """A result as the interface shows it."""
    facts = {
        "id": result.id,
        "output_id": result.output_id,
        "revision_id": result.revision_id,
        "sha256": result.sha256,
        "pixels": result.pixels,
        "created": result.created.isoformat(),
    }
    document = result.document if '"delays"' in result.document else _as_now(result.document)
    facts["key"] = cache_key("file", 1, result.id, result.sha256, document)
    # One document of both, read at once: it may tell of thousands of frames.
    return ResultInfo.model_validate_json(f"{json.dumps(facts)[:-1]},{document[1:]}")


def _as_now(document: str) -> str:
    """A result's document as versions before this one wrote it, in the form it has now."""
    old = json.loads(document)
    frames = old["info"].pop("frames")
    shots = old.pop("shots", [str(position) for position in old["positions"]])
    new = {
        "delays": [frame["delay_ms"] for frame in frames],
        "costs": [frame["bytes"] for frame in frames],
        "blends": {index: shot for index, shot in enumerate(shots) if "x" in shot},
    }
    # The first of them knew only whole frames in their own order.
    return json.dumps({"places": old["positions"], "dropped": [], "scale": 1.0, **old, **new})
