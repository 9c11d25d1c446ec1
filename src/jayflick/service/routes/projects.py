"""Projects, their frames and their changes."""

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from fastapi.responses import StreamingResponse
from sqlalchemy.orm import Session

from ...core.sequence.views import Grid
from .. import carrying, cuts, exports, frame_sets, prints, projects, rhythms, sheets
from ..cards import card
from ..parts import WEBP, Number, Parts, ProjectId, Reading, Service, answers, disposition, lasting
from ..schemas.plans import PlanInfo, PlanRequest, SeamInfo, SettingsInfo, SettingsRequest, SheetInfo
from ..schemas.projects import (
    BinnedProject,
    Edit,
    FlightRequest,
    FrameSetInfo,
    Join,
    ProjectCard,
    ProjectInfo,
    Rename,
    Renew,
    Renewed,
    Split,
    Views,
)

Chosen = Annotated[str, Query(max_length=40, description="The output that is looked at, which is made first")]

router = APIRouter(prefix="/projects", tags=["projects"])


@router.get("", response_model=list[ProjectCard])
def list_projects(session: Reading, service: Parts) -> Response:
    """The shelf: newest change first."""
    return Response(service.shelf.document(session), media_type="application/json")


@router.get("/bin")
def list_bin(session: Reading) -> list[BinnedProject]:
    """Projects that were deleted and can be restored, the newest first."""
    return projects.binned(session)


@router.delete("/bin", status_code=204)
def empty_bin(service: Parts) -> None:
    """Delete for good what is in the bin."""
    while service.transact(projects.empty_bin):
        pass
    service.hub.tell("shelf")


@router.get("/{project_id}", response_model=ProjectInfo)
def get_project(project_id: ProjectId, session: Reading, service: Parts) -> Response:
    """The bench of one project."""
    return _written(projects.bench(session, project_id, service.frames, service.settings.most_file_bytes))


@router.get("/{project_id}/frames/{frame_set}", response_model=FrameSetInfo)
def get_frames(project_id: ProjectId, frame_set: Number, session: Reading, service: Parts) -> Response:
    """One of a project's sets of frames, which never changes; frames brought in anew are another set."""
    info = projects.frame_set(session, project_id, frame_set, service.frames)
    return lasting(info.model_dump_json(), "application/json")


@router.get(
    "/{project_id}/frames/{frame_set}/prints/{page}",
    responses=WEBP,
    response_class=Response,
)
def get_prints(
    project_id: ProjectId,
    frame_set: Number,
    page: Annotated[int, Path(ge=1, le=10_000)],
    service: Parts,
    session: Reading,
) -> Response:
    """A sheet of 6 by 6 small pictures of a set's frames in order, each in a room of 160 by 112 pixels."""
    data = prints.sheet(session, service.frames, service.stages, service.store, project_id, frame_set, page)
    return lasting(data, "image/webp")


@router.put("/{project_id}/recipe", response_model=ProjectInfo)
def edit_recipe(project_id: ProjectId, edit: Edit, service: Parts) -> Response:
    """Make a new revision and queue its outputs. 409 when ``base_revision`` is not the current one."""
    service.transact(
        projects.edit,
        project_id,
        edit.base_revision,
        edit.label,
        edit.recipe,
        service.results,
        edit.gesture,
        edit.chosen,
    )
    return _shown(service, project_id)


@router.post("/{project_id}/plan")
def plan_recipe(project_id: ProjectId, request: PlanRequest, session: Reading, service: Parts) -> PlanInfo:
    """What an output would play under a recipe, before it is made the project's own. Nothing is changed."""
    return rhythms.plan(session, service.frames, project_id, request)


@router.post("/{project_id}/settings")
def take_settings(
    project_id: ProjectId, request: SettingsRequest, session: Reading, service: Parts
) -> SettingsInfo:
    """What the project's recipe would be with the settings of another, and what its frames do not allow.

    Nothing is changed: the recipe can be made the project's own.
    """
    return carrying.settings_of(session, service.frames, project_id, request)


@router.post("/{project_id}/sheet")
def lay_sheet_out(project_id: ProjectId, request: PlanRequest, session: Reading, service: Parts) -> SheetInfo:
    """Where an output's pictures would lie on its sheets under a recipe, and what would make all of them fit.

    Nothing is changed, and no pixel touched.
    """
    return sheets.layout(session, service.stages, service.frames, project_id, request)


@router.get("/{project_id}/seam")
def get_seam(
    project_id: ProjectId,
    service: Parts,
    session: Reading,
    least: Annotated[int, Query(ge=2, le=20_000, description="Frames a range must have")] = 8,
) -> SeamInfo:
    """How the project's frames close as a loop, and which ranges of them close best."""
    return rhythms.seam(session, service.stages, service.store, project_id, service.frames, least)


@router.post("/{project_id}/undo", response_model=ProjectInfo)
def undo_edit(project_id: ProjectId, service: Parts, chosen: Chosen = "") -> Response:
    """Go back to the revision before."""
    service.transact(projects.undo, project_id, service.results, chosen)
    return _shown(service, project_id)


