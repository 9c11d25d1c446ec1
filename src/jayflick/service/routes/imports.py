"""Bringing files in."""

import asyncio
import re
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import partial
from typing import Annotated

from anyio import fail_after, to_thread
from fastapi import APIRouter, Path, Query, Request, Response
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData, UploadFile
from starlette.formparsers import MultiPartException
from starlette.types import Message, Receive

from ...core.errors import InputError
from ...core.pictures.clip import Cut
from ...core.stages import cache_key
from .. import frame_sets, imports
from ..bounds import UNBOUND, FormParser
from ..cards import card
from ..decoding import Wanted
from ..errors import Unavailable
from ..intake import Intake
from ..parts import WEBP, ImportId, Parts, Reading, Service, Sha256, lasting
from ..schemas.document import Problem
from ..schemas.imports import Choice, FileTaken, ImportReport, ImportStarted, SequenceFound, TakeClip
from ..schemas.plans import ProjectNotes
from ..schemas.projects import ImportDone
from ..settings import Settings

router = APIRouter(prefix="/imports", tags=["imports"])

LONGEST_WAIT = 20.0
"""Seconds that an upload waits for its turn."""
GLIMPSES = 12
"""Frames by which a sequence is shown before it is brought in."""


@router.post("", status_code=201)
def begin_import(service: Parts) -> ImportStarted:
    """Open an import. Send its files in any number of requests, then finish it."""
    return ImportStarted(id=service.transact(imports.begin))


@router.post(
    "/{import_id}/files",
    max_body_size=UNBOUND,
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
    import_id: ImportId,
    request: Request,
    service: Parts,
    hold_clips: Annotated[bool, Query(description="Clips wait until it is said what is taken of them")] = False,
    patient: Annotated[bool, Query(description="A file may take six times as long to read as usual")] = False,
) -> list[FileTaken]:
    """Send frames, clips or archives. Each is read whole and kept before the answer; a bad one stops no other.

    A file's name may have folders: ``walk/0001.png``.
    """
    settings = service.settings
    length = request.headers.get("content-length", "0")
    if length.isdecimal() and int(length) > settings.most_import_bytes:
        raise _too_large(settings)
    intake = await run_in_threadpool(Intake, service, import_id)
    async with turn(service), _form(request, settings) as form, while_there(request, intake.wanted):
        uploads = [part for part in form.getlist("files") if isinstance(part, UploadFile)]
        written = _moments(form.getlist("written"), len(uploads))
        taken = [
            # Waiting for a process to read them holds no thread that others need.
            await to_thread.run_sync(
                partial(intake.take, hold_clips=hold_clips, patient=patient), *each, limiter=service.readers
            )
            for each in zip(uploads, written, strict=True)
        ]
    await run_in_threadpool(intake.keep)
    return taken


@asynccontextmanager
async def turn(service: Service) -> AsyncIterator[None]:
    """One of the uploads that are received side by side. Others wait, but not for ever."""
    try:
        with fail_after(LONGEST_WAIT):
            await service.uploads.acquire()
    except TimeoutError:
        raise Unavailable("too many uploads at once", remedy="try again in a moment") from None
    try:
        yield
    finally:
        service.uploads.release()


@asynccontextmanager
async def while_there(request: Request, wanted: Wanted) -> AsyncIterator[None]:
    """What is read for a request ends when whoever sent it goes away. Its body has been received."""

    async def watch() -> None:
        while (await request.receive())["type"] != "http.disconnect":
            pass
        await run_in_threadpool(wanted.cancel)

    watching = asyncio.create_task(watch())
    try:
        yield
    finally:
        watching.cancel()


