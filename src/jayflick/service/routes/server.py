"""The server itself: whether it is well, what it takes, what happens."""

import json
from collections.abc import AsyncIterator

from fastapi import APIRouter
from sse_starlette import EventSourceResponse, ServerSentEvent

from ... import __version__
from ...core.pictures.header import MOST_FRAME_PIXELS
from ...core.store import folder_bytes
from ..parts import Parts, Reading
from ..schemas.server import Health, Limits, Storage

router = APIRouter(tags=["server"])


@router.get("/health")
def get_health(session: Reading, service: Parts) -> Health:
    """Whether the server and its database answer."""
    session.connection()
    return Health(ready=True, version=__version__, demo_waiting=service.demo.waiting)


@router.get("/limits")
def get_limits(service: Parts) -> Limits:
    """What one import may bring."""
    settings = service.settings
    return Limits(
        most_files=settings.most_files,
        most_file_bytes=settings.most_file_bytes,
        most_import_bytes=settings.most_import_bytes,
        most_frame_pixels=MOST_FRAME_PIXELS,
        handoff_folder=settings.handoff.name if settings.handoff is not None else None,
    )


@router.get("/storage")
def get_storage(service: Parts) -> Storage:
    """How much is stored."""
    return Storage(
        bytes=folder_bytes(service.store.folder),
        scratch_bytes=folder_bytes(service.stages.folder),
        most_scratch_bytes=service.settings.most_stage_bytes,
    )


@router.get(
    "/events",
    responses={200: {"content": {"text/event-stream": {"schema": {"type": "string"}}}}},
    response_class=EventSourceResponse,
)
async def get_events(service: Parts) -> EventSourceResponse:
    """Server-sent events: JSON with a ``kind``: ``job`` (a JobInfo), ``project``, ``shelf``,
    ``import`` or ``source``.

    The first is ``hello``, with a fingerprint of the web client that belongs to this service.
    """

    async def stream() -> AsyncIterator[ServerSentEvent]:
        yield ServerSentEvent(json.dumps({"kind": "hello", "client": service.client}))
        async for text in service.hub.listen():
            yield ServerSentEvent(text)

    return EventSourceResponse(stream(), ping=5)