@router.post("/{project_id}/redo", response_model=ProjectInfo)
def redo_edit(project_id: ProjectId, service: Parts, chosen: Chosen = "") -> Response:
    """Go forward to the revision that was undone."""
    service.transact(projects.redo, project_id, service.results, chosen)
    return _shown(service, project_id)


@router.post("/{project_id}/retry", response_model=ProjectInfo)
def retry_outputs(project_id: ProjectId, service: Parts) -> Response:
    """Make the outputs that are missing again, after a failure or a cancel."""
    service.transact(projects.retry, project_id, service.results)
    return _shown(service, project_id, dated=False)


@router.patch("/{project_id}", response_model=ProjectInfo)
def rename_project(project_id: ProjectId, change: Rename, service: Parts) -> Response:
    """Give a project another name."""
    service.transact(projects.rename, project_id, change.name)
    return _shown(service, project_id)


@router.delete("/{project_id}", status_code=204)
def remove_project(project_id: ProjectId, service: Parts) -> None:
    """Put a project in the bin. It can be restored for 30 days."""
    service.transact(projects.remove, project_id)
    service.changed(project_id)


@router.post("/{project_id}/split", status_code=201)
def split_project(project_id: ProjectId, request: Split, service: Parts) -> list[ProjectCard]:
    """Make another project of some of a project's frames, or one of each. The project itself stays as it is."""

    def make(session: Session) -> list[ProjectCard]:
        separate = request.separate
        made = frame_sets.split(session, project_id, request.positions, service.results, separate=separate)
        return [card(session, project) for project in made]

    cards = service.transact(make)
    for made in cards:
        service.changed(made.id)
    return cards


@router.get(
    "/{project_id}/archive",
    responses=answers("application/zip"),
    response_class=StreamingResponse,
)
def get_archive(
    project_id: ProjectId,
    service: Parts,
    session: Reading,
    part: Annotated[int, Query(ge=1, le=10_000, description="From 1; a large project has several")] = 1,
) -> StreamingResponse:
    """The project as a zip: its recipe and its frames as they came. All parts brought in make it again."""
    name, data = exports.archive(session, service.store, project_id, part, service.settings.most_file_bytes)
    return StreamingResponse(
        data,
        media_type="application/zip",
        headers={"content-disposition": disposition("attachment", name), "cache-control": "no-store"},
    )


@router.post("/{project_id}/renew")
def renew_project(project_id: ProjectId, request: Renew, service: Parts) -> Renewed:
    """Lay the frames of an import over a project's.

    A frame that is there already, by its name, its content or its number, takes the place of the older one;
    others are added. Everything done so far stays, and undo leads back.
    """
    done = service.transact(
        frame_sets.renew, project_id, request.import_id, service.settings.most_files, service.results
    )
    service.changed(project_id)
    return done


@router.post("/{project_id}/join", response_model=ProjectInfo)
def join_projects(project_id: ProjectId, request: Join, service: Parts) -> Response:
    """Put another project's frames behind a project's own. The other stays as it is, and undo leads back."""
    service.transact(
        frame_sets.join, project_id, request.project_id, service.settings.most_files, service.results
    )
    return _shown(service, project_id)


@router.post("/{project_id}/views", response_model=ProjectInfo)
def cut_project(project_id: ProjectId, request: Views, service: Parts) -> Response:
    """Cut a project's pictures into the views on them, each a frame. Undo leads back to the pictures."""
    grid = Grid(request.across, request.down, request.gutter, request.order)
    cuts.cut_views(service, project_id, request.base_revision, grid)
    return _shown(service, project_id)


@router.post("/{project_id}/flight", response_model=ProjectInfo)
def fly_cut_out(project_id: ProjectId, request: FlightRequest, service: Parts) -> Response:
    """Make the frames of one cut-out that moves over a backdrop. Undo leads back to the pictures."""
    cuts.fly(service, project_id, request.base_revision, request.cut_out, request.backdrop, request.flight)
    return _shown(service, project_id)


@router.post("/{project_id}/restore", response_model=ProjectInfo)
def restore_project(project_id: ProjectId, service: Parts) -> Response:
    """Take a project out of the bin."""
    service.transact(projects.restore, project_id)
    return _shown(service, project_id, dated=False)


def _shown(service: Service, project_id: str, *, dated: bool = True) -> Response:
    """A project after a change, told to all windows.

    A ``dated`` change is known by its revision and time, so that the window that made it need not ask again.
    """
    with service.sessions() as session:
        info = projects.bench(session, project_id, service.frames, service.settings.most_file_bytes)
    if info.jobs:
        service.look_for_work()
    date = {"revision_id": info.revision.id, "changed": info.changed.isoformat()} if dated else {}
    service.hub.tell("project", project_id=project_id, **date)
    return _written(info)


def _written(info: ProjectInfo) -> Response:
    """A project as JSON, written at once: checking it a second time would cost as much as making it."""
    return Response(info.model_dump_json(), media_type="application/json")
