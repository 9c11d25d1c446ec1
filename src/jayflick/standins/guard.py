"""What a stand-in's page may do: talk to it, and stand in a frame of a page of this machine."""

from starlette.responses import JSONResponse, Response

from ..delivery.protocol import Problem

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob: data:; font-src 'self'; "
    "media-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'self' http://127.0.0.1:* http://localhost:*"
)
HEADERS = [
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
    (b"cache-control", b"no-store"),
]


def refused(reason: str) -> Response:
    """The answer to a request that is not one of this machine's own pages."""
    return JSONResponse(Problem(message=reason).model_dump(), 403)
