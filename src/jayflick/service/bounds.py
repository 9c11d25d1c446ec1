"""What a request may take: how many bytes it brings, and how long it makes others wait for them."""

import asyncio
from typing import Any

import h11
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.formparsers import MultiPartParser
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ..loopback import LoopbackProtocol

MOST_DOCUMENT = 4 << 20
"""The most bytes of a JSON document: a recipe of 20,000 frames, each with a delay of its own, has a tenth."""
UNBOUND = 1 << 62
"""For bodies that the framework is not to bound: they have bounds of their own."""
SILENCE = 30.0
"""Seconds after which a request that stopped in the middle is given up."""


class Patience:
    """ASGI middleware: gives a request up whose body stalls."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        await self._app(scope, _patient(receive) if scope["type"] == "http" else receive, send)


def _patient(receive: Receive) -> Receive:
    whole = False

    async def patient() -> Message:
        nonlocal whole
        if whole:  # from now on it only tells when the other side leaves
            return await receive()
        try:
            message = await asyncio.wait_for(receive(), SILENCE)
        except TimeoutError:
            raise HTTPException(408, "the rest of the request never arrived") from None
        whole = not message.get("more_body", False)
        return message

    return patient


class PatientProtocol(LoopbackProtocol):
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
