"""Only the own pages of what is served on this machine may use it, and only whoever runs it."""

import asyncio
from collections.abc import Callable
from urllib.parse import urlsplit

from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send
from uvicorn import Config
from uvicorn.protocols.http.h11_impl import H11Protocol

from .peers import Peer

HOSTS = {"127.0.0.1", "localhost", "[::1]"}


class LoopbackProtocol(H11Protocol):
    """HTTP/1.1 whose connections know whose they are."""

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        if self.client is not None and self.server is not None and self.server[1] is not None:
            self.client = Peer.of(self.client, (self.server[0], self.server[1]))


def on_loopback(
    app: ASGIApp, port: int, *, stopping: int, http: type[LoopbackProtocol] = LoopbackProtocol
) -> Config:
    """How an application is served on this machine alone; ``stopping``: seconds in which requests end."""
    return Config(
        app,
        host="127.0.0.1",
        port=port,
        log_level="warning",
        access_log=False,
        timeout_graceful_shutdown=stopping,
        http=http,
    )


class Guard:
    """ASGI middleware: checks Host and Origin, adds headers to every answer.

    ``headers`` are those it adds; ``refused`` makes the answer to somebody else's request, from why it is one.
    ``users``: whose processes are answered; ``None``: everybody's.
    """

    def __init__(
        self,
        app: ASGIApp,
        headers: list[tuple[bytes, bytes]],
        refused: Callable[[str], Response],
        users: frozenset[int] | None = None,
    ) -> None:
        self._app = app
        self._headers = headers
        self._refused = refused
        self._users = users

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = {name: value.decode("latin-1") for name, value in scope["headers"]}

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [*message.get("headers", []), *self._headers]
            await send(message)

        reason = self._stranger(scope) or _refusal(scope["method"], headers)
        await (self._refused(reason) if reason else self._app)(scope, receive, guarded)

    def _stranger(self, scope: Scope) -> str:
        """Why whoever asks is not answered, if so."""
        client = scope.get("client")
        if self._users is None or (isinstance(client, Peer) and client.user in self._users):
            return ""
        return "this Jay Flick is another user's, who can let others in with ./start --share"


def _place(origin: str) -> str | None:
    """Host and port of an origin; nothing if it is none."""
    try:
        return urlsplit(origin).netloc.lower()
    except ValueError:
        return None


def _refusal(method: str, headers: dict[bytes, str]) -> str:
    host = headers.get(b"host", "")
    name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
    if name.lower() not in HOSTS:
        return "this server answers only under its own loopback address"
    origin = headers.get(b"origin")
    if origin is not None and _place(origin) != host.lower():
        return "another site's page may not use this server"
    if method not in ("GET", "HEAD") and headers.get(b"sec-fetch-site", "same-origin") not in (
        "same-origin",
        "none",
    ):
        return "another site's page may not use this server"
    return ""
