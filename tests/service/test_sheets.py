"""Sheets through the service: laid out at once, made, fetched file by file, handed off."""

import json
import zipfile
from io import BytesIO
from typing import Any

import httpx
import numpy as np
import pytest
from PIL import Image

from jayflick.core.formats.sheet.description import SheetDocument
from jayflick.core.formats.sheet.format import cut_out
from tests.conftest import moving_square
from tests.server import until
from tests.service.conftest import bench, edit, finished, project_of

SHEET = {"id": "sheet", "name": "Sheet", "format": "sheet", "file_name": "terns.png", "spacing": 1}


@pytest.fixture
def project(client: httpx.Client) -> str:
    return project_of(client, moving_square(6, 48, 32, soft=True))


def only(client: httpx.Client, project: str, **said: Any) -> dict[str, Any]:
    """The result of a sheet that is the project's only output."""
    change(client, project, **said)
    return finished(client, project)


def change(client: httpx.Client, project: str, **said: Any) -> None:
    edit(client, project, lambda recipe: recipe.update(outputs=[{**SHEET, **said}])).raise_for_status()


def laid_out(client: httpx.Client, project: str, **said: Any) -> dict[str, Any]:
    recipe = bench(client, project)["recipe"]
    recipe["outputs"] = [{**SHEET, **said}]
    answer = client.post(f"/api/projects/{project}/sheet", json={"recipe": recipe, "output_id": "sheet"})
    answer.raise_for_status()
    found: dict[str, Any] = answer.json()
    return found


def test_a_sheet_is_made_as_it_was_laid_out_and_leaves_with_its_description(
    client: httpx.Client, project: str
) -> None:
    plan = laid_out(client, project)
    assert (plan["measured"], plan["off"], plan["sheets"]) == (True, [], [[97, 98]])
    result = only(client, project)
    assert result["info"]["sheets"] == plan["sheets"]
    fetched = [client.get(f"/api/results/{result['id']}/files/{number}") for number in range(3)]
    assert [answer.status_code for answer in fetched] == [200, 200, 404]
    picture = np.array(Image.open(BytesIO(fetched[0].content)).convert("RGBA"))
    document = SheetDocument.model_validate_json(fetched[1].content)
    assert [[frame.sheet, frame.x, frame.y, 0] for frame in document.frames] == plan["cells"]
    for number, frame in enumerate(document.frames):
        played = client.get(f"/api/results/{result['id']}/frames/{number}")
        assert np.array_equal(np.array(Image.open(BytesIO(played.content))), cut_out(picture, frame))
    whole = client.get(f"/api/results/{result['id']}/file?download=true")
    assert "terns.zip" in whole.headers["content-disposition"]
    packed = zipfile.ZipFile(BytesIO(whole.content))
    assert packed.namelist() == ["terns.png", "terns.json"]
    assert packed.read("terns.png") == fetched[0].content


def test_what_is_packed_is_laid_out_once_its_pixels_are_known(client: httpx.Client, project: str) -> None:
    size = {"width": 40}  # not framed yet
    assert laid_out(client, project, layout="packed", size=size) == {
        **laid_out(client, project, layout="packed", size=size),
        "measured": False,
        "cells": [],
    }
    only(client, project, layout="packed", size=size)
    plan = laid_out(client, project, layout="packed", size=size, turn=True)
    assert (plan["measured"], len(plan["cells"]), plan["off"]) == (True, 6, [])


def test_frames_that_run_off_are_counted_and_one_remedy_makes_them_fit(
    client: httpx.Client, project: str
) -> None:
    change(client, project, widest=80)
    error = until(lambda: next((job["error"] for job in bench(client, project)["jobs"]), None))
    assert error["message"] == "4 of 6 frames do not fit on a sheet of 80 × 80"
    plan = laid_out(client, project, widest=80)
    assert len(plan["off"]) == 4
    remedy = plan["remedies"][0]
    assert remedy["text"].startswith("scale to 0.")
    size = {setting["path"][-1]: setting["value"] for setting in remedy["settings"]}
    result = only(client, project, widest=80, size=size)
    assert max(result["info"]["sheets"][0]) <= 80


def test_a_changed_description_marks_what_was_handed_off_and_codes_nothing(
    client: httpx.Client, project: str
) -> None:
    first = only(client, project)
    asked = {"outputs": ["sheet"], "to": "download", "replace": False}
    client.post(f"/api/projects/{project}/handoff", json=asked).raise_for_status()
    second = only(client, project, anchor=[0.5, 1])
    assert second["pixels"] == first["pixels"]
    (left,) = bench(client, project)["handoffs"]
    assert left["content"] == first["content"] != second["content"]
    described = json.loads(client.get(f"/api/results/{second['id']}/files/1").content)
    assert described["frames"][0]["anchor_y"] == 1


def test_only_sheets_are_laid_out(client: httpx.Client, project: str) -> None:
    recipe = bench(client, project)["recipe"]
    asked = {"recipe": recipe, "output_id": recipe["outputs"][0]["id"]}
    answer = client.post(f"/api/projects/{project}/sheet", json=asked)
    assert (answer.status_code, answer.json()["message"]) == (422, "this output is no sheet")
    answer = client.post(f"/api/projects/{project}/sheet", json={**asked, "output_id": "other"})
    assert answer.status_code == 404
