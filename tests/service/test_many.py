"""Many projects at once: like one that is there, as one table, changed, taken back, fitted, handed off."""

import signal
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
from PIL import Image
from sqlalchemy import event

from jayflick.service.mariadb import PrivateServer
from jayflick.service.settings import Settings
from tests.conftest import moving_square
from tests.server import Server, until
from tests.service.conftest import (
    bench,
    colours,
    edit,
    finished,
    heavy,
    numbered,
    project_of,
    serving,
)

Action = dict[str, Any]


def batch(client: httpx.Client, projects: list[str], action: Action, **more: Any) -> dict[str, Any]:
    """Ask for something, and wait until it is over."""
    body = {"projects": projects, "action": action, **more}
    begun = client.post("/api/batches", json=body).raise_for_status().json()
    return ended(client, begun["id"])


def ended(client: httpx.Client, number: int) -> dict[str, Any]:
    found: dict[str, Any] = until(
        lambda: next((one for one in told(client, number) if not one["under_way"]), None)
    )
    return found


def told(client: httpx.Client, number: int) -> list[dict[str, Any]]:
    return [one for one in client.get("/api/batches").json() if one["id"] == number]


def after(client: httpx.Client, number: int, what: str) -> dict[str, Any]:
    begun = client.post(f"/api/batches/{number}/{what}").raise_for_status().json()
    return ended(client, begun["id"])


def outputs(client: httpx.Client, project_id: str) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = bench(client, project_id)["recipe"]["outputs"]
    return found


def some(client: httpx.Client, count: int = 3) -> list[str]:
    """Projects of a few frames, named apart; every one has another square."""
    return [project_of(client, moving_square(4 + at)) for at in range(count)]


def test_sequences_of_a_drop_become_projects_like_one_that_is_there(client: httpx.Client) -> None:
    first = project_of(client, moving_square(8))

    def change(recipe: dict[str, Any]) -> None:
        recipe["rhythm"]["rate"] = "12"
        recipe["rhythm"]["last"] = 6
        recipe["outputs"][0]["tuning"]["colours"] = 16

    edit(client, first, change).raise_for_status()
    import_id = client.post("/api/imports").json()["id"]
    files = [*numbered(moving_square(7), "walk_{}.png"), *numbered(moving_square(4), "turn_{}.png")]
    body = [("files", (name, data, "image/png")) for name, data in files]
    client.post(f"/api/imports/{import_id}/files", files=body).raise_for_status()
    like = {"project_id": first, "settings": ["rhythm", "outputs"]}
    every = [{"patterns": [pattern]} for pattern in ("walk_#.png", "turn_#.png")]
    together = {"patterns": ["turn_#.png", "walk_#.png"]}
    stills = {"patterns": ["walk_#.png"], "separate": True}
    looked = {"projects": [*every, together, stills], "like": like}
    before = client.post(f"/api/imports/{import_id}/settings", json=looked).json()
    ends = "the range ends at {} instead of 6"
    assert [found["notes"] for found in before] == [[], [ends.format(4)], [], [ends.format(1)]]
    done = client.post(f"/api/imports/{import_id}/finish", json={"projects": every, "like": like}).json()
    made = {project["name"]: project["recipe"] for project in done["projects"]}
    assert {name: recipe["rhythm"]["last"] for name, recipe in made.items()} == {"Walk": 6, "Turn": 4}
    assert {recipe["rhythm"]["rate"] for recipe in made.values()} == {"12"}
    assert {recipe["outputs"][0]["tuning"]["colours"] for recipe in made.values()} == {16}
    assert {recipe["outputs"][0]["file_name"] for recipe in made.values()} == {"walk.gif", "turn.gif"}


