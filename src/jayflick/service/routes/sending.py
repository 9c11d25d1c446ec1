"""The stand-ins, and sending outputs to them or elsewhere."""

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response

from .. import broadcasts
from ..parts import Parts, ProjectId, Reading
from ..schemas.checks import BroadcastInfo
from ..schemas.sending import DeliveryInfo, SendRequest, StandInInfo

router = APIRouter(tags=["sending"])

DeliveryId = Annotated[str, Path(pattern="^[0-9a-f]{32}$")]


@router.get("/standins")
def list_standins(service: Parts) -> list[StandInInfo]:
    """The stand-ins and how they are; none if they were left out."""
    return service.standins.listed()


@router.get("/projects/{project_id}/broadcast")
def look_for_broadcast(
    project_id: ProjectId,
    service: Parts,
    session: Reading,
    output: Annotated[str, Query(max_length=40, description="Its id; a numbered set")],
) -> BroadcastInfo:
    """What a live show needs to know of a numbered set, and what would help; looks at its pictures."""
    return broadcasts.look(session, service.frames, service.stages, project_id, output)


@router.post("/projects/{project_id}/deliveries", status_code=202)
def send_output(project_id: ProjectId, request: SendRequest, service: Parts) -> DeliveryInfo:
    """Begin to send an output as it is now."""
    return service.deliveries.send(project_id, request)


@router.get("/projects/{project_id}/deliveries/{number}")
def get_delivery(project_id: ProjectId, number: DeliveryId, service: Parts) -> DeliveryInfo:
    """How far a delivery is, or what was answered."""
    return service.deliveries.show(project_id, number)


@router.delete("/projects/{project_id}/deliveries/{number}", status_code=204)
def cancel_delivery(project_id: ProjectId, number: DeliveryId, service: Parts) -> Response:
    """Call a delivery off; nothing of it stays there."""
    service.deliveries.cancel(project_id, number)
    return Response(status_code=204)
