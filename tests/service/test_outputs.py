"""Many outputs of one project: made in turn, checked, handed off, and what is remembered of that."""

import hashlib
import json
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
from PIL import Image, ImageSequence

from jayflick.core.targets.catalogue import find
from tests.conftest import lit_ball, moving_square
from tests.core.test_broadcast import curtain
from tests.prepared import copy_empty
from tests.server import Server, until
from tests.service.conftest import FEW, bench, edit, finished, heavy, project_of

WEBP = {"id": "soft", "name": "WebP", "format": "webp", "file_name": "wave.webp", "quality": 70, "effort": 0}
SET = {
    "id": "set",
    "name": "Set",
    "format": "frames",
    "file_name": "wave.zip",
    "picture": "tga",
    "names": "w_##",
}
CLIP = {"id": "clip", "name": "Clip", "format": "video", "codec": "vp9", "file_name": "wave.webm"}
SAME = {"id": "still", "name": "Still", "format": "still", "file_name": "wave.webp", "picture": "webp"}


def add(client: httpx.Client, project: str, *outputs: dict[str, Any], **more: Any) -> None:
    edit(client, project, lambda recipe: recipe["outputs"].extend(outputs), **more).raise_for_status()


def all_made(client: httpx.Client, project: str) -> dict[str, dict[str, Any]]:
    """The results of all outputs, by id, once each is that of the revision that counts."""

    def ready() -> dict[str, dict[str, Any]] | None:
        shown = bench(client, project)
        results = {one["output_id"]: one for one in shown["results"]}
        current = all(one["revision_id"] == shown["revision"]["id"] for one in results.values())
        return results if current and len(results) == len(shown["recipe"]["outputs"]) else None

    found: dict[str, dict[str, Any]] = until(ready)
    return found


@pytest.fixture
def project(client: httpx.Client) -> str:
    made = project_of(client, moving_square(6, 48, 32, soft=True))
    add(client, made, WEBP, SET, CLIP, SAME)
    all_made(client, made)
    return made


@pytest.mark.parametrize("loss", [0, 90])
def test_a_palette_is_what_the_file_shows(client: httpx.Client, loss: int) -> None:
    """With loss there may be entries that nothing shows, anywhere among the others."""
    project = project_of(client, lit_ball(3, 96, 64))

    def tuned(**tuning: Any) -> dict[str, Any]:
        edit(client, project, lambda recipe: recipe["outputs"][0]["tuning"].update(tuning)).raise_for_status()
        return finished(client, project)

    made = tuned(colours=200, loss=loss)
    told = client.get(f"/api/results/{made['id']}/palette").json()
    assert len(told) == made["info"]["colours"]
    with Image.open(BytesIO(client.get(f"/api/results/{made['id']}/file").content)) as file:
        pictures = [np.array(frame.convert("RGB")) for frame in ImageSequence.Iterator(file)]
    shown = np.unique(np.concatenate(pictures).reshape(-1, 3), axis=0)
    assert {f"#{colour.tobytes().hex()}" for colour in shown} == set(told)
    refused = client.get(f"/api/results/{tuned(palette='frame')['id']}/palette")
    assert refused.status_code == 422
    assert "no palette that all its frames share" in refused.text
    add(client, project, WEBP)
    other = all_made(client, project)["soft"]
    assert "only a GIF has a palette" in client.get(f"/api/results/{other['id']}/palette").text


def test_every_output_is_made_and_fetched_as_the_file_it_is(client: httpx.Client, project: str) -> None:
    results = all_made(client, project)
    kinds = {}
    for name, result in results.items():
        answer = client.get(f"/api/results/{result['id']}/file?key={result['key']}")
        kinds[name] = answer.headers["content-type"]
        assert "immutable" in answer.headers["cache-control"]
        assert len(result["at"]) == len(result["delays"]) == (1 if name == "still" else 6)
        last = client.get(f"/api/results/{result['id']}/frames/{result['info']['count'] - 1}")
        assert Image.open(BytesIO(last.content)).size == (48, 32)
        beyond = client.get(f"/api/results/{result['id']}/frames/{result['info']['count']}")
        assert beyond.status_code == 404
    assert kinds == {
        "page": "image/gif",
        "soft": "image/webp",
        "set": "application/zip",
        "clip": "video/webm",
        "still": "image/webp",
    }
    listed = zipfile.ZipFile(BytesIO(client.get(f"/api/results/{results['set']['id']}/file").content))
    assert listed.namelist() == [f"w_0{n}.tga" for n in range(1, 7)]