def test_what_is_set_in_many_is_one_step_back_in_each_and_in_all(client: httpx.Client) -> None:
    projects = some(client)
    edit(client, projects[1], colours(16)).raise_for_status()
    before = [bench(client, one)["recipe"] for one in projects]
    changed = batch(client, projects, {"kind": "set", "setting": "colours", "value": 16})
    assert (changed["done"], changed["changed"], changed["undo"]) == (3, 2, True), "one of them had it already"
    assert {one["tuning"]["colours"] for project in projects for one in outputs(client, project)} == {16}
    assert [bench(client, one)["undo"] for one in projects] == ["Colours 16", "A change", "Colours 16"]
    back = after(client, changed["id"], "undo")
    assert (back["done"], back["failed"]) == (2, 0)
    assert [bench(client, one)["recipe"] for one in projects] == before
    assert client.post(f"/api/batches/{changed['id']}/undo").status_code == 409, "there is nothing left of it"

    # What somebody went on with is left alone, and that is said.
    again = batch(client, projects, {"kind": "set", "setting": "width", "value": 12})
    edit(client, projects[0], colours(8)).raise_for_status()
    back = after(client, again["id"], "undo")
    assert [failure["project_id"] for failure in back["failures"]] == [projects[0]]
    assert "changed since" in back["failures"][0]["error"]["message"]
    assert [outputs(client, one)[0]["size"]["width"] for one in projects] == [12, None, None]


def test_a_change_of_many_is_looked_at_before_it_is_made(client: httpx.Client) -> None:
    projects = some(client, 2)
    action = {"kind": "set", "setting": "quality", "value": 50}
    seen = client.post("/api/batches/look", json={"projects": projects, "action": action}).json()
    assert seen["changed"] == 0
    assert [note["note"] for note in seen["notes"]] == [
        f"{one['name']} has no quality" for one in outputs(client, projects[0])
    ] * 2
    action = {"kind": "set", "setting": "colours", "value": 1}
    seen = client.post("/api/batches/look", json={"projects": projects, "action": action}).json()
    assert len(seen["failures"]) == 2
    assert "colours 1" in seen["failures"][0]["error"]["message"]
    failed = batch(client, projects, action)
    assert (failed["failed"], failed["changed"], failed["undo"]) == (2, 0, False)
    taken = {"kind": "take", "project_id": projects[0], "recipe": None, "settings": ["framing"]}
    edit(client, projects[0], lambda recipe: recipe["framing"].update(crop=[0, 0, 22, 20])).raise_for_status()
    seen = client.post("/api/batches/look", json={"projects": projects, "action": taken}).json()
    assert seen["changed"] == 1, "a project takes nothing of itself"
    assert client.post("/api/batches", json={"projects": ["0" * 32], "action": action}).status_code == 404


def test_many_are_fitted_checked_and_handed_off_as_one_zip(client: httpx.Client) -> None:
    noise = project_of(client, [frame[:60, :80] for frame in heavy(4, seed=71)])
    small = project_of(client, moving_square(5))
    projects = [noise, small]
    most = finished(client, noise)["info"]["bytes"] // 3
    fitted = batch(client, projects, {"kind": "fit", "most": most})
    assert (fitted["done"], fitted["failed"]) == (2, 0)
    assert finished(client, noise)["info"]["bytes"] <= most
    assert {one["target"]["figures"]["bytes"]["stop"]["most"] for one in outputs(client, noise)} == {most}
    table = {row["id"]: row["cells"][0] for row in client.post("/api/table", json={}).json()}
    assert {table[one]["verdict"] for one in projects} == {"pass"}
    assert table[noise]["result"]["ssim"] < 1, "it was measured when it was fitted"
    zipped = batch(client, projects, {"kind": "hand-off", "names": "{project}/{output}/{file}"})
    assert zipped["download"]
    archive = zipfile.ZipFile(BytesIO(client.get(f"/api/batches/{zipped['id']}/zip").content))
    assert archive.testzip() is None
    names = {bench(client, one)["name"]: one for one in projects}
    assert {name.split("/")[0] for name in archive.namelist()} == set(names)
    for name in archive.namelist():
        its_own = names[name.split("/")[0]]
        assert archive.read(name) == client.get(f"/api/results/{finished(client, its_own)['id']}/file").content
        assert getattr(Image.open(BytesIO(archive.read(name))), "n_frames", 1) > 1
    assert bench(client, small)["handoffs"][0]["bytes"] == finished(client, small)["info"]["bytes"]
    back = after(client, fitted["id"], "undo")
    assert back["failed"] == 0
    assert finished(client, noise)["info"]["bytes"] > most
    # No budget is so small that a file could not be said to miss it.
    impossible = batch(client, [noise], {"kind": "fit", "most": 1024, "may": ["dither"]})
    assert "nothing that was tried fits" in impossible["failures"][0]["error"]["message"]
    assert impossible["undo"], "the budget was set"


