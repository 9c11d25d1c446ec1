"""What the server's pages may do: talk to it, show the stand-ins in a frame, and nothing else."""

from starlette.responses import Response

from .problems import answer

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob: data:; "
    "media-src 'self' blob:; font-src 'self'; connect-src 'self'; worker-src 'self'; manifest-src 'self'; "
    "frame-src http://127.0.0.1:*; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
HEADERS = [
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
    (b"cross-origin-opener-policy", b"same-origin"),
    (b"cross-origin-resource-policy", b"same-origin"),
]


def refused(reason: str) -> Response:
    """The answer to a request that is not one of this machine's own pages."""
    return answer(403, {"kind": "refused", "message": reason, "remedy": "open the address ./start prints"})
