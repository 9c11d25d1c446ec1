"""The HTTP interface: routes, errors and the built web client."""

import asyncio
import errno
import logging
import re
import threading
from collections.abc import AsyncIterator, Iterator
from contextlib import asynccontextmanager
from io import BytesIO
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Depends, FastAPI, Path, Query, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, StreamingResponse
from PIL import Image
from sqlalchemy import select
from sqlalchemy.exc import OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import UploadFile
from starlette.exceptions import HTTPException
from starlette.types import Message, Receive

from .. import __version__
from ..core.errors import InputError, JayFlickError
from ..core.gif.reader import read_gif
from ..core.gif.retime import retime
from ..core.pictures.clip import Cut
from ..core.pictures.header import MAX_PIXELS
from ..core.recipe import Recipe
from ..core.render import Framed, render_at_once
from ..core.stages import Stages, stage_key
from ..core.timing.shots import Shot
from ..core.warm import warm
from . import exports, imports, prints, projects, rhythms
from .database import make_engine, make_sessions
from .decoding import Decoders
from .events import Hub
from .frames import FrameLists
from .guard import Guard
from .intake import Intake
from .jobs import JobRunner
from .leftovers import clear
from .models import Result, Revision
from .projects import Conflict, NotFound
from .schemas import (
    Choice,
    Edit,
    FileTaken,
    FrameSetInfo,
    Health,
    ImportDone,
    ImportReport,
    ImportStarted,
    Join,
    Limits,
    PlanInfo,
    PlanWish,
    Problem,
    ProjectCard,
    ProjectInfo,
    Rename,
    Renew,
    Renewed,
    Report,
    SeamInfo,
    Split,
    TakeClip,
)
from .settings import Settings
from .store import Store
from .worker import Place, disk_problem, keep_result, problem_of

log = logging.getLogger(__name__)

FOR_EVER = "private, max-age=31536000, immutable"
"""For addresses whose content can never change: they name a result or a revision."""

router = APIRouter(prefix="/api")

ProjectId = Annotated[str, Path(pattern="^[0-9a-f]{32}$")]
Sha256 = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]
PNG = {"content": {"image/png": {"schema": {"type": "string", "format": "binary"}}}}
WEBP = {"content": {"image/webp": {"schema": {"type": "string", "format": "binary"}}}}
GIF = {"content": {"image/gif": {"schema": {"type": "string", "format": "binary"}}}}
ZIP = {"content": {"application/zip": {"schema": {"type": "string", "format": "binary"}}}}


