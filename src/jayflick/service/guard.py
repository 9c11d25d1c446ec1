"""Only this machine's own pages may talk to the server, and its pages may talk to nobody else."""

from urllib.parse import urlsplit

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from .problems import answer

HOSTS = {"127.0.0.1", "localhost", "[::1]"}

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob: data:; "
    "media-src 'self' blob:; font-src 'self'; connect-src 'self'; worker-src 'self'; manifest-src 'self'; "
    "base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
HEADERS = [
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
    (b"cross-origin-opener-policy", b"same-origin"),
    (b"cross-origin-resource-policy", b"same-origin"),
]


class Guard:
    """ASGI middleware: checks Host and Origin, adds the security headers."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = {name: value.decode("latin-1") for name, value in scope["headers"]}

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [*message.get("headers", []), *HEADERS]
            await send(message)

        reason = _refusal(scope["method"], headers)
        if reason:
            problem = {"kind": "refused", "message": reason, "remedy": "open the address ./start prints"}
            await answer(403, problem)(scope, receive, guarded)
            return
        await self._app(scope, receive, guarded)


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
