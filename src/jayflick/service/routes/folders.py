"""Folders of this machine: opened in place, and followed while frames are rendered into them."""

from dataclasses import asdict
from datetime import timedelta
from typing import Annotated

from anyio import to_thread
from fastapi import APIRouter, Depends, Query, Request
from starlette.concurrency import run_in_threadpool

from ...core.text import clean
from .. import folders, in_place, sources
from ..following import Following
from ..intake import Intake
from ..models import now
from ..parts import ImportId, Parts, ProjectId, Service
from ..schemas.document import Problem
from ..schemas.folders import (
    FolderInfo,
    OpenedInPlace,
    OpenInPlace,
    SourceChange,
    SourceInfo,
    SourceMatch,
)
from ..schemas.projects import Renewed
from .imports import turn, while_there

router = APIRouter(tags=["folders"])

STALLED = timedelta(minutes=1)
"""The least time without a frame after which a render may have stopped."""
PAUSES = 3
"""Times the longest pause between two frames so far, after which it may have as well."""


def _following(request: Request) -> Following:
    following: Following = request.app.state.following
    return following


Watching = Annotated[Following, Depends(_following)]
RootName = Annotated[str, Query(max_length=4096, description="The name of a folder that may be read")]
FolderPath = Annotated[str, Query(max_length=4096, description="A folder in it, with / between names")]


@router.get("/folders")
def list_folders(service: Parts) -> list[str]:
    """The folders of this machine that may be read, by name. The start command names them; by default none."""
    return [root.name for root in service.folders.roots]


@router.get("/folders/listing")
def list_folder(service: Parts, root: RootName, path: FolderPath = "") -> FolderInfo:
    """What is in a folder, its sequences as their names tell them."""
    return service.listings.of(service.folders.root(root), path)


@router.post("/imports/{import_id}/folder")
async def open_in_place(
    import_id: ImportId,
    choice: OpenInPlace,
    request: Request,
    service: Parts,
    hold_clips: Annotated[bool, Query(description="Clips wait until it is said what is taken of them")] = False,
    patient: Annotated[bool, Query(description="A file may take six times as long to read as usual")] = False,
) -> OpenedInPlace:
    """Read files into an import where they lie. The projects made of them know where that is."""
    root = service.folders.root(choice.root)
    intake = await run_in_threadpool(Intake, service, import_id)
    places = await run_in_threadpool(folders.chosen, root, choice, service.settings.most_files)

    def told(done: int, picture: str | None) -> None:
        service.hub.tell("import", import_id=import_id, done=done, total=len(places), picture=picture)

    def take() -> OpenedInPlace:
        taken, _ = in_place.take(intake, root, places, told, hold_clips=hold_clips, patient=patient)
        folder = clean(places[0].folder.rstrip("/").rpartition("/")[2])
        return OpenedInPlace(folder=folder, files=taken)

    async with turn(service), while_there(request, intake.wanted):
        return await to_thread.run_sync(take, limiter=service.readers)


@router.get("/projects/{project_id}/folder")
def get_project_folder(project_id: ProjectId, service: Parts, following: Watching) -> SourceInfo | None:
    """Where a project's frames lie, and what differs there; nothing when they were not opened in place."""
    with service.sessions() as session:
        found = sources.look(session, service.folders, project_id)
    return _told(service, following, found) if found is not None else None


def _told(service: Service, following: Following, found: sources.Look) -> SourceInfo:
    source, standing = found.source, following.standing(found.source.project_id)
    difference = found.difference
    wanted = {source.prefix + clean(path) for path in difference.wanted}
    still = now() - source.arrived
    return SourceInfo(
        folder=service.folders.shown(source.folder),
        state="apart" if found.state == "here" and found.apart else found.state,
        follows=source.follows,
        count=len(found.there),
        newer=len(difference.newer) if found.state == "here" else 0,
        added=len(difference.added) if found.state == "here" else 0,
        lacking=len(difference.gone) if found.state == "here" else 0,
        waiting=[name for name in standing.waiting if name in wanted],
        unusable=[
            Problem(kind="input", message=one.message, file=clean(path))
            for path, one in found.seen.items()
            if one.message and path in found.there and one.is_still(found.there[path])
        ],
        busy=standing.busy,
        problem=standing.problem,
        arrived=source.arrived,
        stalled=still > max(STALLED, timedelta(seconds=PAUSES * source.pause)),
    )


@router.put("/projects/{project_id}/folder")
def change_project_folder(
    project_id: ProjectId, change: SourceChange, service: Parts, following: Watching
) -> SourceInfo | None:
    """Say whether frames are taken in as they come, and where they lie if that is elsewhere now."""
    if change.folder is not None:
        sources.move(service, project_id, service.folders.root(change.folder.root), change.folder.path)
    service.transact(sources.follow, project_id, follows=change.follows)
    following.look_again()
    service.hub.tell("source", project_id=project_id)
    return get_project_folder(project_id, service, following)


@router.get("/projects/{project_id}/folder/elsewhere")
def compare_folder(project_id: ProjectId, service: Parts, root: RootName, path: FolderPath = "") -> SourceMatch:
    """How the frames in another folder compare with a project's, before it is said that they are these."""
    found = sources.compare(service, project_id, service.folders.root(root), path)
    return SourceMatch(folder=service.folders.shown(found.folder), **asdict(found.match))


@router.post("/projects/{project_id}/folder/renew")
def renew_from_folder(project_id: ProjectId, following: Watching) -> Renewed | None:
    """Take in what differs in the folder, as other frames are laid over a project's. Nothing if none does."""
    return following.take_in(project_id)