class Service:
    """The parts one running server shares."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.engine = make_engine(settings.database)
        self.sessions = make_sessions(self.engine)
        self.store = Store(settings.store)
        self.stages = Stages(settings.stages)
        self.hub = Hub()
        self.frames = FrameLists(self.store)
        place = Place(settings.database, settings.store.resolve(), settings.stages.resolve())
        self.jobs = JobRunner(self.sessions, place, self.hub, settings.workers)
        self.decoders = Decoders(settings.decoders, settings.decode_bytes, settings.decode_seconds)

    def make_at_once(self, session: Session, revision: Revision, recipe: Recipe, output_id: str) -> None:
        """Make an output here and now if all its pictures are coded already, as after a change of time."""
        frames = self.frames.of(session, revision.project_id, revision.frame_set).frames
        rendered = render_at_once(recipe, frames, output_id, self.stages)
        if rendered is not None:
            alike = select(Result.sha256).where(
                Result.project_id == revision.project_id, Result.pixels == rendered.pixels
            )
            sha256 = session.scalar(alike.limit(1)) or self.store.put(rendered.untimed)
            keep_result(session, revision.project_id, revision.id, output_id, rendered, sha256)

    def changed(self, project_id: str) -> None:
        """After a commit: let the runner and all windows know."""
        self.jobs.wake()
        self.hub.tell("project", project_id=project_id)


def _service(request: Request) -> Service:
    service: Service = request.app.state.service
    return service


def _session(request: Request) -> Iterator[Session]:
    with _service(request).sessions() as session:
        yield session


Parts = Annotated[Service, Depends(_service)]
Reading = Annotated[Session, Depends(_session)]


@router.get("/health", tags=["server"])
def get_health(session: Reading) -> Health:
    """Whether the server and its database answer."""
    session.connection()
    return Health(ready=True, version=__version__)


@router.get("/limits", tags=["server"])
def get_limits(service: Parts) -> Limits:
    """What one import may bring."""
    settings = service.settings
    return Limits(
        most_files=settings.most_files,
        most_file_bytes=settings.most_file_bytes,
        most_import_bytes=settings.most_import_bytes,
        most_frame_pixels=MAX_PIXELS,
    )


@router.get("/events", tags=["server"], response_class=EventSourceResponse)
async def get_events(service: Parts) -> EventSourceResponse:
    """Server-sent events: JSON with a ``kind``: ``job`` (a JobInfo), ``project``, ``shelf`` or ``import``."""

    async def stream() -> AsyncIterator[ServerSentEvent]:
        yield ServerSentEvent('{"kind": "hello"}')
        async for text in service.hub.listen():
            yield ServerSentEvent(text)

    return EventSourceResponse(stream(), ping=5)


# imports


@router.post("/imports", status_code=201, tags=["imports"])
def begin_import(service: Parts) -> ImportStarted:
    """Open an import. Send its files in any number of requests, then finish it."""
    with service.sessions.begin() as session:
        return ImportStarted(id=imports.begin(session))


@router.post(
    "/imports/{import_id}/files",
    tags=["imports"],
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {
                "multipart/form-data": {
                    "schema": {
                        "type": "object",
                        "required": ["files"],
                        "properties": {
                            "files": {"type": "array", "items": {"type": "string", "format": "binary"}},
                            "written": {
                                "type": "array",
                                "items": {"type": "integer"},
                                "description": "When each was last written, in ms since 1970",
                            },
                        },
                    }
                }
            },
        }
    },
)
async def add_files(
    import_id: ProjectId,
    request: Request,
    service: Parts,
    hold_clips: Annotated[bool, Query(description="Clips wait until it is said what is taken of them")] = False,
) -> list[FileTaken]:
    """Send frames, clips or archives. Each is read whole and kept before the answer; a bad one stops no other.

    A file's name may have folders: ``walk/0001.png``.
    """
    settings = service.settings
    length = request.headers.get("content-length")
    if length is not None and int(length) > settings.most_import_bytes:
        raise _too_large(settings)
    intake = await run_in_threadpool(Intake, service, import_id)
    counted = Request(request.scope, _counting(request.receive, settings))
    try:
        async with counted.form(max_files=settings.most_files, max_fields=settings.most_files) as form:
            uploads = [part for part in form.getlist("files") if isinstance(part, UploadFile)]
            written = _moments(form.getlist("written"), len(uploads))
            taken = [
                await run_in_threadpool(intake.take, upload, moment, hold_clips=hold_clips)
                for upload, moment in zip(uploads, written, strict=True)
            ]
    except HTTPException as error:  # what the parser found wrong with the form
        remedy = f"bring at most {settings.most_files} files at once, sent as multipart/form-data"
        raise InputError(error.detail, remedy=remedy) from error
    await run_in_threadpool(intake.keep)
    return taken


@router.get(
    "/imports/{import_id}/clips/{sha256}/frames/{number}",
    tags=["imports"],
    responses={200: WEBP},
    response_class=Response,
)
def get_clip_frame(
    import_id: ProjectId,
    sha256: Sha256,
    number: Annotated[int, Path(ge=1, le=1_000_000)],
    service: Parts,
) -> Response:
    """A frame of a clip that waits, from 1, at most 640 by 400 pixels."""
    with service.sessions() as session:
        name = imports.held_clip(session, import_id, sha256).name

    def make() -> bytes:
        return service.decoders.glimpse(service.store.read(sha256), name, number).picture

    data = service.stages.obtain("glimpse", stage_key("glimpse", 1, sha256, number), make)
    return Response(data, media_type="image/webp", headers={"cache-control": FOR_EVER})


@router.post("/imports/{import_id}/clips/{sha256}", tags=["imports"])
def take_clip(import_id: ProjectId, sha256: Sha256, wish: TakeClip, service: Parts) -> FileTaken:
    """Take frames of a clip that waits into the import; taken again, they replace those taken before."""
    with service.sessions.begin() as session:
        name = imports.held_clip(session, import_id, sha256).name
        imports.forget(session, import_id, f"{name}/")
    intake = Intake(service, import_id)
    cut = Cut(wish.first, wish.last, wish.step)
    taken = intake.take_clip(service.store.read(sha256), name, cut)
    intake.keep()
    return taken


def _moments(values: list[UploadFile | str], count: int) -> list[float | None]:
    """When each file was written, in seconds since 1970; unknown for all unless it is told for all."""
    texts = [value for value in values if isinstance(value, str) and re.fullmatch(r"[0-9]{1,16}", value)]
    return [int(text) / 1000 for text in texts] if len(texts) == len(values) == count else [None] * count


def _counting(receive: Receive, settings: Settings) -> Receive:
    """``receive`` that stops a body of undeclared length once it is longer than an import may be."""
    received = 0

    async def counted() -> Message:
        nonlocal received
        message = await receive()
        received += len(message.get("body", b""))
        if received > settings.most_import_bytes:
            raise _too_large(settings)
        return message

    return counted


def _too_large(settings: Settings) -> InputError:
    return InputError(
        f"one import takes {settings.most_import_bytes // 1048576} MB", remedy="bring the frames in parts"
    )


@router.get("/imports/{import_id}", tags=["imports"])
def get_import(import_id: ProjectId, session: Reading) -> ImportReport:
    """What came so far, sorted into sequences by name and number, and what is wrong with each."""
    sequences, ignored, _ = imports.look_through(session, import_id)
    reports = [Report.model_validate(sequence.document()) for sequence in sequences]
    project = imports.enclosed_name(session, import_id)
    return ImportReport(sequences=reports, ignored=_ignored(ignored), project=project)


def _ignored(items: list[dict[str, str]]) -> list[Problem]:
    return [Problem(kind="input", message=item["message"], file=item["file"]) for item in items]


@router.post("/imports/{import_id}/finish", tags=["imports"])
def finish_import(import_id: ProjectId, service: Parts, choice: Choice | None = None) -> ImportDone:
    """Make projects of what came: one of each sequence, unless a choice is made."""
    with service.sessions.begin() as session:
        made, ignored = imports.finish(session, import_id, choice)
        cards = [projects.card(session, project) for project in made]
    for made_card in cards:
        service.changed(made_card.id)
    return ImportDone(projects=cards, ignored=_ignored(ignored))


# projects


@router.get("/projects", tags=["projects"])
def list_projects(session: Reading) -> list[ProjectCard]:
    """The shelf: newest change first."""
    return projects.shelf(session)


@router.get("/projects/{project_id}", tags=["projects"], response_model=ProjectInfo)
def get_project(project_id: ProjectId, session: Reading, service: Parts) -> Response:
    """The bench of one project."""
    return _written(projects.bench(session, project_id, service.frames, service.settings.most_file_bytes))


@router.get("/projects/{project_id}/frames/{frame_set}", tags=["projects"], response_model=FrameSetInfo)
def get_frames(project_id: ProjectId, frame_set: int, session: Reading, service: Parts) -> Response:
    """One of a project's sets of frames, which never changes; frames brought in anew are another set."""
    return Response(
        projects.frame_set(session, project_id, frame_set, service.frames).model_dump_json(),
        media_type="application/json",
        headers={"cache-control": FOR_EVER},
    )


