"""Searches for the truest file of an output that fits a budget."""

from typing import Annotated

from fastapi import APIRouter, Query

from .. import searches
from ..parts import Number, Parts, ProjectId, Reading
from ..schemas.searches import SearchInfo, SearchRequest

router = APIRouter(prefix="/projects/{project_id}/searches", tags=["searches"])


@router.post("", status_code=202)
def begin_search(project_id: ProjectId, request: SearchRequest, service: Parts) -> SearchInfo:
    """Begin to look for the truest file of an output, as it is now, that fits a budget.

    One of the same output that is under way is called off.
    """
    service.transact(searches.ask, project_id, request)
    service.searches.wake()
    with service.sessions() as session:
        found = searches.newest(session, project_id, request.output)
    assert found is not None, "it was asked for just now"
    return found


@router.get("")
def get_search(
    project_id: ProjectId,
    session: Reading,
    output: Annotated[str, Query(max_length=40, description="Its id")],
) -> SearchInfo | None:
    """The newest search of an output, with what it tried so far; null if there was none."""
    return searches.newest(session, project_id, output)


@router.post("/{search_id}/cancel", status_code=204)
def cancel_search(project_id: ProjectId, search_id: Number, service: Parts) -> None:
    """Call a search off. What it tried is kept."""
    service.transact(searches.cancel, project_id, search_id)
    service.hub.tell("search", project_id=project_id)
