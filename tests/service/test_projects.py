"""From dropped files to a finished, downloadable output, and back through its revisions."""

import zipfile
from datetime import datetime
from io import BytesIO
from typing import Any
from urllib.parse import unquote

import httpx
import numpy as np
import pytest
from PIL import Image

from jayflick.core.formats.gif.reader import describe, read_gif
from tests.conftest import moving_square
from tests.server import until
from tests.service.conftest import (
    bench,
    bring,
    colours,
    current,
    edit,
    finished,
    heavy,
    numbered,
    png,
    project_of,
)


def test_frames_become_a_project_with_a_real_output(client: httpx.Client) -> None:
    frames = moving_square(12)
    found = bring(client, numbered(frames, "gull_fly_{}.png"))
    (card,) = found["projects"]
    assert (card["name"], card["frames"], card["width"], card["height"]) == ("Gull fly", 12, 48, 32)
    assert bench(client, card["id"])["report"]["missing"] == []
    result = finished(client, card["id"])
    address = f"/api/results/{result['id']}/file"
    # What the address names by its content is kept for ever; numbers begin anew in another data folder.
    assert "immutable" in client.get(f"{address}?key={result['key']}").headers["cache-control"]
    assert client.get(address).headers["cache-control"] == "no-store"
    assert client.get(f"{address}?key={'0' * 64}").status_code == 404
    answer = client.get(f"{address}?download=true")
    assert answer.headers["content-type"] == "image/gif"
    assert answer.headers["content-disposition"] == 'attachment; filename="gull-fly.gif"'
    assert len(answer.content) == result["info"]["bytes"]
    with Image.open(BytesIO(answer.content)) as picture:
        assert getattr(picture, "n_frames", 0) == 12
    for index, seen in enumerate(read_gif(answer.content).pictures()):
        played = client.get(f"/api/results/{result['id']}/frames/{index}")
        np.testing.assert_array_equal(np.array(Image.open(BytesIO(played.content))), seen)
    source = client.get(f"/api/revisions/{result['revision_id']}/outputs/page/source/10").content
    np.testing.assert_array_equal(np.array(Image.open(BytesIO(source))), frames[9])
    third = bench(client, card["id"])["frame_list"][2]["sha256"]
    thumb = client.get(f"/api/pictures/{third}/thumb")
    assert thumb.headers["content-type"] == "image/webp"
    assert next(entry["name"] for entry in client.get("/api/projects").json()) == "Gull fly"
    for missing in (f"/api/results/{result['id']}/frames/99", f"/api/pictures/{'0' * 64}/thumb"):
        assert client.get(missing).status_code == 404


def test_small_pictures_come_on_sheets_in_order(client: httpx.Client) -> None:
    project = project_of(client, moving_square(38, 320, 120))
    base = f"/api/projects/{project}/frames/1/prints"
    answer = client.get(f"{base}/2")
    assert (answer.headers["content-type"], "immutable" in answer.headers["cache-control"]) == (
        "image/webp",
        True,
    )
    sheet = np.array(Image.open(BytesIO(answer.content)).convert("RGB"), int)
    assert sheet.shape == (112, 960, 3)  # the 37th and the 38th frame
    for place, frame in enumerate(moving_square(38, 320, 120)[36:]):
        small = np.array(Image.fromarray(frame[:, :, :3]).resize((160, 60), Image.Resampling.LANCZOS), int)
        assert np.abs(sheet[:60, place * 160 : place * 160 + 160] - small).mean() < 6
    for wrong in (
        f"{base}/3",
        f"/api/projects/{project}/frames/2/prints/1",
        f"/api/projects/{project}/frames/9",
    ):
        assert client.get(wrong).status_code == 404