def test_a_change_of_time_stores_nothing_and_codes_only_what_has_it_in_its_pictures(
    client: httpx.Client, project: str
) -> None:
    before = all_made(client, project)
    storage = client.get("/api/storage").json()["bytes"]

    def slower(recipe: dict[str, Any]) -> None:
        recipe["rhythm"].update(rate="12")

    answer = edit(client, project, slower).json()
    assert {job["output_id"] for job in answer["jobs"]} == {"clip"}
    after = all_made(client, project)
    same = {name for name in before if after[name]["pixels"] == before[name]["pixels"]}
    assert same == {"page", "soft", "set", "still"}
    assert after["soft"]["info"]["duration_ms"] == 500
    clip = after["clip"]["info"]["bytes"]
    assert client.get("/api/storage").json()["bytes"] - storage == clip


def test_one_zip_has_all_files_under_their_names_and_is_remembered(client: httpx.Client, project: str) -> None:
    answer = client.get(f"/api/projects/{project}/handoff")
    assert answer.headers["content-disposition"] == 'attachment; filename="wave.zip"'
    with zipfile.ZipFile(BytesIO(answer.content)) as archive:
        names = archive.namelist()
        assert [name for name in names if "/" not in name] == [
            "wave.gif",
            "wave.webp",
            "wave.webm",
            "wave-2.webp",
        ]
        assert [name for name in names if "/" in name] == [f"wave/w_0{n}.tga" for n in range(1, 7)]
        picture = np.array(Image.open(BytesIO(archive.read("wave/w_03.tga"))))
        np.testing.assert_array_equal(picture, moving_square(6, 48, 32, soft=True)[2])
        gif = archive.read("wave.gif")
    done = client.post(f"/api/projects/{project}/handoff", json={"outputs": ["page", "set"]}).json()
    assert (done["folder"], [one["output_id"] for one in done["handoffs"]]) == (None, ["page", "set"])
    left = done["handoffs"][0]
    assert (left["sha256"], left["bytes"]) == (hashlib.sha256(gif).hexdigest(), len(gif))
    result = all_made(client, project)["page"]
    assert left["content"] == result["content"]
    edit(client, project, lambda recipe: recipe["rhythm"].update(rate="10"))
    assert all_made(client, project)["page"]["content"] != left["content"]
    assert bench(client, project)["handoffs"][0]["sha256"] == left["sha256"]
    for wrong, status in ((["nothing"], 404), (["page"] * 21, 422)):
        assert client.post(f"/api/projects/{project}/handoff", json={"outputs": wrong}).status_code == status
    folder = client.post(f"/api/projects/{project}/handoff", json={"to": "folder"})
    assert (folder.status_code, "no hand-off folder" in folder.json()["message"]) == (404, True)


def test_a_check_stands_with_each_result_and_its_remedy_passes(client: httpx.Client, project: str) -> None:
    small = {"name": "tiny", "title": "Tiny", "figures": {"width": {"stop": {"most": 20}, "source": "ours"}}}
    edit(client, project, lambda recipe: recipe["outputs"][1].update(target=small)).raise_for_status()
    result = all_made(client, project)["soft"]
    found = bench(client, project)["checks"]["soft"]
    assert (found["result_id"], found["verdict"], found["title"]) == (result["id"], "fail", "Tiny")
    (rule,) = found["rules"]
    assert (rule["measured"], rule["allowed"]) == ("48 px", "at most 20 px")
    card = next(one for one in client.get("/api/projects").json() if one["id"] == project)
    assert card["checks"]["soft"]["verdict"] == "fail"

    def apply(recipe: dict[str, Any]) -> None:
        for setting in rule["remedy"]["settings"]:
            recipe["outputs"][1][setting["path"][1]][setting["path"][2]] = setting["value"]

    edit(client, project, apply).raise_for_status()
    all_made(client, project)
    assert bench(client, project)["checks"]["soft"]["verdict"] == "pass"
    assert client.post(f"/api/projects/{project}/undo").json()["checks"]["soft"]["verdict"] == "fail"


