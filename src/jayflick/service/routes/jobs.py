"""The work on outputs."""

from fastapi import APIRouter

from .. import projects
from ..parts import Number, Parts

router = APIRouter(prefix="/jobs", tags=["jobs"])


@router.post("/{job_id}/cancel", status_code=204)
def cancel_job(job_id: Number, service: Parts) -> None:
    """Call a job off. What was there before stays."""
    service.transact(projects.cancel, job_id)
    service.hub.tell("shelf")