@router.get(
    "/projects/{project_id}/frames/{frame_set}/prints/{page}",
    tags=["pictures"],
    responses={200: WEBP},
    response_class=Response,
)
def get_prints(
    project_id: ProjectId,
    frame_set: int,
    page: Annotated[int, Path(ge=1, le=10_000)],
    service: Parts,
    session: Reading,
) -> Response:
    """A sheet of 6 by 6 small pictures of a set's frames in order, each in a room of 160 by 112 pixels."""
    data = prints.sheet(session, service.frames, service.stages, service.store, project_id, frame_set, page)
    return Response(data, media_type="image/webp", headers={"cache-control": FOR_EVER})


@router.put("/projects/{project_id}/recipe", tags=["projects"], response_model=ProjectInfo)
def edit_recipe(project_id: ProjectId, edit: Edit, service: Parts) -> Response:
    """Make a new revision and queue its outputs. 409 when ``base_revision`` is not the current one."""
    with service.sessions.begin() as session:
        projects.edit(
            session,
            project_id,
            edit.base_revision,
            edit.label,
            edit.recipe,
            edit.gesture,
            at_once=service.make_at_once,
        )
    return _shown(service, project_id)


@router.post("/projects/{project_id}/plan", tags=["projects"])
def plan_recipe(project_id: ProjectId, wish: PlanWish, session: Reading, service: Parts) -> PlanInfo:
    """What an output would play under a recipe, before it is made the project's own. Nothing is changed."""
    return rhythms.plan(session, service.frames, project_id, wish)