def test_targets_of_ones_own_are_kept_and_broken_ones_refused_by_line(client: httpx.Client) -> None:
    shipped = len(client.get("/api/targets").json())
    own = {"name": "pier-board", "title": "Pier board", "figures": {"bytes": {"stop": {"most": 9999}}}}
    for title in ("Pier board", "Pier notice board"):  # of the same name: replaced
        document = json.dumps({**own, "title": title})
        listed = client.post("/api/targets", json={"document": document}).raise_for_status().json()
        assert [one["target"]["title"] for one in listed if one["own"]] == [title]
    broken = client.post("/api/targets", json={"document": '{"name": "x",\n"title": 7}', "file": "x.json"})
    assert (broken.status_code, broken.json()["file"]) == (422, "x.json")
    assert "line 2, title" in broken.json()["message"]
    taken = client.post("/api/targets", json={"document": json.dumps({**own, "name": "post"})})
    assert "ships with" in taken.json()["message"]
    assert client.delete("/api/targets/pier-board").status_code == 204
    assert len(client.get("/api/targets").json()) == shipped


def test_the_output_that_is_looked_at_is_made_first(tmp_path: Path) -> None:
    server = Server(copy_empty(tmp_path / "data"), FEW, forked=True).start("--no-demo")
    try:
        with server.client() as client:
            project = project_of(client, heavy(4, seed=77))
            finished(client, project)
            # The one that takes longest is on show; the service would rather begin with the others.
            many = [{**SAME, "id": f"still-{n}", "frame": n + 1} for n in range(3)]
            add(client, project, *many, {**WEBP, "lossless": True}, chosen="soft")
            order = until(lambda: [one["output_id"] for one in bench(client, project)["results"]][1:])
            assert order == ["soft"]
            all_made(client, project)
    finally:
        server.stop()


def test_a_folder_takes_all_or_nothing_and_is_never_left(tmp_path: Path) -> None:
    folder = tmp_path / "out"
    folder.mkdir()
    server = Server(copy_empty(tmp_path / "data"), FEW, forked=True)
    server.start("--no-demo", "--handoff", str(folder))
    try:
        with server.client() as client:
            assert client.get("/api/limits").json()["handoff_folder"] == "out"
            project = project_of(client)
            client.patch(f"/api/projects/{project}", json={"name": "../Wave: 1"})
            odd = {**SET, "file_name": "...zip"}
            add(client, project, odd, SAME)
            all_made(client, project)
            address = f"/api/projects/{project}/handoff"
            done = client.post(address, json={"to": "folder"}).raise_for_status().json()
            place = folder / done["folder"]
            files = {str(file.relative_to(folder)) for file in folder.rglob("*") if file.is_file()}
            assert (place.parent, len(files)) == (folder, 8)
            assert {file.parent.name for file in place.rglob("*.tga")} == {"_."}
            assert not list(tmp_path.glob("*.tga"))
            assert client.post(address, json={"to": "folder"}).status_code == 200, "they are there just so"
            (place / "wave.gif").write_bytes(b"mine")
            again = client.post(address, json={"to": "folder"})
            assert (again.status_code, "already there: wave.gif" in again.json()["message"]) == (409, True)
            assert client.post(address, json={"to": "folder", "replace": True}).status_code == 200
            assert (place / "wave.gif").read_bytes()[:6] == b"GIF89a"
            outside = tmp_path / "elsewhere"
            outside.mkdir()
            (place / "wave.gif").unlink()
            (place / "wave.gif").symlink_to(outside / "wave.gif")
            refused = client.post(address, json={"to": "folder", "replace": True})
            assert (refused.status_code, list(outside.iterdir())) == (422, [])
    finally:
        server.stop()


def test_what_the_frames_use_is_found_and_frames_left_out_do_not_count(client: httpx.Client) -> None:
    soft = project_of(client, moving_square(6, 48, 32, soft=True))
    address = f"/api/projects/{soft}/trim"
    found = client.get(address, params={"by": "alpha", "tolerance": 0}).raise_for_status().json()
    assert found == {"box": [1, 7, 46, 12], "width": 48, "height": 32}
    wide = client.get(address, params={"by": "alpha", "tolerance": 0, "margin": 5}).json()
    assert wide["box"] == [0, 2, 48, 22]
    edit(client, soft, lambda recipe: recipe["gather"].update(left_out=[1, 2, 3, 4, 5])).raise_for_status()
    assert client.get(address, params={"by": "alpha", "tolerance": 0}).json()["box"] == [33, 7, 14, 12]
    assert client.get(address, params={"by": "change"}).json()["box"] is None  # one frame does not move
    assert client.get(address, params={"by": "magic"}).status_code == 422
    view = client.get(f"/api/pictures/{bench(client, soft)['frame_list'][0]['sha256']}/view")
    assert Image.open(BytesIO(view.content)).size == (48, 32)
    assert client.get(f"/api/pictures/{'0' * 64}/view").status_code == 404


