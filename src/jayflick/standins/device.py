"""What all stand-ins share: the way in for files, the page, pictures one by one and as a stream."""

import asyncio
import shutil
import time
from abc import ABC, abstractmethod
from collections.abc import AsyncIterator, Callable
from io import BytesIO
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, FastAPI, Query, Request, Response
from fastapi import Path as PathPart
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, StreamingResponse
from PIL import Image
from starlette.concurrency import run_in_threadpool

from ..delivery.protocol import Answer, Intake, Kind, Name, Offer, Problem, Status
from ..loopback import Guard
from .errors import Refusal
from .guard import headers, refused
from .intake import Intakes, Work

STREAM_RATE = 25
"""Pictures a second that a monitor shows."""

IntakeId = Annotated[str, PathPart(pattern="^[0-9a-f]{32}$")]
FrameNumber = Annotated[int, PathPart(ge=0, le=10**9)]
Width = Annotated[int, Query(ge=64, le=1920, description="Of the picture; its height follows")]
MonitorRate = Annotated[int, Query(ge=1, le=STREAM_RATE, description="Pictures a second, at most")]
PNG: dict[int | str, dict[str, Any]] = {
    200: {"content": {"image/png": {"schema": {"type": "string", "format": "binary"}}}}
}


class Device(ABC):
    """One stand-in: what it is, what it takes, and its own routes."""

    kind: Kind
    title: str
    rate: float = 25
    """Frames a second of its clock."""

    def __init__(self, folder: Path) -> None:
        shutil.rmtree(folder, ignore_errors=True)  # what was there went with the process that held it
        self.pace = 0.0
        """Pictures a second that it converts; 0: as fast as it can."""
        self._begun = time.monotonic()
        self.intakes = Intakes(folder / "intakes", self, lambda: self.pace)

    @property
    def now(self) -> int:
        """The number of the frame that is on air."""
        return int((time.monotonic() - self._begun) * self.rate)

    @abstractmethod
    def consider(self, offer: Offer) -> Offer: ...

    @abstractmethod
    def convert(self, offer: Offer, folder: Path, work: Work) -> Answer: ...

    @abstractmethod
    def status(self) -> Status: ...

    @abstractmethod
    def routes(self) -> APIRouter: ...


def create_app(
    device: Device, web: Path, users: frozenset[int] | None = None, framed_by: int | None = None
) -> FastAPI:
    """The whole of a stand-in. ``web``: the built pages; ``users``: who is answered, if not everybody;
    ``framed_by``: the port of this machine whose pages may show it in a frame."""
    app = FastAPI(
        title=device.title,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        generate_unique_id_function=lambda route: route.name,
        responses={404: {"model": Problem}, 422: {"model": Problem}},
    )
    app.add_middleware(Guard, headers=headers(framed_by), refused=refused, users=users)
    app.include_router(intake_routes(device))
    app.include_router(device.routes(), prefix="/api")

    @app.exception_handler(Refusal)
    async def on_refusal(request: Request, refusal: Refusal) -> Response:
        return JSONResponse(refusal.problem.model_dump(), refusal.status)

    @app.exception_handler(RequestValidationError)
    async def on_invalid(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
        message = str(first["msg"]).removeprefix("Value error, ")
        return JSONResponse(Problem(message=f"{where}: {message}" if where else message).model_dump(), 422)

    files = {file.relative_to(web).as_posix(): file for file in web.rglob("*") if file.is_file()}

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path in files and path.startswith("assets/"):
            return FileResponse(files[path])
        if path.startswith("api/"):
            raise Refusal("there is nothing at this address", status=404)
        if "standin.html" not in files:
            return HTMLResponse("the page is not built", 404)
        return FileResponse(files["standin.html"])

    return app


def intake_routes(device: Device) -> APIRouter:
    """The way in, the same for all."""
    router = APIRouter(prefix="/api", tags=["intakes"])
    intakes = device.intakes

    @router.get("/status")
    def get_status() -> Status:
        """What this is, what it asks for, and what it has."""
        return device.status().model_copy(update={"holds": intakes.held()})

    @router.post("/intakes", status_code=201)
    def offer_files(offer: Offer) -> Intake:
        """Offer files; the same key again answers the delivery that was begun."""
        return intakes.offer(offer)

    @router.put("/intakes/{number}/files/{name}", status_code=204)
    async def put_file(number: IntakeId, name: Name, request: Request) -> Response:
        """One file, its bytes as they are."""
        path, size = intakes.file(number, name)
        part = path.with_name(f".{path.name}.part-{id(request)}")
        try:
            arrived = 0
            with part.open("wb") as file:
                async for block in request.stream():
                    arrived += len(block)
                    if arrived > size:
                        break
                    await run_in_threadpool(file.write, block)
            if arrived != size:
                raise Refusal(f"{arrived} bytes came of {size}", file=name, remedy="send it again")
            part.rename(path)
        finally:
            part.unlink(missing_ok=True)
        intakes.received(number, name)
        return Response(status_code=204)

    @router.post("/intakes/{number}/finish")
    def finish_intake(number: IntakeId) -> Intake:
        """All files are there: they are checked and converted from now on."""
        return intakes.finish(number)

    @router.get("/intakes/{number}")
    def get_intake(number: IntakeId) -> Intake:
        """How far it is."""
        return intakes.show(number)

    @router.delete("/intakes/{number}")
    def cancel_intake(number: IntakeId) -> Intake:
        """Call it off; nothing of it stays."""
        return intakes.cancel(number)

    return router


def as_png(picture: Image.Image) -> Response:
    """A picture, every pixel as it is."""
    out = BytesIO()
    picture.save(out, "PNG", compress_level=1)
    return Response(out.getvalue(), media_type="image/png")


def as_stream(picture: Callable[[], Image.Image], rate: int) -> StreamingResponse:
    """What a monitor shows, as JPEG pictures that replace each other, for as long as somebody looks.

    ``rate``: pictures a second, at most.
    """

    def coded() -> bytes:
        out = BytesIO()
        picture().convert("RGB").save(out, "JPEG", quality=85)
        return out.getvalue()

    async def parts() -> AsyncIterator[bytes]:
        due = time.monotonic()
        while True:
            data = await run_in_threadpool(coded)
            head = f"--frame\r\ncontent-type: image/jpeg\r\ncontent-length: {len(data)}\r\n\r\n"
            yield head.encode() + data + b"\r\n"
            due = max(due + 1 / rate, time.monotonic())
            await asyncio.sleep(due - time.monotonic())

    return StreamingResponse(parts(), media_type="multipart/x-mixed-replace; boundary=frame")
