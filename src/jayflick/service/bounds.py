"""What a request may take: how many bytes it brings, and how long it makes others wait for them."""

import asyncio
from typing import Any

import h11
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.formparsers import MultiPartParser
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send
from uvicorn.protocols.http.h11_impl import H11Protocol

MOST_DOCUMENT = 4 << 20
"""The most bytes of a JSON document: a recipe of 20,000 frames, each with a delay of its own, has a tenth."""
SILENCE = 30.0
"""Seconds after which a request that stopped in the middle is given up."""


class Bounds:
    """ASGI middleware: refuses documents that are too large before they are read, and bodies that stall."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        # Forms bring files, and have bounds of their own.
        is_form = headers.get("content-type", "").startswith("multipart/form-data")
        most = None if is_form else MOST_DOCUMENT
        length = headers.get("content-length", "0")
        if most is not None and length.isdecimal() and int(length) > most:
            problem = {"kind": "http", "message": _too_large(), "file": None, "remedy": ""}
            await JSONResponse(problem, 413, {"connection": "close"})(scope, receive, send)
            return
        await self._app(scope, _bounded(receive, most), send)


def _too_large() -> str:
    return f"this is more than the {MOST_DOCUMENT >> 20} MB that a document may have"


def _bounded(receive: Receive, most: int | None) -> Receive:
    received = 0
    whole = False

    async def bounded() -> Message:
        nonlocal received, whole
        if whole:  # from now on it only tells when the other side leaves
            return await receive()
        try:
            message = await asyncio.wait_for(receive(), SILENCE)
        except TimeoutError:
            raise HTTPException(408, "the rest of the request never arrived") from None
        received += len(message.get("body", b""))
        if most is not None and received > most:
            raise HTTPException(413, _too_large())
        whole = not message.get("more_body", False)
        return message

    return bounded


class PatientProtocol(H11Protocol):
    """HTTP/1.1 that closes a connection on which nobody ends the head of a request that was begun."""

    _due: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._arm()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.conn.their_state is not h11.IDLE:
            self._disarm()
        elif self._due is None:
            self._arm()

    def connection_lost(self, exc: Exception | None) -> None:
        self._disarm()
        super().connection_lost(exc)

    def _arm(self) -> None:
        self._due = self.loop.call_later(SILENCE, self.transport.close)

    def _disarm(self) -> None:
        if self._due is not None:
            self._due.cancel()
            self._due = None


class FormParser(MultiPartParser):
    """Reads a form whose files lie on disk from their first bytes on, and whose other parts are small."""

    spool_max_size = 1 << 14

    def __init__(self, headers: Headers, stream: Any, *, most_parts: int) -> None:
        super().__init__(headers, stream, max_files=most_parts, max_fields=most_parts, max_part_size=64)