def test_undo_and_redo_walk_the_revisions_and_find_their_results(client: httpx.Client) -> None:
    project = project_of(client)
    first = finished(client, project)
    assert edit(client, project, colours(4), label="Colours to 4").status_code == 200
    second = finished(client, project)
    assert second["info"]["colours"] <= 4 < first["info"]["colours"]
    undone = client.post(f"/api/projects/{project}/undo").json()
    assert undone["results"][0]["id"] == first["id"]
    assert (undone["undo"], undone["redo"]) == (None, "Colours to 4")
    redone = client.post(f"/api/projects/{project}/redo").json()
    assert redone["results"][0]["id"] == second["id"]
    client.post(f"/api/projects/{project}/undo")
    edit(client, project, colours(9))
    assert bench(client, project)["redo"] is None  # a new change starts a new way
    for way, wrong in (("redo", "nothing to redo"), ("undo", None), ("undo", "nothing to undo")):
        answer = client.post(f"/api/projects/{project}/{way}")
        assert (answer.status_code, answer.json().get("message")) == (
            (409, f"there is {wrong}") if wrong else (200, None)
        )


def test_what_a_change_would_play_is_told_before_it_is_made(client: httpx.Client) -> None:
    project = project_of(client, moving_square(12))
    shown = bench(client, project)
    request = shown["recipe"]
    request["rhythm"]["rate"] = "60"
    request["outputs"][0]["take"]["rate"] = "50"
    plan = client.post(f"/api/projects/{project}/plan", json={"recipe": request}).raise_for_status().json()
    assert (plan["dropped"], len(plan["positions"]), plan["duration_ms"]) == ([6, 12], 10, 200)
    held = {one["format"]: (one["units"], one["unit"]) for one in plan["formats"]}
    assert held["GIF"] == ([2] * 10, "1/100")
    assert held["Video"] == ([1] * 10, "1/50")
    assert bench(client, project)["revision"]["id"] == shown["revision"]["id"]  # nothing was changed
    for wrong, status in (
        (request | {"rhythm": {"first": 99}}, 422),
        (request | {"rhythm": {"rate": "0"}}, 422),
    ):
        answer = client.post(f"/api/projects/{project}/plan", json={"recipe": wrong})
        assert answer.status_code == status
    unknown = {"recipe": request, "output_id": "no"}
    assert client.post(f"/api/projects/{project}/plan", json=unknown).status_code == 404


def test_how_the_loop_closes_is_measured_on_the_frames_in_use(client: httpx.Client) -> None:
    there = moving_square(9)
    project = project_of(client, [*there, *there[-2:0:-1]])
    seam = client.get(f"/api/projects/{project}/seam?least=8").raise_for_status().json()
    assert (len(seam["places"]), len(seam["steps"])) == (16, 16)
    assert seam["best"][0]["jump"] <= seam["whole"]["jump"] < 0.2  # there and back closes
    edit(client, project, lambda recipe: recipe["gather"].update(left_out=[14, 15, 16]))
    part = client.get(f"/api/projects/{project}/seam").json()
    assert part["places"] == list(range(1, 14))
    assert part["whole"]["jump"] > seam["whole"]["jump"]
    edit(client, project, lambda recipe: recipe["gather"].update(left_out=list(range(2, 17))))
    alone = client.get(f"/api/projects/{project}/seam")
    assert (alone.status_code, alone.json()["message"]) == (422, "a loop needs at least two frames")


def test_an_order_by_hand_is_rendered_and_blends_have_a_source(client: httpx.Client) -> None:
    frames = moving_square(4)
    project = project_of(client, frames)
    edit(client, project, lambda recipe: recipe["rhythm"].update(order=[2, 1, 0, 2], dissolve=1))
    result = finished(client, project)
    assert (result["positions"], result["places"]) == ([2, 1, 0], [1, 2, 3])
    edit(client, project, lambda recipe: recipe["rhythm"].update(order=[1, 2, 3, 4], dissolve=1))
    result = finished(client, project)
    assert (result["positions"], result["blends"]) == ([1, 2, 3], {"0": "1x128+4x128"})
    base = f"/api/revisions/{result['revision_id']}/outputs/page/source"
    blend = np.array(Image.open(BytesIO(client.get(f"{base}/1x128+4x128").content)))
    half = (frames[0].astype(int) + frames[3]) / 2
    assert np.abs(blend - half).max() <= 1
    for wrong in ("9", "x", "1x5", "1x128+9x128"):
        assert client.get(f"{base}/{wrong}").status_code == 404
    assert edit(client, project, lambda r: r["rhythm"].update(order=[5])).json()["jobs"][0]["state"] == "failed"


