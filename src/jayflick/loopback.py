"""Only this machine's own pages may use what is served on it."""

from collections.abc import Callable
from urllib.parse import urlsplit

from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

HOSTS = {"127.0.0.1", "localhost", "[::1]"}


class Guard:
    """ASGI middleware: checks Host and Origin, adds headers to every answer.

    ``headers`` are those it adds; ``refused`` makes the answer to somebody else's request, from why it is one.
    """

    def __init__(
        self, app: ASGIApp, headers: list[tuple[bytes, bytes]], refused: Callable[[str], Response]
    ) -> None:
        self._app = app
        self._headers = headers
        self._refused = refused

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = {name: value.decode("latin-1") for name, value in scope["headers"]}

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [*message.get("headers", []), *self._headers]
            await send(message)

        reason = _refusal(scope["method"], headers)
        await (self._refused(reason) if reason else self._app)(scope, receive, guarded)


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
