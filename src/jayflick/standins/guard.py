"""What a stand-in's page may do: talk to it, and stand in a frame of the one page that shows it."""

from starlette.responses import JSONResponse, Response

from ..delivery.protocol import Problem

_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob: data:; font-src 'self'; "
    "media-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'self'"
)


def headers(framed_by: int | None) -> list[tuple[bytes, bytes]]:
    """What every answer says; ``framed_by``: the port of this machine whose pages may show it in a frame."""
    ancestors = "" if framed_by is None else f" http://127.0.0.1:{framed_by} http://localhost:{framed_by}"
    return [
        (b"content-security-policy", (_POLICY + ancestors).encode()),
        (b"x-content-type-options", b"nosniff"),
        (b"referrer-policy", b"no-referrer"),
        (b"cross-origin-resource-policy", b"same-origin"),
        (b"cache-control", b"no-store"),
    ]


def refused(reason: str) -> Response:
    """The answer to a request that is not one of this machine's own pages."""
    return JSONResponse(Problem(message=reason).model_dump(), 403)
