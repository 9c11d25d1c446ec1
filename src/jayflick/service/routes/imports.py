"""Bringing files in."""

import re
from typing import Annotated

from fastapi import APIRouter, Path, Query, Request, Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import UploadFile
from starlette.exceptions import HTTPException
from starlette.types import Message, Receive

from ...core.errors import InputError
from ...core.pictures.clip import Cut
from ...core.stages import cache_key
from .. import frame_sets, imports, projects
from ..intake import Intake
from ..parts import WEBP, ImportId, Parts, Reading, Sha256, lasting
from ..schemas import (
    Choice,
    FileTaken,
    ImportDone,
    ImportReport,
    ImportStarted,
    Problem,
    SequenceFound,
    TakeClip,
)
from ..settings import Settings

router = APIRouter(prefix="/imports", tags=["imports"])

GLIMPSES = 12
"""Frames by which a sequence is shown before it is brought in."""


@router.post("", status_code=201)
def begin_import(service: Parts) -> ImportStarted:
    """Open an import. Send its files in any number of requests, then finish it."""
    with service.sessions.begin() as session:
        return ImportStarted(id=imports.begin(session))


@router.post(
    "/{import_id}/files",
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
    "/{import_id}/clips/{sha256}/frames/{number}",
    responses=WEBP,
    response_class=Response,
)
def get_clip_frame(
    import_id: ImportId,
    sha256: Sha256,
    number: Annotated[int, Path(ge=1, le=1_000_000)],
    service: Parts,
) -> Response:
    """A frame of a clip that waits, from 1, at most 640 by 400 pixels."""
    with service.sessions() as session:
        name = imports.held_clip(session, import_id, sha256).name

    def make() -> bytes:
        return service.decoders.glimpse(service.store.read(sha256), name, number).picture

    data = service.stages.obtain("glimpse", cache_key("glimpse", 1, sha256, number), make)
    return lasting(data, "image/webp")


@router.post("/{import_id}/clips/{sha256}")
def take_clip(import_id: ImportId, sha256: Sha256, request: TakeClip, service: Parts) -> FileTaken:
    """Take frames of a clip that waits into the import; taken again, they replace those taken before."""
    with service.sessions.begin() as session:
        name = imports.held_clip(session, import_id, sha256).name
        imports.forget(session, import_id, f"{name}/")
    intake = Intake(service, import_id)
    cut = Cut(request.first, request.last, request.step)
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


@router.post("/{import_id}/finish")
def finish_import(import_id: ImportId, service: Parts, choice: Choice | None = None) -> ImportDone:
    """Make projects of what came: one of each sequence, unless a choice is made."""
    with service.sessions.begin() as session:
        made, ignored = frame_sets.finish(session, import_id, service.results, choice)
        cards = [projects.card(session, project) for project in made]
    for made_card in cards:
        service.changed(made_card.id)
    return ImportDone(projects=cards, ignored=_ignored(ignored))
