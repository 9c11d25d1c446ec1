"""Targets, and handing outputs off."""

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from fastapi.responses import StreamingResponse
from sqlalchemy.orm import Session

from ...core.portable import portable, slug
from .. import handoffs, keeping, own_targets, projects
from ..cards import handed_off
from ..parts import Parts, ProjectId, Reading, answers, disposition
from ..schemas.checks import NewTarget, TargetInfo
from ..schemas.sending import HandoffDone, HandOffRequest, KeepRequest

router = APIRouter(tags=["targets"])

Name = Annotated[str, Path(pattern="^[a-z0-9-]{1,40}$")]


@router.get("/targets")
def list_targets(session: Reading) -> list[TargetInfo]:
    """Where outputs may go: the targets that ship, then those made here."""
    return own_targets.all_targets(session)


@router.post("/targets", status_code=201)
def add_target(request: NewTarget, service: Parts) -> list[TargetInfo]:
    """Keep a target of one's own, from its JSON document; one of the same name is replaced."""
    service.transact(own_targets.add, request.document, request.file)
    with service.sessions() as session:
        return own_targets.all_targets(session)


@router.delete("/targets/{name}", status_code=204)
def remove_target(name: Name, service: Parts) -> Response:
    """Forget a target of one's own."""
    service.transact(own_targets.remove, name)
    return Response(status_code=204)


@router.get(
    "/projects/{project_id}/handoff",
    responses=answers("application/zip"),
    response_class=StreamingResponse,
)
def get_handoff(
    project_id: ProjectId,
    service: Parts,
    session: Reading,
    output: Annotated[list[str] | None, Query(max_length=20, description="Ids; none: all outputs")] = None,
) -> StreamingResponse:
    """Current outputs in one zip, under the names they should have; a set in a folder of its own."""
    chosen = handoffs.outputs(session, service.store, project_id, output or [])
    project = projects.find(session, project_id)
    name = portable(f"{slug(project.name)[:100] or 'loop'}.zip")
    return StreamingResponse(
        handoffs.as_zip(chosen),
        media_type="application/zip",
        headers={
            "content-disposition": disposition("attachment", name),
            "cache-control": "no-store",
        },
    )


@router.put("/projects/{project_id}/outputs/{output_id}/kept", status_code=204)
def keep_output(
    project_id: ProjectId,
    output_id: Annotated[str, Path(max_length=40)],
    request: KeepRequest,
    service: Parts,
) -> None:
    """Have an output kept written in the hand-off folder, whenever it is new and passes; or not any more."""
    if service.settings.handoff is None:
        raise handoffs.no_folder()
    service.transact(keeping.keep, project_id, output_id, kept=request.kept)
    service.hub.tell("project", project_id=project_id)


@router.post("/projects/{project_id}/handoff")
def hand_off(project_id: ProjectId, request: HandOffRequest, service: Parts) -> HandoffDone:
    """Remember that outputs are handed off; ``to`` a folder of this machine they are written there now.

    409 when a file of that name is there already and is not to be replaced.
    """
    folder = service.settings.handoff
    if request.to == "folder" and folder is None:
        raise handoffs.no_folder()
    with service.sessions() as session:
        chosen = handoffs.outputs(session, service.store, project_id, request.outputs)
        name = handoffs.folder_name(session, project_id)
    rows = handoffs.described(chosen, project_id, request.to)
    placed = None
    if request.to == "folder" and folder is not None:
        placed = handoffs.into_folder(chosen, folder, name, rows, replace=request.replace)

    def remember(session: Session) -> None:
        projects.find(session, project_id)
        session.add_all(rows)

    service.transact(remember)
    if placed is not None:
        placed.done()
    service.hub.tell("project", project_id=project_id)
    with service.sessions() as session:
        return HandoffDone(folder=name if placed else None, handoffs=handed_off(session, project_id))