def test_a_newer_render_is_laid_over_the_old_and_can_be_undone(client: httpx.Client) -> None:
    frames = moving_square(6)
    project = project_of(client, frames)
    edit(
        client,
        project,
        lambda r: r["rhythm"].update(holds={"3": 70_560_000}) or r["gather"].update(left_out=[5]),
    )
    before = finished(client, project)
    newer = [np.dstack([255 - frame[:, :, :3], frame[:, :, 3]]) for frame in frames[:2]]
    brought = [
        *numbered(newer),
        ("wave_7.png", png(newer[0])),
        ("renamed_90.png", png(frames[3])),  # the picture of wave_4 under another name
        ("broken_1.png", b"no picture"),
    ]
    started = client.post("/api/imports").json()["id"]
    body = [("files", (name, data, "image/png")) for name, data in brought]
    client.post(f"/api/imports/{started}/files", files=body).raise_for_status()
    done = client.post(f"/api/projects/{project}/renew", json={"import_id": started}).raise_for_status().json()
    assert done == {"same": 1, "replaced": 2, "added": 1, "old": 3, "changed": [1, 2, 7]}
    shown = bench(client, project)
    names = [f"wave_{n}.png" for n in (1, 2, 3)] + ["renamed_90.png"] + [f"wave_{n}.png" for n in (5, 6, 7)]
    assert [frame["name"] for frame in shown["frame_list"]] == names
    assert "broken_1.png" in [problem["file"] for problem in shown["report"]["problems"]]
    assert shown["recipe"]["rhythm"]["holds"] == {"3": 70_560_000}  # edits are kept
    after = finished(client, project)
    assert after["positions"] == [1, 2, 3, 4, 6, 7]
    source = client.get(f"/api/revisions/{after['revision_id']}/outputs/page/source/1").content
    np.testing.assert_array_equal(np.array(Image.open(BytesIO(source))), newer[0])
    undone = client.post(f"/api/projects/{project}/undo").json()
    assert [frame["name"] for frame in bench(client, project)["frame_list"]] == [
        f"wave_{n}.png" for n in range(1, 7)
    ]
    assert undone["results"][0]["id"] == before["id"]
    assert client.post(f"/api/projects/{project}/redo").json()["frames"] == 7
    again = client.post(f"/api/projects/{project}/renew", json={"import_id": started})
    assert again.status_code == 409
    many = client.post("/api/imports").json()["id"]
    body = [("files", (f"more_{100 + n}.png", png(frames[n % 6] // 2), "image/png")) for n in range(36)]
    client.post(f"/api/imports/{many}/files", files=body).raise_for_status()
    refused = client.post(f"/api/projects/{project}/renew", json={"import_id": many})
    assert "the project would have 43 frames; the limit is 40" in refused.json()["message"]
    assert bench(client, project)["frames"] == 7


def test_settings_of_another_are_told_before_they_are_taken(client: httpx.Client) -> None:
    first, second = project_of(client, moving_square(6)), project_of(client, moving_square(4, 30, 30))
    edit(
        client,
        first,
        lambda r: r["rhythm"].update(rate="12", last=6) or r["framing"].update(crop=[0, 0, 48, 32]),
    )
    wanted = {"project_id": first, "settings": ["rhythm", "framing", "outputs"]}
    before, other = bench(client, second)["recipe"], bench(client, first)["recipe"]
    found = client.post(f"/api/projects/{second}/settings", json=wanted).raise_for_status().json()
    assert found["notes"] == [
        "the range ends at 4 instead of 6",
        "the crop reaches beyond 30 × 30 and is left out",
    ]
    assert found["recipe"]["rhythm"] == {**other["rhythm"], "last": 4}
    assert found["recipe"]["gather"] == before["gather"]
    assert bench(client, second)["recipe"] == before, "nothing is changed"
    edit(client, second, lambda r: r.update(found["recipe"])).raise_for_status()
    kept = {"recipe": before, "settings": ["outputs"]}
    back = client.post(f"/api/projects/{second}/settings", json=kept).raise_for_status().json()["recipe"]
    assert (back["outputs"], back["rhythm"]) == (before["outputs"], found["recipe"]["rhythm"])
    for bad, status in (
        ({"settings": ["rhythm"]}, 422),
        ({"settings": [], "project_id": first}, 422),
        ({"settings": ["rhythm"], "project_id": "none"}, 404),
        ({"settings": ["rhythm"], "recipe": {"outputs": 3}}, 422),
    ):
        assert client.post(f"/api/projects/{second}/settings", json=bad).status_code == status


def test_a_project_put_behind_another_is_joined_and_can_be_undone(client: httpx.Client) -> None:
    first, second = project_of(client, moving_square(6)), project_of(client, moving_square(4))
    edit(client, first, lambda r: r["gather"].update(left_out=[2], gaps="hold"))
    edit(client, second, lambda r: r["rhythm"].update(rate="12") or r["gather"].update(left_out=[4]))
    odd = bring(client, numbered(moving_square(12, 30, 30), "dive_{}.png"))["projects"][0]["id"]
    for other, frames in ((second, 10), (odd, 22)):
        joined = (
            client.post(f"/api/projects/{first}/join", json={"project_id": other}).raise_for_status().json()
        )
        assert joined["frames"] == frames
    shown = bench(client, first)
    parts = [(part["first"], part["last"]) for part in shown["report"]["parts"]]
    assert parts == [(1, 6), (7, 10), (11, 22)]
    names = [frame["name"] for frame in shown["frame_list"]]
    assert len(set(names)) == 22  # both had a wave_1.png
    # What the other left out stays so, and frames of another size, though more, are scaled to its own.
    assert (shown["width"], shown["height"]) == (48, 32)
    odd_ones = [p["positions"][0] for p in shown["report"]["problems"] if p["kind"] == "size"]
    assert odd_ones == list(range(11, 23))
    assert shown["recipe"]["gather"] == {
        "left_out": [2, 10],
        "folded": [],
        "clear": [],
        "gaps": "hold",
        "sizes": "scale",
        "size": [48, 32],
        "over": None,
    }
    assert [(s["name"], s["first"], s["last"], s["rate"]) for s in shown["recipe"]["rhythm"]["spans"]] == [
        ("Wave 2", 7, 10, "12")
    ]
    result = finished(client, first)
    assert result["positions"] == [1, 3, 4, 5, 6, 7, 8, 9, *range(11, 23)]
    assert (result["info"]["width"], result["info"]["height"]) == (48, 32)
    assert sum(result["delays"]) == round((5 / 24 + 3 / 12 + 12 / 24) * 100) * 10  # nothing is held in between
    for _ in range(2):
        client.post(f"/api/projects/{first}/undo").raise_for_status()
    assert bench(client, first)["frames"] == 6
    many = project_of(client, moving_square(38))
    refused = client.post(f"/api/projects/{many}/join", json={"project_id": first})
    assert "together they would have 44 frames; the limit is 40" in refused.json()["message"]
    assert bench(client, second)["frames"] == 4


@pytest.mark.parametrize(
    ("title", "name"),
    [("Über Größe", "über-größe"), ("波 2", "波-2"), ("??", "loop"), ("x" * 200, "x" * 100)],
)
def test_saved_projects_and_archives_keep_their_names(client: httpx.Client, title: str, name: str) -> None:
    project = project_of(client, moving_square(2))
    finished(client, project)
    client.patch(f"/api/projects/{project}", json={"name": title}).raise_for_status()
    for address, ending in (("archive", "-project.zip"), ("handoff", ".zip")):
        answer = client.get(f"/api/projects/{project}/{address}").raise_for_status()
        said = unquote(answer.headers["content-disposition"])
        assert said in (
            f'attachment; filename="{name}{ending}"',
            f"attachment; filename*=utf-8''{name}{ending}",
        )


def test_a_project_saved_and_opened_again_gives_the_same_bytes(client: httpx.Client) -> None:
    project = project_of(client, moving_square(7))
    edit(client, project, lambda r: r["rhythm"].update(order=[1, 3, 2, 5, 4, 7], holds={"2": 70_560_000}))
    edit(client, project, colours(9))
    client.patch(f"/api/projects/{project}", json={"name": "Square, \u201cmoved\u201d"})
    before = client.get(f"/api/results/{finished(client, project)['id']}/file").content
    assert bench(client, project)["archive_parts"] == 1
    saved = client.get(f"/api/projects/{project}/archive")
    assert saved.headers["content-disposition"] == 'attachment; filename="square-moved-project.zip"'
    opened = bring(client, [("anything.zip", saved.content)])
    (card,) = opened["projects"]
    assert (card["name"], card["recipe"]) == ("Square, \u201cmoved\u201d 2", bench(client, project)["recipe"])
    assert bench(client, card["id"])["report"] == bench(client, project)["report"]
    after = client.get(f"/api/results/{finished(client, card['id'])['id']}/file").content
    assert after == before
    out = BytesIO()
    with zipfile.ZipFile(BytesIO(saved.content)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist()[:-1]:
            new.writestr(name, old.read(name))
    lacking = bring(client, [("part.zip", out.getvalue())])
    assert (lacking["status"], lacking["file"]) == (422, "wave_7.png")
    assert "1 of the project's 7 frames are missing" in lacking["message"]
    assert client.get(f"/api/projects/{project}/archive?part=2").status_code == 404


def test_one_gesture_is_undone_as_one(client: httpx.Client) -> None:
    project = project_of(client)
    for count in (60, 50, 40):
        edit(client, project, colours(count), gesture="slider", label=f"Colours to {count}")
    edit(client, project, colours(30), gesture="another", label="Colours to 30")

    def shown(document: dict) -> int:  # type: ignore[type-arg]
        return int(document["recipe"]["outputs"][0]["tuning"]["colours"])

    steps = [shown(client.post(f"/api/projects/{project}/undo").json()) for _ in range(2)]
    assert steps == [40, 128]
    steps = [shown(client.post(f"/api/projects/{project}/redo").json()) for _ in range(2)]
    assert steps == [40, 30]


@pytest.mark.parametrize("counts", [(60, 128), (60, 128, 50, 128), (128,)])
def test_a_gesture_that_ends_where_it_began_is_no_step(client: httpx.Client, counts: tuple[int, ...]) -> None:
    project = project_of(client)
    edit(client, project, colours(90), label="Colours to 90")
    edit(client, project, colours(128), label="Colours to 128")
    for count in counts:
        edit(client, project, colours(count), gesture="slider", label=f"Colours to {count}")
    assert bench(client, project)["undo"] == "Colours to 128"
    assert bench(client, project)["redo"] is None
    edit(client, project, colours(30), gesture="slider", label="Colours to 30")  # the hand goes on
    undone = client.post(f"/api/projects/{project}/undo").json()
    assert (undone["undo"], undone["redo"]) == ("Colours to 128", "Colours to 30")


def test_a_change_from_an_old_revision_is_refused_not_lost(client: httpx.Client) -> None:
    project = project_of(client)
    stale = bench(client, project)["revision"]["id"]
    edit(client, project, colours(10))
    answer = edit(client, project, colours(20), base_revision=stale)
    assert answer.status_code == 409
    assert "another window" in answer.json()["message"]
    assert bench(client, project)["recipe"]["outputs"][0]["tuning"]["colours"] == 10


@pytest.mark.parametrize("gesture", ["", "slider"])
def test_a_change_asked_for_again_is_made_once(client: httpx.Client, gesture: str) -> None:
    """A client whose answer got lost asks the same again (RFC 9110 section 9.2.2: PUT is idempotent)."""
    project = project_of(client)
    before = bench(client, project)["revision"]["id"]
    for count in (12, 11):
        base = bench(client, project)["revision"]["id"]
        made = [edit(client, project, colours(count), base_revision=base, gesture=gesture) for _ in range(3)]
        assert [answer.status_code for answer in made] == [200] * 3
        assert len({answer.json()["revision"]["id"] for answer in made}) == 1
    undone = client.post(f"/api/projects/{project}/undo").json()
    assert undone["recipe"]["outputs"][0]["tuning"]["colours"] == (128 if gesture else 12)
    assert (undone["revision"]["id"] == before) == bool(gesture)


def test_a_change_of_time_alone_keeps_the_pictures(client: httpx.Client) -> None:
    project = project_of(client)
    before = finished(client, project)
    edit(client, project, lambda recipe: recipe["rhythm"].update(rate="10", holds={"2": 705_600_000}))
    after = finished(client, project)
    assert after["pixels"] == before["pixels"]
    assert after["delays"] == [100, 1000, 100, 100, 100, 100]
    assert after["seconds"]["encoding"] < 0.05
    for result in (before, after):
        data = client.get(f"/api/results/{result['id']}/file").content
        info = describe(read_gif(data), len(data))
        assert [frame["delay_ms"] for frame in info["frames"]] == result["delays"]
        assert [frame["bytes"] for frame in info["frames"]] == result["costs"]
        told = {"dither", "source_size", "enlarged"}  # which no file tells
        measured = {k: v for k, v in result["info"].items() if v is not None and k not in told}
        assert {key: info[key] for key in measured} == measured


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (lambda recipe: recipe["rhythm"].update(rate="never"), "a rate is over 0"),
        (lambda recipe: recipe["outputs"][0].update(file_name="../x.gif"), "cannot be used here"),
        (lambda recipe: recipe.update(mood="blue"), "is unknown here"),
    ],
)
def test_a_recipe_that_cannot_be_is_refused_with_the_reason(client: httpx.Client, change, message: str) -> None:  # type: ignore[no-untyped-def]
    project = project_of(client)
    before = bench(client, project)["revision"]["id"]
    answer = edit(client, project, change)
    assert answer.status_code == 422
    assert message in answer.json()["message"]
    assert bench(client, project)["revision"]["id"] == before


@pytest.mark.parametrize("made_before", [False, True])
@pytest.mark.parametrize(
    ("part", "change", "message"),
    [
        ("rhythm", {"last": 99}, "the range 1-99 does not lie in the 6 frames"),
        ("gather", {"left_out": [1, 2, 3, 4, 5, 6]}, "all frames of the range are left out"),
        ("rhythm", {"holds": {"2": 1000 * 705_600_000}}, "frame 2 lasts 1000 s; a GIF frame lasts at most 655"),
    ],
)
def test_an_output_that_cannot_be_made_is_a_failed_output_and_vetoes_no_edit(
    client: httpx.Client, made_before: bool, part: str, change: dict[str, object], message: str
) -> None:
    """Whether its pictures are coded already or not."""
    project = project_of(client)
    if made_before:
        finished(client, project)
    assert edit(client, project, lambda recipe: recipe[part].update(change)).status_code == 200
    failed = until(
        lambda: next((job for job in bench(client, project)["jobs"] if job["state"] == "failed"), None)
    )
    assert message in failed["error"]["message"]
    assert client.post(f"/api/projects/{project}/retry").json()["jobs"][0]["state"] in ("failed", "queued")
    assert edit(client, project, lambda recipe: recipe["outputs"][0].update(name="Other")).status_code == 200
    assert len(client.post(f"/api/projects/{project}/undo").json()["recipe"]["outputs"]) == 1
    client.post(f"/api/projects/{project}/undo")
    assert finished(client, project)["info"]["count"] == 6


@pytest.mark.parametrize("change", [{"rate": "10"}, {"holds": {"3": 705_600_000}, "repeat": 1}, {}])
def test_a_change_that_alters_no_pixel_lets_the_encoding_go_on(
    client: httpx.Client, change: dict[str, object]
) -> None:
    project = project_of(client, heavy(seed=100 + len(change)))
    job = until(lambda: next((one for one in bench(client, project)["jobs"] if one["done"] > 0), None))

    def alter(recipe: dict[str, Any]) -> None:
        recipe["rhythm"].update(change)
        recipe["outputs"][0].update(budget=9999)

    answer = edit(client, project, alter).json()
    (same,) = answer["jobs"]
    assert (same["id"], same["revision_id"]) == (job["id"], answer["revision"]["id"])
    result = finished(client, project)
    assert result["revision_id"] == answer["revision"]["id"]
    assert result["delays"][2] == (100 if "rate" in change else 1000 if "holds" in change else 40)
    assert bench(client, project)["jobs"] == []
    other = edit(client, project, colours(9)).json()["jobs"][0]  # that alters pixels: another job
    assert other["id"] != job["id"]
    client.post(f"/api/jobs/{other['id']}/cancel")


def test_the_newest_wish_wins_and_older_ones_give_way(client: httpx.Client) -> None:
    project = project_of(client, heavy(seed=2))
    until(lambda: any(job["state"] == "running" for job in bench(client, project)["jobs"]))
    for count in range(20, 30):
        edit(client, project, colours(count))
    last = bench(client, project)["revision"]["id"]
    result = finished(client, project)
    assert result["revision_id"] == last
    assert result["info"]["colours"] == 29


def test_a_job_can_be_called_off_and_made_after_all(client: httpx.Client) -> None:
    project = project_of(client, heavy(seed=3))
    job = until(
        lambda: next((job for job in bench(client, project)["jobs"] if job["state"] == "running"), None)
    )
    assert client.post(f"/api/jobs/{job['id']}/cancel").status_code == 204
    until(lambda: bench(client, project)["jobs"][0]["state"] == "cancelled")
    assert current(client, project) is None
    client.post(f"/api/projects/{project}/retry")
    assert finished(client, project)["info"]["count"] == 12


def test_projects_are_renamed_taken_off_and_put_back(client: httpx.Client) -> None:
    project = project_of(client)
    assert (
        client.patch(f"/api/projects/{project}", json={"name": "Möwe ⛵ 'n' \"so\""})
        .json()["name"]
        .startswith("Möwe")
    )
    assert client.patch(f"/api/projects/{project}", json={"name": ""}).status_code == 422
    assert client.delete(f"/api/projects/{project}").status_code == 204
    assert client.get(f"/api/projects/{project}").status_code == 404
    assert project not in [card["id"] for card in client.get("/api/projects").json()]
    (binned,) = [one for one in client.get("/api/projects/bin").json() if one["id"] == project]
    kept = datetime.fromisoformat(binned["kept_until"]) - datetime.fromisoformat(binned["removed"])
    assert (binned["name"][:4], kept.days) == ("Möwe", 30)
    assert client.post(f"/api/projects/{project}/restore").status_code == 200
    assert bench(client, project)["name"].startswith("Möwe")
    client.delete(f"/api/projects/{project}")
    assert client.delete("/api/projects/bin").status_code == 204
    assert client.get("/api/projects/bin").json() == []
    assert client.post(f"/api/projects/{project}/restore").status_code == 404


def test_nothing_more_is_made_for_a_project_that_was_deleted(client: httpx.Client) -> None:
    project = project_of(client, heavy(seed=4))
    until(lambda: any(job["state"] == "running" for job in bench(client, project)["jobs"]))
    client.delete(f"/api/projects/{project}")
    shown = client.post(f"/api/projects/{project}/restore").json()
    assert [job["state"] for job in shown["jobs"]] == ["cancelled"]
    client.delete(f"/api/projects/{project}")


def test_frames_split_off_make_a_project_of_their_own(client: httpx.Client) -> None:
    project = project_of(client, moving_square(8))
    address = f"/api/projects/{project}/split"
    (made,) = client.post(address, json={"positions": [3, 4, 5]}).raise_for_status().json()
    assert (made["name"], made["frames"], bench(client, made["id"])["report"]["first"]) == ("Wave from 3", 3, 3)
    assert finished(client, made["id"])["info"]["count"] == 3
    assert bench(client, project)["frames"] == 8
    assert client.post(address, json={"positions": [9]}).status_code == 422
    stills = client.post(address, json={"positions": [2, 7], "separate": True}).raise_for_status().json()
    assert [(one["name"], one["frames"]) for one in stills] == [("Wave from 2", 1), ("Wave from 7", 1)]


def test_news_of_jobs_and_projects_comes_as_events(client: httpx.Client) -> None:
    kinds: list[str] = []
    states: list[str] = []
    with client.stream("GET", "/api/events") as events:
        lines = events.iter_lines()
        while not next(lines).startswith("data:"):
            pass
        project = project_of(client, moving_square(5, 50, 34))  # of no other test, or it would be there at once
        for line in lines:
            if line.startswith("data:"):
                news = httpx.Response(200, content=line[5:]).json()
                kinds.append(news["kind"])
                if news.get("state"):
                    states.append(news["state"])
                if news.get("state") == "done" and news["project_id"] == project:
                    break
    assert "project" in kinds
    assert states[-1] == "done"