@router.get("/projects/{project_id}/seam", tags=["projects"])
def get_seam(
    project_id: ProjectId,
    service: Parts,
    session: Reading,
    least: Annotated[int, Query(ge=2, le=20_000, description="Frames a range must have")] = 8,
) -> SeamInfo:
    """How the project's frames close as a loop, and which ranges of them close best."""
    return rhythms.seam(session, service.stages, service.store, project_id, service.frames, least)


@router.post("/projects/{project_id}/undo", tags=["projects"], response_model=ProjectInfo)
def undo_edit(project_id: ProjectId, service: Parts) -> Response:
    """Go back to the revision before."""
    with service.sessions.begin() as session:
        projects.undo(session, project_id)
    return _shown(service, project_id)


@router.post("/projects/{project_id}/redo", tags=["projects"], response_model=ProjectInfo)
def redo_edit(project_id: ProjectId, service: Parts) -> Response:
    """Go forward to the revision that was undone."""
    with service.sessions.begin() as session:
        projects.redo(session, project_id)
    return _shown(service, project_id)


@router.post("/projects/{project_id}/retry", tags=["projects"], response_model=ProjectInfo)
def retry_outputs(project_id: ProjectId, service: Parts) -> Response:
    """Make the outputs that are missing again, after a failure or a cancel."""
    with service.sessions.begin() as session:
        projects.retry(session, project_id)
    return _shown(service, project_id, dated=False)


@router.patch("/projects/{project_id}", tags=["projects"], response_model=ProjectInfo)
def rename_project(project_id: ProjectId, change: Rename, service: Parts) -> Response:
    """Give a project another name."""
    with service.sessions.begin() as session:
        projects.rename(session, project_id, change.name)
    return _shown(service, project_id)


@router.delete("/projects/{project_id}", status_code=204, tags=["projects"])
def remove_project(project_id: ProjectId, service: Parts) -> None:
    """Take a project off the shelf. It can be put back."""
    with service.sessions.begin() as session:
        projects.remove(session, project_id)
    service.changed(project_id)


@router.post("/projects/{project_id}/split", status_code=201, tags=["projects"])
def split_project(project_id: ProjectId, wish: Split, service: Parts) -> ProjectCard:
    """Make another project of some of a project's frames. The project itself stays as it is."""
    with service.sessions.begin() as session:
        made = imports.split(session, project_id, wish.positions)
        shown = projects.card(session, made)
    service.changed(shown.id)
    return shown


@router.get(
    "/projects/{project_id}/archive",
    tags=["projects"],
    responses={200: ZIP},
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
        headers={"content-disposition": f'attachment; filename="{name}"', "cache-control": "no-store"},
    )


@router.post("/projects/{project_id}/renew", tags=["projects"])
def renew_project(project_id: ProjectId, wish: Renew, service: Parts) -> Renewed:
    """Lay the frames of an import over a project's.

    A frame that is there already, by its name, its content or its number, takes the place of the older one;
    others are added. Everything done so far stays, and undo leads back.
    """
    with service.sessions.begin() as session:
        done = imports.renew(session, project_id, wish.import_id, service.settings.most_files)
    service.changed(project_id)
    return done


@router.post("/projects/{project_id}/join", tags=["projects"], response_model=ProjectInfo)
def join_projects(project_id: ProjectId, wish: Join, service: Parts) -> Response:
    """Put another project's frames behind a project's own. The other stays as it is, and undo leads back."""
    with service.sessions.begin() as session:
        imports.join(session, project_id, wish.project_id, service.settings.most_files)
    return _shown(service, project_id)


@router.post("/projects/{project_id}/restore", tags=["projects"], response_model=ProjectInfo)
def restore_project(project_id: ProjectId, service: Parts) -> Response:
    """Put a removed project back."""
    with service.sessions.begin() as session:
        projects.restore(session, project_id)
    return _shown(service, project_id, dated=False)


