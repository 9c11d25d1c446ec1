"""What is answered when something is wrong."""

import errno
import logging

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import OperationalError, SQLAlchemyError
from starlette.exceptions import HTTPException

from ..core.errors import JayFlickError
from .errors import Conflict, NotFound, disk_problem, problem_of

log = logging.getLogger(__name__)


def tell_problems(app: FastAPI) -> None:
    """Whatever goes wrong in a route is answered as one JSON ``Problem``."""
    for kind, handler in (
        (JayFlickError, _on_known),
        (RequestValidationError, _on_invalid),
        (HTTPException, _on_http),
        (SQLAlchemyError, _on_database),
        (OSError, _on_disk),
    ):
        app.add_exception_handler(kind, handler)


def _problem(status: int, problem: dict[str, object]) -> JSONResponse:
    return JSONResponse({"file": None, "remedy": "", **problem}, status)


async def _on_known(request: Request, error: Exception) -> Response:
    assert isinstance(error, JayFlickError)
    status = 404 if isinstance(error, NotFound) else 409 if isinstance(error, Conflict) else 422
    return _problem(status, problem_of(error))


async def _on_invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
    message = str(first["msg"]).removeprefix("Value error, ")
    return _problem(422, {"kind": "invalid", "message": f"{where}: {message}" if where else message})


async def _on_http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    return _problem(error.status_code, {"kind": "http", "message": str(error.detail)})


async def _on_database(request: Request, error: Exception) -> Response:
    if isinstance(error, OperationalError):
        return _problem(
            503,
            {
                "kind": "database",
                "message": "the database does not answer, so this was not saved",
                "remedy": "it is being started again; try once more in a moment",
            },
        )
    log.exception("database fault", exc_info=error)
    return _problem(500, {"kind": "fault", "message": "an unexpected database fault; nothing was changed"})


async def _on_disk(request: Request, error: Exception) -> Response:
    assert isinstance(error, OSError)
    status = 507 if error.errno in (errno.ENOSPC, errno.EDQUOT) else 500
    return _problem(status, disk_problem(error))
