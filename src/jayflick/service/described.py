"""The API's OpenAPI document, with what its parts are called said once for all routes."""

from typing import Any

from fastapi import FastAPI

PARAMETERS = {
    "project_id": "A project, as the shelf lists it",
    "import_id": "An import, as beginning it answered",
    "sha256": "A file by its SHA-256, in hexadecimal digits",
    "frame_set": "A set of frames, as its project names it",
    "page": "A page of them, from 0",
    "job_id": "A job, as its project or the events name it",
    "revision_id": "A revision, as its project names it",
    "output_id": "An output of its recipe",
    "result_id": "A result, as its project names it",
    "search_id": "A search, as beginning it answered",
    "batch_id": "A batch, as beginning it answered",
    "trial_id": "A trial, as the list of trials names it",
    "shot": "What a step shows, as the plan writes it",
    "index": "A played step, from 0",
    "name": "A target of your own, by its name",
    "number": "Which one, from 1, or by the number that it was given",
}
"""What parameters of addresses are."""
REFUSED = {
    "403": "It comes from another page, or from a user who may not ask",
    "405": "There is no such method here",
}


def describe(app: FastAPI) -> None:
    """Let the application's document say what every parameter is, and every refusal."""
    plain = app.openapi

    def document() -> dict[str, Any]:
        if app.openapi_schema is None:
            found = plain()
            for operations in found["paths"].values():
                for operation in operations.values():
                    _complete(operation)
        return app.openapi_schema or plain()

    app.openapi = document  # type: ignore[method-assign]


def _complete(operation: dict[str, Any]) -> None:
    for parameter in operation.get("parameters", []):
        if parameter["in"] == "path" and "description" not in parameter:
            parameter["description"] = PARAMETERS[parameter["name"]]
    problem = {"application/json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    for status, words in REFUSED.items():
        operation["responses"].setdefault(status, {"description": words, "content": problem})