def _shown(service: Service, project_id: str, *, dated: bool = True) -> Response:
    """A project after a change, told to all windows.

    A ``dated`` change is known by its revision and time, so that the window that made it need not ask again.
    """
    with service.sessions() as session:
        info = projects.bench(session, project_id, service.frames, service.settings.most_file_bytes)
    if info.jobs:
        service.jobs.wake()
    date = {"revision_id": info.revision.id, "changed": info.changed.isoformat()} if dated else {}
    service.hub.tell("project", project_id=project_id, **date)
    return _written(info)


def _written(info: ProjectInfo) -> Response:
    """A project as JSON, written at once: checking it a second time would cost as much as making it."""
    return Response(info.model_dump_json(), media_type="application/json")


@router.post("/jobs/{job_id}/cancel", status_code=204, tags=["jobs"])
def cancel_job(job_id: int, service: Parts) -> None:
    """Call a job off. What was there before stays."""
    with service.sessions.begin() as session:
        projects.cancel(session, job_id)
    service.hub.tell("shelf")


# pictures and files


@router.get(
    "/pictures/{sha256}/thumb",
    tags=["pictures"],
    responses={200: WEBP},
    response_class=Response,
)
def get_thumb(sha256: Sha256, service: Parts) -> Response:
    """A small picture of a source frame, at most 112 pixels high."""
    try:
        data = imports.thumb_of(service.stages, service.store, sha256)
    except FileNotFoundError:
        raise NotFound("there is no such picture") from None
    return Response(data, media_type="image/webp", headers={"cache-control": FOR_EVER})


@router.get(
    "/revisions/{revision_id}/outputs/{output_id}/source/{shot}",
    tags=["pictures"],
    responses={200: PNG},
    response_class=Response,
)
def get_source(revision_id: int, output_id: str, shot: str, service: Parts, session: Reading) -> Response:
    """What a step shows, framed as the output is, with every colour and soft edge it has.

    ``shot`` is a frame's position from 1, or a blend such as ``3x128+4x128``; ``0`` is an empty picture.
    """
    revision = session.get(Revision, revision_id)
    if revision is None:
        raise NotFound("there is no such revision")
    recipe = Recipe.model_validate(revision.recipe)
    frames = service.frames.of(session, revision.project_id, revision.frame_set).frames
    try:
        output = recipe.output(output_id)
    except KeyError:
        raise NotFound("there is no such output") from None
    try:
        wanted = Shot.parse(shot)
    except ValueError:
        raise NotFound("there is no such frame") from None
    if max(position for position, _ in wanted.parts) > len(frames):
        raise NotFound("there is no such frame")
    return _png(Framed(frames, recipe.framing, output.size, service.stages, recipe.gather).shot(wanted))


def _png(picture: Any) -> Response:
    out = BytesIO()
    Image.fromarray(picture).save(out, "PNG", compress_level=1)
    return Response(out.getvalue(), media_type="image/png", headers={"cache-control": FOR_EVER})


def _result(session: Session, result_id: int) -> Result:
    result = session.get(Result, result_id)
    if result is None:
        raise NotFound("there is no such result")
    return result


