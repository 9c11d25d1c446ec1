"""A palette that a file brings."""

from io import BytesIO
from typing import Annotated

from anyio import to_thread
from fastapi import APIRouter, Query, Request

from ...core.errors import InputError
from ...core.sequence.colours import MOST
from ..bounds import UNBOUND
from ..decoding import Wanted
from ..imports import clean_name
from ..parts import Parts

router = APIRouter(tags=["palettes"])

LARGEST = 64 << 20
"""Bytes of a file that a palette is taken from."""


@router.post(
    "/palettes",
    max_body_size=UNBOUND,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
async def read_palette(
    request: Request,
    service: Parts,
    name: Annotated[str, Query(max_length=1000, description="What the file is called")],
    most: Annotated[int, Query(ge=2, le=MOST, description="Colours, if a picture shows more")] = MOST,
) -> list[str]:
    """The colours of a picture, a loop or a list of them, as #rrggbb. Nothing of it is kept."""
    name = clean_name(name)
    data = BytesIO()
    async for part in request.stream():
        if data.tell() + len(part) > LARGEST:
            raise InputError(f"is larger than {LARGEST >> 20} MB", file=name, remedy="scale it down")
        data.write(part)

    def read() -> list[str]:
        return list(service.decoders.colours(data.getvalue(), name, most, Wanted()).colours)

    return await to_thread.run_sync(read, limiter=service.readers)
