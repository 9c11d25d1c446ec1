"""The work on outputs."""

from functools import partial

from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse

from .. import projects
from ..growing import begun, follow
from ..parts import Number, Parts, answers

router = APIRouter(prefix="/jobs", tags=["jobs"])


@router.post("/{job_id}/cancel", status_code=204)
def cancel_job(job_id: Number, service: Parts) -> None:
    """Call a job off. What was there before stays."""
    service.transact(projects.cancel, job_id)
    service.hub.tell("shelf")


@router.get(
    "/{job_id}/coded",
    responses={**answers("image/gif"), 204: {"description": "It has nothing to show"}},
    response_class=Response,
)
def get_coded(job_id: Number, service: Parts) -> Response:
    """A GIF while it is coded: the frames that are there, then each as it comes, until the job ends.

    Each frame's delay is the number of steps that it shows, and one more; entries of its palette may yet move a
    little. Other formats have nothing to show.
    """
    file = begun(service.settings.growing, job_id)
    if file is None:
        return Response(status_code=204)
    coming = follow(file, partial(service.jobs.at_work, job_id))
    return StreamingResponse(coming, media_type="image/gif", headers={"cache-control": "no-store"})
