"""Many projects as one table, and what is done to many at once."""

from typing import Annotated

from fastapi import APIRouter, Depends, Request, Response
from fastapi.responses import StreamingResponse

from .. import batches, many_handoffs, tables
from ..batching import Batching
from ..parts import Number, Parts, Reading, Service, answers, disposition
from ..schemas.batches import BatchInfo, BatchOutlook, BatchRequest, TableRequest, TableRow

router = APIRouter(tags=["many"])


def _batching(request: Request) -> Batching:
    batching: Batching = request.app.state.batching
    return batching


Runner = Annotated[Batching, Depends(_batching)]


def _told(service: Service, runner: Batching, batch_id: int) -> BatchInfo:
    """A batch as it is, told to all windows and to what carries it out."""
    runner.wake()
    service.hub.tell("batch", id=batch_id)
    with service.sessions() as session:
        return batches.info(session, batch_id)


@router.post("/table")
def get_table(request: TableRequest, session: Reading) -> list[TableRow]:
    """Projects with what is known of every output, by name. Nothing is changed."""
    return tables.table(session, request.projects)


@router.get("/batches")
def list_batches(session: Reading) -> list[BatchInfo]:
    """What was asked for of many projects: what is under way, and the newest others."""
    return batches.shown(session)


@router.post("/batches/look")
def look_at_batch(request: BatchRequest, session: Reading, service: Parts) -> BatchOutlook:
    """What an action would do to each project, and what its frames do not allow. Nothing is changed."""
    return batches.look(session, service.frames, request)


@router.post("/batches", status_code=202)
def begin_batch(request: BatchRequest, service: Parts, runner: Runner) -> BatchInfo:
    """Begin to do something to many projects, or to some outputs of each. It goes on after a restart."""
    return _told(service, runner, service.transact(batches.ask, request))


@router.post("/batches/{batch_id}/undo", status_code=202)
def undo_batch(batch_id: Number, service: Parts, runner: Runner) -> BatchInfo:
    """Begin to take back all that one did; a project that was changed since stays as it is, which is said."""
    return _told(service, runner, service.transact(batches.undo, batch_id))


@router.post("/batches/{batch_id}/retry", status_code=202)
def retry_batch(batch_id: Number, service: Parts, runner: Runner) -> BatchInfo:
    """Try again what failed, or was called off."""
    service.transact(batches.retry, batch_id)
    return _told(service, runner, batch_id)


@router.post("/batches/{batch_id}/cancel")
def cancel_batch(batch_id: Number, service: Parts, runner: Runner) -> BatchInfo:
    """Call off what is left. What is done stays."""
    runner.cancel(batch_id)
    return _told(service, runner, batch_id)


@router.get("/batches/{batch_id}/zip", responses=answers("application/zip"), response_class=StreamingResponse)
def get_batch_zip(batch_id: Number, service: Parts, session: Reading) -> Response:
    """All that a batch handed off, as one zip."""
    name, data = many_handoffs.as_zip(session, service.store, batch_id)
    headers = {"content-disposition": disposition("attachment", name), "cache-control": "no-store"}
    return StreamingResponse(data, media_type="application/zip", headers=headers)
