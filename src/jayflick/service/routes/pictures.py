"""Pictures and files, as they came and as they were made."""

import json
from functools import partial
from io import BytesIO
from pathlib import PurePath
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Response
from fastapi.responses import StreamingResponse
from PIL import Image
from sqlalchemy.orm import Session

from ...core.errors import InputError
from ...core.formats.gif.reader import colours_of, read_gif
from ...core.formats.table import format_of
from ...core.framing.frames import Framed
from ...core.palette.swatches import swatches
from ...core.portable import portable
from ...core.recipe import Recipe
from ...core.render import sources_of
from ...core.stages import cache_key
from ...core.timing.shots import Shot
from ...core.zipped import zipped
from .. import projects
from ..coded import OutputFiles
from ..errors import NotFound
from ..models import Revision, TrialRow
from ..parts import (
    FOR_EVER,
    LISTED_FILE,
    ONE_FILE,
    PNG,
    WEBP,
    WHOLE_OUTPUT,
    Number,
    Parts,
    Reading,
    Service,
    Sha256,
    disposition,
    lasting,
)
from ..pictures import thumb_of, view_of
from ..results import MadeOutput, made
from ..schemas.likeness import LikenessInfo, SwatchInfo
from ..schemas.searches import TrialFile
from ..trials import made_trial, recipe_with

router = APIRouter(tags=["pictures"])

Key = Annotated[str | None, Query(max_length=64, description="Names the content, which then never changes")]


@router.get(
    "/pictures/{sha256}/thumb",
    responses=WEBP,
    response_class=Response,
)
def get_thumb(sha256: Sha256, service: Parts) -> Response:
    """A small picture of a source frame, at most 112 pixels high."""
    try:
        data = thumb_of(service.stages, service.store, sha256)
    except FileNotFoundError:
        raise NotFound("there is no such picture") from None
    return lasting(data, "image/webp")


@router.get("/pictures/{sha256}/view", responses=PNG, response_class=Response)
def get_view(sha256: Sha256, service: Parts) -> Response:
    """A source frame as a whole, no larger than 1280 × 800."""
    try:
        data = view_of(service.stages, service.store, sha256)
    except FileNotFoundError:
        raise NotFound("there is no such picture") from None
    return lasting(data, "image/png")


@router.get(
    "/revisions/{revision_id}/outputs/{output_id}/source/{shot}",
    responses=PNG,
    response_class=Response,
)
def get_source(
    revision_id: Number,
    output_id: str,
    shot: Annotated[str, Path(max_length=200)],
    service: Parts,
    session: Reading,
    key: Key = None,
    torn: Annotated[
        bool, Query(description="Instead: where nothing could be followed from one to the other, in white")
    ] = False,
) -> Response:
    """What a step shows, framed as the output is, with every colour and soft edge it has.

    ``shot`` is a frame's position from 1, a blend such as ``3x128+4x128``, or what moves between two, such as
    ``3x128~4x128``; ``0`` is an empty picture. ``key`` is the ``sources`` of a result.
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
    framed = Framed(frames, recipe.framing_of(output), output.size, service.stages, recipe.gather)
    if torn:
        if not wanted.motion:
            raise NotFound("nothing is followed there")
        return _keyed(_png((framed.between(wanted).torn * 255).round().astype("uint8")), "image/png", key)
    return _keyed(_png(framed.shot(wanted)), "image/png", key)


def _png(picture: Any) -> bytes:
    out = BytesIO()
    Image.fromarray(picture).save(out, "PNG", compress_level=1)
    return out.getvalue()


def _keyed(data: bytes, media_type: str, key: str | None, **headers: str) -> Response:
    """An answer that the browser keeps if its address names the content: numbers begin anew elsewhere."""
    if key is not None:
        return lasting(data, media_type, **headers)
    return Response(data, media_type=media_type, headers={**headers, "cache-control": "no-store"})


@router.get("/results/{result_id}/palette")
def get_palette(result_id: Number, service: Parts, session: Reading) -> list[str]:
    """The colours that a GIF shows, as #rrggbb; refused where its frames have palettes of their own."""
    result = _gif(result_id, service, session)
    name = result.output.file_name
    return colours_of(read_gif(result.timed.files[0].read(), name=name), name=name)


@router.get("/results/{result_id}/swatches")
def get_swatches(result_id: Number, service: Parts, session: Reading) -> list[SwatchInfo]:
    """The colours that a GIF shows, those that are used most first, at most 256."""
    result = _gif(result_id, service, session)

    def make() -> bytes:
        found = swatches(format_of(result.output).pictures([result.timed.files[0].read()]))
        return json.dumps([one._asdict() for one in found]).encode()

    data = service.stages.obtain("swatches", cache_key("swatches", 1, result.coded.key), make)
    return [SwatchInfo.model_validate(one) for one in json.loads(data)]


def _gif(result_id: int, service: Service, session: Session) -> MadeOutput:
    result = made(session, service.store, result_id, None)
    if result.output.format != "gif":
        raise InputError(
            "only a GIF has a palette", file=result.output.file_name, remedy="choose another output"
        )
    return result