def test_an_output_may_have_a_crop_of_its_own(client: httpx.Client) -> None:
    frames = moving_square(6, 48, 32)
    project = project_of(client, frames)
    own = {"crop": [10, 4, 20, 16], "drawn_on": [48, 32]}
    add(client, project, {**SAME, "picture": "png", "file_name": "a.png", "framing": own, "frame": 2})
    results = all_made(client, project)
    assert (results["page"]["info"]["width"], results["still"]["info"]["width"]) == (48, 20)
    file = client.get(f"/api/results/{results['still']['id']}/file").content
    np.testing.assert_array_equal(np.array(Image.open(BytesIO(file)).convert("RGBA")), frames[1][4:20, 10:30])
    source = client.get(f"/api/revisions/{results['still']['revision_id']}/outputs/still/source/2").content
    assert Image.open(BytesIO(source)).size == (20, 16)


def test_frames_are_lined_up_and_their_levels_are_told(client: httpx.Client) -> None:
    random = np.random.default_rng(5)
    scene = np.repeat(np.repeat(random.integers(30, 220, (16, 20, 3), np.uint8), 8, axis=0), 8, axis=1)
    frames = []
    for right, down, gain in ((0, 0, 1.0), (3, -2, 0.9), (-4, 1, 1.08)):
        part = (scene[10 + down : 110 + down, 10 + right : 130 + right] * gain).astype(np.uint8)
        frames.append(np.dstack([part, np.full((100, 120), 255, np.uint8)]))
    frames.append(np.full((100, 120, 4), 255, np.uint8))
    project = project_of(client, frames)
    address = f"/api/projects/{project}"

    found = client.post(f"{address}/moves", json={"anchor": 1, "positions": [1, 2, 3, 4]}).json()
    moves = {one["position"]: one["move"] for one in found}
    assert [moves[1]["x"], moves[4]] == [0, None]
    assert (moves[2]["x"], moves[2]["y"]) == pytest.approx((3, -2), abs=0.1)
    assert (moves[3]["x"], moves[3]["y"]) == pytest.approx((-4, 1), abs=0.1)
    line_up = {
        "anchor": 1,
        "moves": {str(p): move for p, move in moves.items() if move},
        "drawn_on": [120, 100],
    }
    steady = client.post(f"{address}/steady", json=line_up).raise_for_status().json()
    left, top, width, height = steady["common"]
    assert (left, top) == (pytest.approx(3, abs=1), pytest.approx(1, abs=1))
    assert (width, height) == (pytest.approx(113, abs=2), pytest.approx(97, abs=2))
    assert 1.05 < steady["enlarged"] < 1.1
    framing = {"match": {"to": 1}, "line_up": {**line_up, "cover": "enlarge"}}
    asked = {"positions": [1, 2, 3], "histogram": 2, "framing": framing}
    levels = client.post(f"{address}/levels", json=asked).raise_for_status().json()
    before = [one["before"] for one in levels["frames"]]
    after = [one["after"] for one in levels["frames"]]
    assert np.ptp(before) > 10 * np.ptp(after)
    assert [sum(channel) for channel in levels["before"]] == pytest.approx([1, 1, 1], abs=1e-3)
    assert levels["before"] != levels["after"]
    for path, body in (
        ("moves", {"anchor": 9, "positions": [1]}),
        ("moves", {"anchor": 1, "positions": [2], "box": [100, 0, 40, 40]}),
        ("levels", {"positions": [5]}),
        ("steady", {"anchor": 1, "drawn_on": [65536, 65536]}),  # more than would fit in memory
        ("moves", {"anchor": 1, "positions": []}),
    ):
        assert client.post(f"{address}/{path}", json=body).status_code == 422


