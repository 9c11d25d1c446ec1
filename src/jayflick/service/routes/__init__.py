"""The HTTP interface, a module for each thing it is about."""

from fastapi import APIRouter

from ..errors import NotFound
from . import (
    folders,
    framing,
    imports,
    jobs,
    palettes,
    pictures,
    projects,
    searches,
    sending,
    server,
    tables,
    targets,
)

router = APIRouter(prefix="/api")
for part in (
    server,
    imports,
    folders,
    projects,
    tables,
    framing,
    targets,
    searches,
    sending,
    jobs,
    palettes,
    pictures,
):
    router.include_router(part.router)


@router.get("/{rest:path}", include_in_schema=False)
def no_such_route(rest: str) -> None:
    raise NotFound("there is nothing at this address")