def test_names_that_do_not_tell_files_apart_are_refused_before_anything_leaves(client: httpx.Client) -> None:
    projects = some(client, 2)
    for one in projects:
        edit(client, one, lambda recipe: recipe["outputs"][0].update(file_name="loop.gif")).raise_for_status()
    for names, why in [
        ("{file}", "would have the same file"),
        ("{sequence}/{file}", "a place that is not known"),
        ("{project}", "does not say what files are called"),
        ("../{project}/{file}", "leads out"),
        ("/tmp/{project}/{file}", "leads out"),
    ]:
        body = {"projects": projects, "action": {"kind": "hand-off", "names": names}}
        answer = client.post("/api/batches", json=body)
        assert answer.status_code == 422, names
        assert why in answer.json()["message"]


def test_what_failed_is_kept_with_its_reason_and_tried_again(place: Server, handoff: Path) -> None:
    with place.client() as client:
        projects = some(client, 3)
        into = {"kind": "hand-off", "to": "folder"}
        name = bench(client, projects[1])["name"]
        file = handoff / name / outputs(client, projects[1])[0]["file_name"]
        file.parent.mkdir()
        file.write_bytes(b"somebody else's")
        found = batch(client, projects, into)
        assert (found["done"], found["failed"]) == (2, 1)
        assert "already there" in found["failures"][0]["error"]["message"]
        assert file.read_bytes() == b"somebody else's"
        file.unlink()
        found = after(client, found["id"], "retry")
        assert (found["done"], found["failed"]) == (3, 0)
        assert file.read_bytes()[:6] == b"GIF89a"
        assert batch(client, projects, into)["failed"] == 0, "the very same files are no obstacle"


def test_deleted_together_they_come_back_together(client: httpx.Client) -> None:
    projects = some(client, 3)
    deleted = batch(client, projects, {"kind": "delete"})
    assert deleted["changed"] == 3
    assert client.post("/api/table", json={"projects": projects}).json() == []
    after(client, deleted["id"], "undo")
    assert {row["id"] for row in client.post("/api/table", json={"projects": projects}).json()} == set(projects)


def test_it_goes_on_after_the_service_was_killed_and_can_be_called_off(own: Server) -> None:
    with own.client() as client:
        projects = [project_of(client, heavy(3, seed=80 + at)) for at in range(3)]
        sizes = [finished(client, one)["info"]["bytes"] for one in projects]
        body = {"projects": projects, "action": {"kind": "fit", "most": min(sizes) // 2, "may": ["colours"]}}
        number = client.post("/api/batches", json=body).raise_for_status().json()["id"]
        until(lambda: client.get("/api/projects/" + projects[0] + "/trials?output=page").json()["searches"])
    own.stop(signal.SIGKILL)
    own.start("--no-demo")
    with own.client() as client:
        until(lambda: told(client, number)[0]["done"] >= 1)
        client.post(f"/api/batches/{number}/cancel").raise_for_status()
        found = ended(client, number)
        assert found["done"] + found["cancelled"] == 3
        assert found["cancelled"] >= 1
        fitting = [finished(client, one)["info"]["bytes"] <= min(sizes) // 2 for one in projects]
        assert sum(fitting) == found["done"]
        until(
            lambda: all(
                search["state"] != "running"
                for one in projects
                for search in client.get(f"/api/projects/{one}/trials?output=page").json()["searches"]
            )
        )


def test_a_table_takes_as_many_questions_for_many_projects_as_for_few(
    tmp_path: Path, database: PrivateServer
) -> None:
    asked: list[str] = []
    settings = Settings(data=tmp_path, database=database.url, workers=1, decoders=1)
    with serving(settings) as (client, service):
        event.listen(service.engine, "before_cursor_execute", lambda *args: asked.append(args[2]))

        def questions(projects: list[str]) -> int:
            for one in projects:
                finished(client, one)
            until(lambda: all(not bench(client, one)["jobs"] for one in projects))
            counted = []
            for _ in range(5):  # other threads may ask something beside it
                asked.clear()
                rows = client.post("/api/table", json={"projects": projects}).json()
                counted.append(sum(statement.startswith("SELECT") for statement in asked))
                assert {row["id"] for row in rows} == set(projects)
            return min(counted)

        few = some(client, 2)
        many = [*few, *some(client, 6)]
        assert questions(few) == questions(many)
