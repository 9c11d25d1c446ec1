"""What one running server shares, and how a route asks for it."""

from collections.abc import Iterator
from typing import Annotated, Any

from fastapi import Depends, Path, Request, Response
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.recipe import Recipe
from ..core.render import render_at_once
from ..core.stages import Stages
from .database import make_engine, make_sessions
from .decoding import Decoders
from .events import Hub
from .frames import FrameLists
from .jobs import JobRunner
from .models import Result, Revision
from .settings import Settings
from .store import Store
from .worker import Place, keep_result

FOR_EVER = "private, max-age=31536000, immutable"
"""For addresses whose content can never change: they name a result, a revision or a content."""


def answers(media_type: str) -> dict[int | str, dict[str, Any]]:
    """For the API's document: the route answers with a file of this type."""
    return {200: {"content": {media_type: {"schema": {"type": "string", "format": "binary"}}}}}


def lasting(data: bytes | str, media_type: str, **headers: str) -> Response:
    """An answer that the browser may keep: whatever its address names never changes."""
    return Response(data, media_type=media_type, headers={**headers, "cache-control": FOR_EVER})


PNG, WEBP = answers("image/png"), answers("image/webp")


class Service:
    """The parts one running server shares."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.engine = make_engine(settings.database)
        self.sessions = make_sessions(self.engine)
        self.store = Store(settings.store)
        self.stages = Stages(settings.stages)
        self.hub = Hub()
        self.frames = FrameLists(self.store)
        place = Place(settings.database, settings.store.resolve(), settings.stages.resolve())
        self.jobs = JobRunner(self.sessions, place, self.hub, settings.workers)
        self.decoders = Decoders(settings.decoders, settings.decode_bytes, settings.decode_seconds)

    def make_at_once(self, session: Session, revision: Revision, recipe: Recipe, output_id: str) -> None:
        """Make an output here and now if all its pictures are coded already, as after a change of time."""
        frames = self.frames.of(session, revision.project_id, revision.frame_set).frames
        rendered = render_at_once(recipe, frames, output_id, self.stages)
        if rendered is not None:
            alike = select(Result.sha256).where(
                Result.project_id == revision.project_id, Result.pixels == rendered.pixels
            )
            sha256 = session.scalar(alike.limit(1)) or self.store.put(rendered.untimed)
            keep_result(session, revision.project_id, revision.id, output_id, rendered, sha256)

    def changed(self, project_id: str) -> None:
        """After a commit: let the runner and all windows know."""
        self.jobs.wake()
        self.hub.tell("project", project_id=project_id)


def _service(request: Request) -> Service:
    service: Service = request.app.state.service
    return service


def _session(request: Request) -> Iterator[Session]:
    with _service(request).sessions() as session:
        yield session


Parts = Annotated[Service, Depends(_service)]
Reading = Annotated[Session, Depends(_session)]

ProjectId = Annotated[str, Path(pattern="^[0-9a-f]{32}$")]
ImportId = Annotated[str, Path(pattern="^[0-9a-f]{32}$")]
Sha256 = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]