@router.get("/results/{result_id}/file", tags=["pictures"], responses={200: GIF}, response_class=Response)
def get_file(
    result_id: int,
    service: Parts,
    session: Reading,
    download: Annotated[bool, Query(description="Ask the browser to save it under its own name")] = False,
) -> Response:
    """The real bytes of an output."""
    result = _result(session, result_id)
    recipe = Recipe.model_validate(session.get_one(Revision, result.revision_id).recipe)
    shown = projects.result_document(result)
    delays = [delay // 10 for delay in shown.delays]
    data = retime(read_gif(service.store.read(result.sha256)), delays, shown.info.repeat)
    kind, name = "attachment" if download else "inline", recipe.output(result.output_id).file_name
    plain = quote(name) == name  # otherwise as RFC 6266, section 4.3, and RFC 8187 say
    named = f'filename="{name}"' if plain else f"filename*=utf-8''{quote(name)}"
    return Response(
        data,
        media_type="image/gif",
        headers={"content-disposition": f"{kind}; {named}", "cache-control": FOR_EVER},
    )


@router.get(
    "/results/{result_id}/frames/{index}", tags=["pictures"], responses={200: PNG}, response_class=Response
)
def get_played_frame(result_id: int, index: int, service: Parts, session: Reading) -> Response:
    """A frame of an output as it is seen, decoded from its bytes by our own reader (index from 0)."""
    result = _result(session, result_id)

    def key(number: int) -> str:
        return stage_key("played", 1, result.sha256, number)

    def make() -> bytes:
        gif = read_gif(service.store.read(result.sha256))
        wanted = b""
        for number, picture in enumerate(gif.pictures()):
            out = BytesIO()
            Image.fromarray(picture).save(out, "PNG", compress_level=1)
            if number == index:
                wanted = out.getvalue()
            else:  # a player asks for all of them; decoding from the start each time would be slow
                service.stages.obtain("played", key(number), out.getvalue)
        if not wanted:
            raise NotFound("there is no such frame")
        return wanted

    data = service.stages.obtain("played", key(index), make)
    return Response(data, media_type="image/png", headers={"cache-control": FOR_EVER})


@router.get("/{rest:path}", include_in_schema=False)
def no_such_route(rest: str) -> None:
    raise NotFound("there is nothing at this address")


# errors


def _problem(status: int, problem: dict[str, object]) -> JSONResponse:
    return JSONResponse({"file": None, "remedy": "", **problem}, status)


async def _on_known(request: Request, error: Exception) -> Response:
    assert isinstance(error, JayFlickError)
    status = 404 if isinstance(error, NotFound) else 409 if isinstance(error, Conflict) else 422
    return _problem(status, problem_of(error))


async def _on_invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
    message = str(first["msg"]).removeprefix("Value error, ")
    return _problem(422, {"kind": "invalid", "message": f"{where}: {message}" if where else message})


async def _on_http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    return _problem(error.status_code, {"kind": "http", "message": str(error.detail)})


async def _on_database(request: Request, error: Exception) -> Response:
    if isinstance(error, OperationalError):
        return _problem(
            503,
            {
                "kind": "database",
                "message": "the database does not answer, so this was not saved",
                "remedy": "it is being started again; try once more in a moment",
            },
        )
    log.exception("database fault", exc_info=error)
    return _problem(500, {"kind": "fault", "message": "an unexpected database fault; nothing was changed"})


async def _on_disk(request: Request, error: Exception) -> Response:
    assert isinstance(error, OSError)
    status = 507 if error.errno in (errno.ENOSPC, errno.EDQUOT) else 500
    return _problem(status, disk_problem(error))


def create_app(settings: Settings) -> FastAPI:
    """The whole service. Its job runner works while the application's lifespan lasts."""
    service = Service(settings)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        service.store.sweep()
        await run_in_threadpool(clear, service.sessions, service.store)
        service.hub.attach(asyncio.get_running_loop())
        await run_in_threadpool(service.stages.prune, settings.most_stage_bytes)
        service.jobs.start()
        service.decoders.start()
        # Loading compiled loops takes a second or two; the first edit should not have to wait for it.
        threading.Thread(target=warm, name="warm", daemon=True).start()
        yield
        service.hub.close()
        await run_in_threadpool(service.decoders.stop)
        await run_in_threadpool(service.jobs.stop)
        service.engine.dispose()

    app = FastAPI(
        title="Jay Flick",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        generate_unique_id_function=lambda route: route.name,
        responses={
            404: {"model": Problem},
            409: {"model": Problem},
            422: {"model": Problem},
            503: {"model": Problem},
            507: {"model": Problem},
        },
    )
    app.state.service = service
    app.include_router(router)
    app.add_middleware(Guard)
    for kind, handler in (
        (JayFlickError, _on_known),
        (RequestValidationError, _on_invalid),
        (HTTPException, _on_http),
        (SQLAlchemyError, _on_database),
        (OSError, _on_disk),
    ):
        app.add_exception_handler(kind, handler)
    _serve_client(app, settings)
    return app


def _serve_client(app: FastAPI, settings: Settings) -> None:
    """The built client's files; every other address is the client's own to interpret."""
    root = settings.web.resolve()

    @app.get("/{path:path}", include_in_schema=False)
    def client(path: str) -> Response:
        file = (root / path).resolve()
        if path and file.is_relative_to(root) and file.is_file():
            caching = FOR_EVER if path.startswith("assets/") else "no-cache"
            return FileResponse(file, headers={"cache-control": caching})
        index = root / "index.html"
        if not index.is_file():
            return JSONResponse({"kind": "http", "message": "the web client is not built"}, 404)
        return FileResponse(index, headers={"cache-control": "no-cache"})
