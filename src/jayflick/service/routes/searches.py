"""Trials of outputs, and searches that make them in the background."""

from typing import Annotated

from fastapi import APIRouter, Query

from .. import searches, trials
from ..parts import Number, Parts, ProjectId, Reading
from ..schemas.searches import SearchInfo, SearchRequest, TrialsInfo, TrialWords

router = APIRouter(prefix="/projects/{project_id}", tags=["trials"])


@router.get("/trials")
def get_trials(
    project_id: ProjectId,
    session: Reading,
    output: Annotated[str, Query(max_length=40, description="Its id")],
) -> TrialsInfo:
    """The trials of an output, the newest 200, and the newest search of each kind for some."""
    return searches.trials_of(session, project_id, output)


@router.patch("/trials/{trial_id}", status_code=204)
def describe_trial(project_id: ProjectId, trial_id: Number, words: TrialWords, service: Parts) -> None:
    """Give a trial a name or a note."""
    service.transact(trials.describe, project_id, trial_id, words)
    service.hub.tell("search", project_id=project_id)


@router.post("/searches", status_code=202)
def begin_search(project_id: ProjectId, request: SearchRequest, service: Parts) -> SearchInfo:
    """Begin to try others of an output, as it is now.

    One of the same output that is under way is called off.
    """
    service.transact(searches.ask, project_id, request)
    service.searches.wake()
    with service.sessions() as session:
        return searches.trials_of(session, project_id, request.output).searches[0]


@router.post("/searches/{search_id}/cancel", status_code=204)
def cancel_search(project_id: ProjectId, search_id: Number, service: Parts) -> None:
    """Call a search off. What it tried is kept."""
    service.transact(searches.cancel, project_id, search_id)
    service.hub.tell("search", project_id=project_id)
