"""What is answered when something is wrong."""

import logging
from collections.abc import Mapping

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import OperationalError, SQLAlchemyError, TimeoutError
from starlette.exceptions import HTTPException

from ..core.errors import Cancelled, JayFlickError
from ..core.plain import in_words
from .bounds import MOST_DOCUMENT
from .errors import Conflict, NotFound, Unavailable, database_full, disk_problem, problem_of
from .room import is_full

log = logging.getLogger(__name__)


def tell_problems(app: FastAPI) -> None:
    """Whatever goes wrong in a route is answered as one JSON ``Problem``."""
    for kind, handler in (
        (JayFlickError, _on_known),
        (RequestValidationError, _on_invalid),
        (HTTPException, _on_http),
        (SQLAlchemyError, _on_database),
        (OSError, _on_disk),
        (Exception, _on_fault),
    ):
        app.add_exception_handler(kind, handler)


def answer(status: int, problem: Mapping[str, object]) -> JSONResponse:
    """An answer that says what is wrong: a ``Problem``."""
    return JSONResponse({"file": None, "remedy": "", **problem}, status)


async def _on_known(request: Request, error: Exception) -> Response:
    assert isinstance(error, JayFlickError)
    statuses = {NotFound: 404, Cancelled: 409, Conflict: 409, Unavailable: 503}
    return answer(statuses.get(type(error), 422), problem_of(error))


async def _on_invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    if first["type"] == "json_invalid":
        at = first["loc"][-1]
        message = f"the body is not JSON: {str(first['ctx']['error']).lower()} at character {at}"
        return answer(422, {"kind": "invalid", "message": message, "remedy": "send a JSON document in UTF-8"})
    where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
    message = in_words(first)
    if first["loc"] == ("body",) and first["type"] == "missing":
        message = "the body is missing"
    return answer(422, {"kind": "invalid", "message": f"{where}: {message}" if where else message})


async def _on_http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    message = str(error.detail)
    if error.status_code == 400:  # a number without end in JSON, a form without its parts
        return answer(422, {"kind": "invalid", "message": "the body cannot be read"})
    if error.status_code == 405:
        message = f"this address does not take {request.method}"
    if error.status_code == 413:
        message = f"the request is larger than {MOST_DOCUMENT >> 20} MB"
    return answer(error.status_code, {"kind": "http", "message": message})


async def _on_database(request: Request, error: Exception) -> Response:
    if is_full(error):
        return answer(507, database_full())
    if isinstance(error, OperationalError | TimeoutError):
        return answer(
            503,
            {
                "kind": "database",
                "message": "the database does not answer, so this was not saved",
                "remedy": "it is being started again; try once more in a moment",
            },
        )
    log.exception("database fault", exc_info=error)
    return answer(500, {"kind": "fault", "message": "an unexpected database fault; nothing was changed"})


async def _on_fault(request: Request, error: Exception) -> Response:
    # It is logged with its trace by what calls this.
    message = f"an unexpected fault, {type(error).__name__}; nothing was changed"
    return answer(500, {"kind": "fault", "message": message})


async def _on_disk(request: Request, error: Exception) -> Response:
    assert isinstance(error, OSError)
    status = 507 if is_full(error) else 500
    return answer(status, disk_problem(error))