def test_a_picture_is_cut_into_views_and_undo_brings_it_back(client: httpx.Client) -> None:
    wide = np.full((40, 181, 4), 255, np.uint8)
    for number in range(3):
        wide[:, number * 60 : (number + 1) * 60, :3] = 40 + 60 * number
    project = project_of(client, [wide])
    edit(client, project, lambda recipe: recipe["framing"].update(crop=[0, 0, 90, 40], drawn_on=[181, 40]))
    before = bench(client, project)
    body = {"base_revision": before["revision"]["id"], "across": 3, "down": 1}
    address = f"/api/projects/{project}/views"
    assert client.post(address, json={**body, "across": 100, "down": 100}).status_code == 422
    client.post(address, json=body).raise_for_status()
    after = bench(client, project)
    assert [(one["width"], one["height"]) for one in after["frame_list"]] == [(60, 40)] * 3
    assert after["recipe"]["framing"]["crop"] is None
    assert finished(client, project)["info"]["count"] == 3
    assert client.post(address, json=body).status_code == 409  # of a revision that is not the newest any more
    undone = client.post(f"/api/projects/{project}/undo").json()
    assert undone["recipe"] == before["recipe"]
    assert [one["width"] for one in bench(client, project)["frame_list"]] == [181]


def test_a_cut_out_flies_over_a_backdrop(client: httpx.Client) -> None:
    cut_out = np.zeros((20, 20, 4), np.uint8)
    cut_out[5:15, 5:15] = (200, 30, 30, 255)
    ground = np.full((40, 100, 4), 255, np.uint8)
    project = project_of(client, [cut_out, ground])
    revision = bench(client, project)["revision"]["id"]
    flight = {"count": 5, "start": {"x": 10, "y": 20}, "end": {"x": 90, "y": 20}}
    body = {"base_revision": revision, "cut_out": 1, "backdrop": 2, "flight": flight}
    address = f"/api/projects/{project}/flight"
    assert client.post(address, json={**body, "backdrop": 3}).status_code == 422
    assert client.post(address, json={**body, "flight": {**flight, "count": 601}}).status_code == 422
    client.post(address, json=body).raise_for_status()
    made = bench(client, project)
    assert [(one["width"], one["height"]) for one in made["frame_list"]] == [(100, 40)] * 5
    result = finished(client, project)
    assert result["info"]["count"] == 5
    client.post(f"/api/projects/{project}/undo").raise_for_status()
    assert len(bench(client, project)["frame_list"]) == 2


def test_where_a_transition_is_best_cut_is_measured_on_its_frames(client: httpx.Client) -> None:
    made = project_of(client, curtain(9))
    target = find("switcher-transition").model_dump(mode="json")
    add(client, made, {**SET, "picture": "png", "target": target})
    result = all_made(client, made)["set"]
    assert [share == 1 for share in result["info"]["opaque"]] == [
        number in (4, 5, 6) for number in range(1, 10)
    ]
    check = bench(client, made)["checks"]["set"]
    assert check["cut"] == 5
    assert next(rule for rule in check["rules"] if rule["rule"] == "Cover")["verdict"] == "pass"


def test_projects_of_odd_names_have_folders_of_their_own_and_what_is_recorded_was_written(
    tmp_path: Path,
) -> None:
    folder = tmp_path / "out"
    folder.mkdir()
    server = Server(copy_empty(tmp_path / "data"), FEW, forked=True)
    server.start("--no-demo", "--handoff", str(folder))
    try:
        with server.client() as client:
            places = []
            odd_file = "a?" + "波" * 100 + ".gif"
            for name in ("*", "?", "CON", "波" * 120, "wave", "Wave"):
                project = project_of(client)
                client.patch(f"/api/projects/{project}", json={"name": name}).raise_for_status()
                edit(client, project, lambda recipe: recipe["outputs"][0].update(file_name=odd_file))
                all_made(client, project)
                done = client.post(f"/api/projects/{project}/handoff", json={"to": "folder"})
                assert done.status_code == 200, done.text
                places.append(done.json()["folder"])
                (written,) = (folder / places[-1]).iterdir()
                assert done.json()["handoffs"][0]["file_name"] == written.name
            assert len({place.lower() for place in places}) == len(places)
            assert places[2:3] == ["_CON"]
            assert not list(folder.glob(".*"))
    finally:
        server.stop()