@router.get("/results/{result_id}/likeness")
def get_likeness(result_id: Number, service: Parts, key: Key = None) -> LikenessInfo:
    """How like its frames an output's own file is, measured now unless it was before.

    Refused once another result of the output is asked for.
    """
    with service.sessions() as session:  # given back before anything is measured
        result = made(session, service.store, result_id, key)
        revision = session.get_one(Revision, result.info.revision_id)
        recipe = Recipe.model_validate(revision.recipe)
        frames = service.frames.of(session, revision.project_id, revision.frame_set).frames
        project_id = revision.project_id
    found = service.likenesses.of(project_id, result, recipe, frames)
    service.note_likeness(project_id, result, found)
    return found


@router.get("/results/{result_id}/file", responses=WHOLE_OUTPUT, response_class=Response)
def get_file(
    result_id: Number,
    service: Parts,
    session: Reading,
    key: Key = None,
    download: Annotated[bool, Query(description="Ask the browser to save it under its own name")] = False,
) -> Response:
    """The real bytes of an output; a set of files comes as a zip."""
    result = made(session, service.store, result_id, key)
    kind, name = "attachment" if download else "inline", portable(result.output.file_name)
    if result.output.folder:
        name = f"{PurePath(name).stem}.zip"
    headers = {"content-disposition": disposition(kind, name)}
    files = result.timed.files
    if result.output.folder:
        parts = zipped((portable(file.name), file.read) for file in files)
        headers["cache-control"] = FOR_EVER if key is not None else "no-store"
        return StreamingResponse(parts, media_type="application/zip", headers=headers)
    return _keyed(files[0].read(), files[0].media_type, key, **headers)


@router.get(
    "/results/{result_id}/files/{number}",
    responses=LISTED_FILE,
    response_class=Response,
)
def get_one_file(
    result_id: Number, number: Number, service: Parts, session: Reading, key: Key = None
) -> Response:
    """One of the files of an output, from 0: of a sheet its pictures, then its description as JSON."""
    files = made(session, service.store, result_id, key).timed.files
    if number >= len(files):
        raise NotFound("there is no such file")
    return _keyed(files[number].read(), files[number].media_type, key)


@router.get("/results/{result_id}/frames/{index}", responses=PNG, response_class=Response)
def get_played_frame(
    result_id: Number, index: Number, service: Parts, session: Reading, key: Key = None
) -> Response:
    """A picture of an output as it is seen, decoded from its bytes here (index from 0)."""
    result = made(session, service.store, result_id, key)
    return _keyed(_played(service, result, result.info.info.count, index), "image/png", key)


@router.get("/trials/{trial_id}", tags=["trials"])
def get_trial(trial_id: Number, service: Parts, session: Reading) -> TrialFile:
    """What it takes to play a trial."""
    return made_trial(session, service.store, trial_id).info


@router.get(
    "/trials/{trial_id}/file",
    responses=ONE_FILE,
    response_class=Response,
    tags=["trials"],
)
def get_trial_file(trial_id: Number, service: Parts, session: Reading, key: Key = None) -> Response:
    """The real bytes of a trial of a single file."""
    (file, *more) = made_trial(session, service.store, trial_id, key).timed.files
    if more:
        raise NotFound("a set of files has no single one")
    return _keyed(file.read(), file.media_type, key)


@router.get("/trials/{trial_id}/frames/{index}", responses=PNG, response_class=Response, tags=["trials"])
def get_trial_frame(
    trial_id: Number, index: Number, service: Parts, session: Reading, key: Key = None
) -> Response:
    """A picture of a trial as it is seen, decoded from its bytes here (index from 0)."""
    trial = made_trial(session, service.store, trial_id, key)
    return _keyed(_played(service, trial, trial.info.info.count, index), "image/png", key)


@router.get("/trials/{trial_id}/likeness", tags=["trials"])
def get_trial_likeness(trial_id: Number, service: Parts) -> LikenessInfo:
    """How like its frames a trial is, measured now unless it was before.

    Refused where it shows other frames, or the same framed otherwise, than the project has now.
    """
    with service.sessions() as session:
        trial = made_trial(session, service.store, trial_id)
        project_id = session.get_one(TrialRow, trial_id).project_id
        revision = projects.current(session, projects.find(session, project_id))
        recipe = recipe_with(Recipe.model_validate(revision.recipe), trial.output)
        frames = service.frames.of(session, project_id, revision.frame_set).frames
    if sources_of(recipe, frames, trial.output.id, service.stages) != trial.info.sources:
        raise InputError("it shows other frames than now, or the same framed otherwise", remedy="make it anew")
    found = service.likenesses.of(project_id, trial, recipe, frames)
    service.note_likeness(project_id, trial, found)
    return found


def _played(service: Service, result: OutputFiles[Any], count: int, index: int) -> bytes:
    """A picture as a PNG; the others, which a player is about to ask for, are kept with it."""
    form, files = format_of(result.output), result.timed.files

    def stage_key(number: int) -> str:
        return cache_key("played", 2, result.coded.key, number)

    def make() -> bytes:
        if index >= count:
            raise NotFound("there is no such frame")
        if result.output.format == "frames":  # each is a file of its own
            return _png(next(form.pictures([files[index].read()])))
        wanted = b""
        for number, picture in enumerate(form.pictures([file.read() for file in files])):
            data = _png(picture)
            if number == index:
                wanted = data
            else:  # a player asks for all of them; decoding from the start each time would be slow
                service.stages.obtain("played", stage_key(number), partial(bytes, data))
        if not wanted:
            raise NotFound("there is no such frame")
        return wanted

    return service.stages.obtain("played", stage_key(index), make)
