"""Whether what the service answers is what its document says of it."""

import json
import re
from functools import cache
from typing import Any

import httpx

from jayflick.service import openapi


@cache
def _operations() -> list[tuple[re.Pattern[str], dict[str, Any]]]:
    paths = json.loads(openapi.document())["paths"]
    # An address with a name where another has a parameter is the former.
    ordered = sorted(paths.items(), key=lambda one: one[0].count("{"))
    return [(re.compile(re.sub(r"\{\w+\}", "[^/]+", path)), methods) for path, methods in ordered]


def as_documented(answer: httpx.Response) -> None:
    """For a client of tests: every answer has a status and media type that its operation is documented with."""
    request = answer.request
    for path, methods in _operations():
        if not path.fullmatch(request.url.path) or request.method.lower() not in methods:
            continue
        stated = methods[request.method.lower()]["responses"].get(str(answer.status_code))
        told = f"{request.method} {request.url.path}: {answer.status_code}"
        assert stated is not None, f"{told} is not documented"
        if answer.status_code == 204:
            return  # it has no content
        media_type = answer.headers.get("content-type", "").partition(";")[0]
        assert media_type in (stated.get("content") or [""]), f"{told} with {media_type!r} is not documented"
        return