@asynccontextmanager
async def _form(request: Request, settings: Settings) -> AsyncIterator[FormData]:
    """The form that a request brings; one without files if it brings none."""
    form = FormData()
    if request.headers.get("content-type", "").startswith("multipart/form-data"):
        counted = Request(request.scope, _counting(request.receive, settings))
        try:
            form = await FormParser(request.headers, counted.stream(), most_parts=settings.most_files).parse()
        except MultiPartException as error:
            remedy = f"send at most {settings.most_files} files at once, sent as multipart/form-data"
            raise InputError(error.message, remedy=remedy) from error
    try:
        yield form
    finally:
        await form.close()


@router.get(
    "/{import_id}/clips/{sha256}/frames/{number}",
    responses=WEBP,
    response_class=Response,
)
async def get_clip_frame(
    import_id: ImportId,
    sha256: Sha256,
    number: Annotated[int, Path(ge=1, le=1_000_000)],
    service: Parts,
) -> Response:
    """A frame of a clip that waits, from 1, at most 640 by 400 pixels."""

    def look() -> bytes:
        with service.sessions() as session:
            name = imports.held_clip(session, import_id, sha256).name

        def make() -> bytes:
            with service.store.path(sha256).open("rb") as file:
                return service.decoders.glimpse(file, name, number).picture

        return service.stages.obtain("glimpse", cache_key("glimpse", 1, sha256, number), make)

    return lasting(await to_thread.run_sync(look, limiter=service.readers), "image/webp")


@router.post("/{import_id}/clips/{sha256}")
async def take_clip(
    import_id: ImportId, sha256: Sha256, wish: TakeClip, request: Request, service: Parts
) -> FileTaken:
    """Take frames of a clip that waits into the import; taken again, they replace those taken before."""

    def forget(session: Session) -> str:
        name = imports.held_clip(session, import_id, sha256).name
        imports.forget(session, import_id, f"{name}/")
        return name

    name = await run_in_threadpool(service.transact, forget)
    intake = await run_in_threadpool(Intake, service, import_id)

    def take() -> FileTaken:
        with service.store.path(sha256).open("rb") as file:
            taken = intake.take_clip(file, name, Cut(wish.first, wish.last, wish.step))
        intake.keep()
        return taken

    async with while_there(request, intake.wanted):
        return await to_thread.run_sync(take, limiter=service.readers)


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
        f"one import takes {settings.most_import_bytes // 1048576} MB", remedy="import the frames in parts"
    )


@router.get("/{import_id}")
def get_import(import_id: ImportId, session: Reading) -> ImportReport:
    """What came so far, sorted into sequences by name and number, and what is wrong with each."""
    sequences, ignored, hashes = imports.look_through(session, import_id)
    reports = []
    for sequence in sequences:
        few = min(GLIMPSES, len(sequence.files))
        at = [index * len(sequence.files) // few for index in range(few)]
        pictures = [hashes[sequence.files[index].name] for index in at]
        reports.append(SequenceFound.model_validate({**sequence.document(), "pictures": pictures}))
    project = imports.enclosed_name(session, import_id)
    return ImportReport(sequences=reports, ignored=_ignored(ignored), project=project)


def _ignored(items: list[dict[str, str]]) -> list[Problem]:
    return [Problem(kind="input", message=item["message"], file=item["file"]) for item in items]


@router.post("/{import_id}/settings")
def look_at_settings(import_id: ImportId, choice: Choice, session: Reading) -> list[ProjectNotes]:
    """What each project of a choice would not take of the settings it names, in order. Nothing is changed."""
    return frame_sets.look_at(session, import_id, choice)


@router.post("/{import_id}/finish")
def finish_import(import_id: ImportId, service: Parts, choice: Choice | None = None) -> ImportDone:
    """Make projects of what came: one of each sequence, unless a choice is made."""

    def finish(session: Session) -> ImportDone:
        finished, ignored = frame_sets.finish(session, import_id, service.results, choice)
        return ImportDone(projects=[card(session, project) for project in finished], ignored=_ignored(ignored))

    done = service.transact(finish)
    for made in done.projects:
        service.changed(made.id)
    return done
