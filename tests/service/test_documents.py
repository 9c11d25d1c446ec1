"""Documents that are wrong in any way are refused in words, and never a fault or an outage."""

import copy
import json
import zipfile
from collections.abc import Iterator
from io import BytesIO
from typing import Any

import httpx
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from tests.conftest import moving_square
from tests.server import Server
from tests.service.conftest import bench, numbered, project_of

SOME = settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
MANY = settings(SOME, max_examples=60)
NASTY: list[Any] = [
    None, True, -1, 0, 1.5, 2**31, 2**63, -(2**63) - 1, 10**400, 1e308, float("nan"), "", " ", "\0", "\u202e",
    "\ud800", "x" * 70_000, "4" * 30, [], {}, [[]], {"": None}, [0] * 30_000, {str(n): n for n in range(3000)},
]  # fmt: skip


def places(document: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The paths of all values in a document."""
    inner = (
        document.items()
        if isinstance(document, dict)
        else enumerate(document if isinstance(document, list) else ())
    )
    for key, value in inner:
        yield (*path, key)
        yield from places(value, (*path, key))


def spoilt(document: Any, which: int, how: int, more: bool) -> Any:
    """The document with one value replaced, or with one more beside it."""
    result = copy.deepcopy(document)
    every = list(places(result))
    *path, last = every[which % len(every)]
    around = result
    for key in path:
        around = around[key]
    nasty = NASTY[how % len(NASTY)]
    if not more:
        around[last] = nasty
    elif isinstance(around, dict):
        around["extra" if how % 2 else "99999999999999999999"] = nasty
    else:
        around.append(nasty)
    return result


@pytest.fixture
def project(server: Server) -> Iterator[str]:
    with server.client() as client:
        made = project_of(client, moving_square(6))
        yield made
        client.delete(f"/api/projects/{made}")


def full_recipe(recipe: dict[str, Any]) -> dict[str, Any]:
    """A recipe in which everything is said that can be."""
    span = {"name": "walk", "first": 1, "last": 3, "rate": "12", "direction": "reverse", "repeat": 2}
    rhythm = {
        "order": [1, 2, 0, 3, 4, 5, 6],
        "holds": {"2": 70_560_000},
        "first": 1,
        "last": 5,
        "spans": [span],
    }
    gather = {"left_out": [6], "folded": [5], "size": [48, 32], "over": "#000000"}
    recipe["rhythm"].update(rhythm)
    recipe["gather"].update(gather)
    recipe["framing"].update(crop=[0, 0, 40, 30])
    recipe["outputs"][0].update(budget=4096)
    recipe["outputs"][0]["take"].update(spans=["walk"], rate="10")
    return recipe


@MANY
@given(which=st.integers(0, 500), how=st.integers(0, 50), more=st.booleans(), at=st.integers(0, 6))
@example(which=3, how=9, more=False, at=0)
def test_requests_that_are_wrong_in_one_place_are_answered_in_words(
    server: Server, project: str, which: int, how: int, more: bool, at: int
) -> None:
    with server.client() as client:
        shown = bench(client, project)
        base = {"base_revision": shown["revision"]["id"], "label": "A change", "gesture": "g"}
        recipe = full_recipe(shown["recipe"])
        edit = {**base, "recipe": recipe}
        cut = {"first": 1, "last": 3, "step": 1}
        none = "0" * 32
        method, address, document = [
            ("PUT", f"/api/projects/{project}/recipe", edit),
            ("POST", f"/api/projects/{project}/plan", {"recipe": recipe, "output_id": "page"}),
            ("PATCH", f"/api/projects/{project}", {"name": "Wake"}),
            ("POST", f"/api/projects/{project}/split", {"positions": [1, 2]}),
            ("POST", f"/api/imports/{none}/finish", {"projects": [{"patterns": ["a"], "name": "b"}]}),
            ("POST", f"/api/imports/{none}/clips/{'0' * 64}", cut),
            ("POST", f"/api/projects/{project}/join", {"project_id": none}),
        ][at]
        body = json.dumps(spoilt(document, which, how, more))
        answer = client.request(method, address, content=body, headers={"content-type": "application/json"})
        assert answer.status_code in (200, 201, 404, 409, 413, 422), answer.text
        if answer.status_code >= 400:
            assert answer.json()["message"]
        bench(client, project)  # whatever was taken can be shown
        for card in client.get("/api/projects").json():
            if card["id"] != project:
                client.delete(f"/api/projects/{card['id']}")


@pytest.mark.parametrize("body", [b"[" * 200_000, b'{"name": ' + b"7" * 5000 + b"}", b"\xff\xfe", b"", b"nul"])
def test_what_is_no_json_is_refused(client: httpx.Client, project: str, body: bytes) -> None:
    headers = {"content-type": "application/json"}
    answer = client.patch(f"/api/projects/{project}", content=body, headers=headers)
    assert answer.status_code == 422
    assert "body" in answer.json()["message"]


@SOME
@given(which=st.integers(0, 500), how=st.integers(0, 50), more=st.booleans())
@example(which=0, how=0, more=True)
def test_a_project_file_that_is_wrong_in_one_place_is_refused_by_the_name_of_the_place(
    server: Server, project: str, which: int, how: int, more: bool
) -> None:
    with server.client() as client:
        saved = zipfile.ZipFile(BytesIO(client.get(f"/api/projects/{project}/archive").content))
        document = json.loads(saved.read("project.json"))
        document["recipe"] = full_recipe(document["recipe"])
        document["report"]["sizes"] = {"48x32": 6}
        out = BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("project.json", json.dumps(spoilt(document, which, how, more)))
            for name in saved.namelist():
                if name.startswith("frames/"):
                    archive.writestr(name, saved.read(name))
        import_id = client.post("/api/imports").json()["id"]
        parts = [("files", ("wake.zip", out.getvalue()))]
        taken = client.post(f"/api/imports/{import_id}/files", files=parts).raise_for_status().json()
        done = client.post(f"/api/imports/{import_id}/finish")
        assert done.status_code in (200, 422), done.text
        problem = taken[0]["problem"] if done.status_code == 200 else done.json()
        if problem is not None:  # whole, or in a place that says nothing: then it came
            assert "project.json" in (problem["file"] or "")
            assert problem["remedy"]
        for card in client.get("/api/projects").json():
            if card["id"] != project:
                bench(client, card["id"])
                client.delete(f"/api/projects/{card['id']}")


def test_names_are_cleaned_wherever_they_come_in_and_blank_ones_refused(client: httpx.Client) -> None:
    import_id = client.post("/api/imports").json()["id"]
    files = [("files", file) for file in numbered(moving_square(2), "gull_{}.png")]
    client.post(f"/api/imports/{import_id}/files", files=files).raise_for_status()
    named = {"projects": [{"patterns": ["gull_#.png"], "name": " \u202eGull\0 "}]}
    (card,) = client.post(f"/api/imports/{import_id}/finish", json=named).raise_for_status().json()["projects"]
    assert card["name"] == "Gull"
    address = f"/api/projects/{card['id']}"
    assert client.patch(address, json={"name": "\u2066Tern\x07"}).json()["name"] == "Tern"
    for blank in ("", "  ", "\u202e", "\0\n"):
        assert client.patch(address, json={"name": blank}).status_code == 422
