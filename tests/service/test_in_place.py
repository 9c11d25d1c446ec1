"""Frames opened where they lie, and followed while they are rendered there."""

import fcntl
import hashlib
import os
import signal
import zipfile
from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
from PIL import Image

from tests.conftest import moving_square, save_frames
from tests.prepared import copy_empty
from tests.server import Server, until
from tests.service.conftest import FEW, bench, bring, edit, finished, numbered, png


@pytest.fixture(scope="module")
def renders(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("renders")


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory, renders: Path) -> Iterator[Server]:
    """A server that may read one folder."""
    few = {**FEW, "JAYFLICK_DECODERS": "2", "JAYFLICK_MOST_FILES": "200"}
    server = Server(copy_empty(tmp_path_factory.mktemp("in-place")), few).start(
        "--no-demo", "--frames", str(renders)
    )
    yield server
    server.stop()


@pytest.fixture
def opened(place: Server) -> Iterator[httpx.Client]:
    with place.client() as client:
        yield client


def open_in_place(client: httpx.Client, root: Path, path: str = "", **choice: list[str]) -> dict[str, Any]:
    """Open what is chosen of a folder, and make projects of it: the outcome of each file, and the projects."""
    import_id = client.post("/api/imports").json()["id"]
    body = {"root": root.name, "path": path, **choice}
    answer = client.post(f"/api/imports/{import_id}/folder", json=body).raise_for_status().json()
    done = client.post(f"/api/imports/{import_id}/finish").raise_for_status().json()
    return {**answer, **done}


def source(client: httpx.Client, project_id: str) -> dict[str, Any]:
    document: dict[str, Any] = client.get(f"/api/projects/{project_id}/folder").raise_for_status().json()
    return document


def test_what_is_opened_in_place_is_what_a_drop_brings(opened: httpx.Client, renders: Path) -> None:
    folder = renders / "buoy"
    files = save_frames(folder, moving_square(6, 40, 30), "buoy_{}.png")
    found = opened.get("/api/folders/listing", params={"root": renders.name, "path": "buoy"}).json()
    (sequence,) = found["sequences"]
    assert (sequence["pattern"], sequence["count"], sequence["width"]) == ("buoy_#.png", 6, 40)
    made = open_in_place(opened, renders, "buoy")
    there, dropped = made["projects"][0]["id"], bring(opened, numbered(moving_square(6, 40, 30), "buoy_{}.png"))
    mine, theirs = bench(opened, there), bench(opened, dropped["projects"][0]["id"])
    assert [one["sha256"] for one in mine["frame_list"]] == [one["sha256"] for one in theirs["frame_list"]]
    assert (mine["report"], mine["recipe"]) == (theirs["report"], theirs["recipe"])
    where = source(opened, there)
    assert (where["folder"], where["state"], where["count"]) == (f"{renders.name}/buoy", "here", len(files))
    assert not any(where[what] for what in ("newer", "added", "lacking", "waiting", "unusable", "follows"))
    assert opened.get(f"/api/projects/{dropped['projects'][0]['id']}/folder").json() is None


def test_small_files_of_every_kind_come_in_together_as_they_do_one_by_one(
    opened: httpx.Client, renders: Path
) -> None:
    loop, packed = BytesIO(), BytesIO()
    first, *others = (Image.fromarray(frame) for frame in moving_square(3, 20, 16))
    first.save(loop, "GIF", save_all=True, append_images=others, duration=40)
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("in/wake_1.png", png(moving_square(1, 30, 20)[0]))
    mixed = [
        *numbered(moving_square(3, 24, 18), "kite_{}.png"),
        ("kite_4.png", b"\x89PNG\r\n\x1a\nno more"),
        ("empty.png", b""),
        ("loop.gif", loop.getvalue()),
        ("packed.zip", packed.getvalue()),
        ("twin.png", png(moving_square(1, 24, 18)[0])),
    ]
    (renders / "mixed").mkdir()
    for name, data in mixed:
        (renders / "mixed" / name).write_bytes(data)
    inside, dropped = open_in_place(opened, renders, "mixed"), bring(opened, sorted(mixed))
    assert inside["files"] == dropped["taken"]
    assert len(inside["projects"]) == len(dropped["projects"])


def test_no_more_frames_come_in_than_one_import_takes_however_many_are_read_at_once(
    opened: httpx.Client, renders: Path
) -> None:
    import_id = opened.post("/api/imports").json()["id"]
    taken = []
    for name, count in (("first", 150), ("second", 190)):
        save_frames(renders / name, moving_square(count, 24, 18), f"{name}_{{}}.png")
        body = {"root": renders.name, "folders": [name]}
        answer = opened.post(f"/api/imports/{import_id}/folder", json=body).raise_for_status().json()
        taken.append([one["frames"] for one in answer["files"]])
        refused = [one["problem"]["message"] for one in answer["files"] if one["problem"]]
    assert (sum(taken[0]), sum(taken[1])) == (150, 50)
    assert refused == ["one import takes 200 frames"] * 140


def opened_project(client: httpx.Client, renders: Path, name: str, count: int = 4) -> tuple[str, list[Path]]:
    """A project of frames in a folder of that name, and their files."""
    files = save_frames(renders / name, moving_square(count, 40, 30), f"{name}_{{}}.png")
    return open_in_place(client, renders, name)["projects"][0]["id"], files


def follow(client: httpx.Client, project_id: str, follows: bool = True) -> None:
    client.put(f"/api/projects/{project_id}/folder", json={"follows": follows}).raise_for_status()


def hashes(client: httpx.Client, project_id: str) -> list[str]:
    return [one["sha256"] for one in bench(client, project_id)["frame_list"]]


def on_disk(folder: Path) -> list[str]:
    files = sorted(folder.iterdir(), key=lambda file: int(file.stem.rpartition("_")[2]))
    return [hashlib.sha256(file.read_bytes()).hexdigest() for file in files]


def fresh(number: int) -> np.ndarray:
    """A frame like no other."""
    return np.full((30, 40, 3), (number, 90, 200), np.uint8)


def write(file: Path, frame: np.ndarray) -> None:
    """As most renderers do: written beside, then renamed into its place."""
    part = file.with_name(f".{file.name}.part")
    part.write_bytes(png(frame))
    part.rename(file)


def test_newer_frames_are_told_and_taken_in_when_somebody_says_so(opened: httpx.Client, renders: Path) -> None:
    project_id, files = opened_project(opened, renders, "wake")
    assert edit(opened, project_id, lambda recipe: recipe["rhythm"].update(rate="12")).status_code == 200
    write(files[1], fresh(1))
    write(files[0].with_name("wake_5.png"), fresh(2))
    os.utime(files[2])  # touched, and the same
    files[3].unlink()
    before = bench(opened, project_id)["revision"]["id"]
    where = until(lambda: (at := source(opened, project_id)) and at["added"] and at)
    assert (where["newer"], where["added"], where["lacking"]) == (2, 1, 1)
    assert bench(opened, project_id)["revision"]["id"] == before  # it was not asked for
    done = opened.post(f"/api/projects/{project_id}/folder/renew").raise_for_status().json()
    assert (done["replaced"], done["added"], done["same"], done["old"]) == (1, 1, 1, 2)
    after = bench(opened, project_id)
    assert [one["number"] for one in after["frame_list"]] == [1, 2, 3, 4, 5]
    assert after["recipe"]["rhythm"]["rate"] == "12"
    where = source(opened, project_id)
    assert (where["newer"], where["added"], where["lacking"]) == (0, 0, 1)
    # Nothing differs: nothing is done. After an undo what was taken back is newer again.
    assert opened.post(f"/api/projects/{project_id}/folder/renew").json() is None
    assert bench(opened, project_id)["revision"]["id"] == after["revision"]["id"]
    opened.post(f"/api/projects/{project_id}/undo")
    assert source(opened, project_id)["newer"] == 2


def test_frames_are_followed_as_they_come_and_undone_as_one(opened: httpx.Client, renders: Path) -> None:
    frames = [fresh(number) for number in range(10)]
    project_id, files = opened_project(opened, renders, "kite", 2)
    follow(opened, project_id)
    folder = files[0].parent
    for number in range(3, 8):
        write(folder / f"kite_{number}.png", frames[number - 1])
        until(lambda: hashes(opened, project_id) == on_disk(folder))
    # One that is on its way is waited for, however long its beginning lies there.
    whole = png(frames[7])
    (folder / "kite_8.png").write_bytes(whole[:-40])
    until(lambda: source(opened, project_id)["waiting"] == ["kite_8.png"])
    shown = bench(opened, project_id)
    assert (len(shown["frame_list"]), shown["report"]["problems"]) == (7, [])
    (folder / "kite_8.png").write_bytes(whole)
    until(lambda: hashes(opened, project_id) == on_disk(folder))
    assert source(opened, project_id)["waiting"] == []
    # An edit between them is a step of its own; the frames before it are one.
    assert edit(opened, project_id, lambda recipe: recipe["rhythm"].update(rate="10")).status_code == 200
    write(folder / "kite_9.png", frames[8])
    until(lambda: hashes(opened, project_id) == on_disk(folder))
    for count, rate in ((8, "10"), (8, None), (2, None)):
        undone = opened.post(f"/api/projects/{project_id}/undo").raise_for_status().json()
        assert (undone["frames"], rate or undone["recipe"]["rhythm"]["rate"]) == (
            count,
            undone["recipe"]["rhythm"]["rate"],
        )
    # What an undo took back stays so, while new ones come all the same.
    write(folder / "kite_10.png", frames[9])
    until(lambda: bench(opened, project_id)["frames"] == 3)
    finished(opened, project_id)


def test_a_service_that_is_killed_goes_on_following(tmp_path: Path) -> None:
    frames = [fresh(number) for number in range(6)]
    renders = tmp_path / "renders"
    server = Server(copy_empty(tmp_path / "data"), FEW, forked=True)
    renders.mkdir()
    server.start("--no-demo", "--frames", str(renders))
    try:
        with server.client() as client:
            project_id, _ = opened_project(client, renders, "pier", 3)
            follow(client, project_id)
            write(renders / "pier" / "pier_4.png", frames[3])
            until(lambda: bench(client, project_id)["frames"] == 4)
        server.stop(signal.SIGKILL)
        write(renders / "pier" / "pier_5.png", frames[4])
        write(renders / "pier" / "pier_1.png", frames[5])
        server.start("--no-demo", "--frames", str(renders))
        with server.client() as client:
            until(lambda: hashes(client, project_id) == on_disk(renders / "pier"))
            finished(client, project_id)
        # Started without leave to read it, it says so, and shows all it has.
        server.stop()
        server.start("--no-demo")
        with server.client() as client:
            assert source(client, project_id)["state"] == "closed"
            assert (client.get("/api/folders").json(), bench(client, project_id)["frames"]) == ([], 5)
            assert client.post(f"/api/projects/{project_id}/folder/renew").status_code == 409
    finally:
        server.stop()


def test_a_folder_that_goes_is_said_and_found_elsewhere_by_what_is_in_it(
    opened: httpx.Client, renders: Path
) -> None:
    project_id, files = opened_project(opened, renders, "lamp", 5)
    folder, moved = files[0].parent, renders / "archive" / "lamp v2"
    moved.parent.mkdir()
    follow(opened, project_id)
    folder.rename(moved)
    until(lambda: source(opened, project_id)["state"] == "gone")
    for number, file in enumerate(sorted(moved.iterdir()), 101):  # numbered otherwise
        file.rename(moved / f"lamp-{number:04}.png")
    write(moved / "lamp-0106.png", fresh(1))
    place = {"root": renders.name, "path": "archive/lamp v2"}
    found = opened.get(f"/api/projects/{project_id}/folder/elsewhere", params=place).json()
    assert {what: found[what] for what in ("same", "other", "added", "lacking")} == {
        "same": 5,
        "other": 0,
        "added": 1,
        "lacking": 0,
    }
    said = {"follows": False, "folder": place}
    answer = opened.put(f"/api/projects/{project_id}/folder", json=said).raise_for_status().json()
    assert (answer["state"], answer["newer"], answer["added"]) == ("here", 0, 1)
    assert opened.post(f"/api/projects/{project_id}/folder/renew").json()["added"] == 1
    assert bench(opened, project_id)["frames"] == 6
    empty = opened.get(f"/api/projects/{project_id}/folder/elsewhere", params={"root": renders.name})
    assert (empty.status_code, empty.json()["message"]) == (422, "there are no frames here")


def test_all_rewritten_at_once_by_two_projects_on_a_clock_that_is_off(
    opened: httpx.Client, renders: Path
) -> None:
    one, files = opened_project(opened, renders, "tern", 30)
    other = open_in_place(opened, renders, "tern")["projects"][0]["id"]
    for project_id in (one, other):
        follow(opened, project_id)
    for number, file in enumerate(files):
        write(file, fresh(number))
        os.utime(file, (1000, 1000))  # long before they were seen
    until(lambda: hashes(opened, one) == on_disk(files[0].parent) == hashes(opened, other))
    for project_id in (one, other):
        assert bench(opened, project_id)["undo"] == "Followed to 30 frames"
    # Other sizes, and a file that is none: the report says so, and the rest is taken.
    write(files[3], np.zeros((10, 12, 3), np.uint8))
    files[4].write_bytes(b"no picture")
    os.utime(files[4], (1000, 1000))
    until(lambda: [one["message"] for one in source(opened, one)["unusable"]])
    kinds = {problem["kind"] for problem in bench(opened, one)["report"]["problems"]}
    assert {"size", "unreadable"} <= kinds


TRICKS = ["..", "../..", "/etc", "a/../../etc", "\0", ".hidden", "out", "loop", "nowhere", "loop/loop/loop"]


@pytest.mark.parametrize("path", TRICKS)
def test_nothing_leads_out_of_the_folders(
    opened: httpx.Client, renders: Path, tmp_path: Path, path: str
) -> None:
    save_frames(tmp_path, moving_square(2, 8, 8), "secret_{}.png")
    for link, to in (("out", tmp_path), ("loop", renders / "loop")):
        if not (renders / link).is_symlink():
            (renders / link).symlink_to(to)
    for answer in (
        opened.get("/api/folders/listing", params={"root": renders.name, "path": path}),
        opened.get("/api/folders/listing", params={"root": path}),
    ):
        assert answer.status_code in (404, 422), answer.text
    import_id = opened.post("/api/imports").json()["id"]
    body = {"root": renders.name, "path": path}
    assert opened.post(f"/api/imports/{import_id}/folder", json=body).status_code == 422
    inside = {"root": renders.name, "path": "", "folders": [path]}
    assert opened.post(f"/api/imports/{import_id}/folder", json=inside).status_code == 422
    assert "secret" not in opened.get(f"/api/imports/{import_id}").text


def test_what_is_in_a_folder_is_told_even_where_nothing_can_be_opened(
    opened: httpx.Client, renders: Path
) -> None:
    folder = renders / "nothing"
    (folder / "deeper").mkdir(parents=True)
    (folder / "render.log").write_text("done")
    os.mkfifo(folder / "pipe_1.png")
    (folder / "dangling_1.png").symlink_to(folder / "gone.png")
    found = opened.get("/api/folders/listing", params={"root": renders.name, "path": "nothing"}).json()
    assert (found["folders"], found["sequences"], found["others"]) == (["deeper"], [], 1)
    import_id = opened.post("/api/imports").json()["id"]
    body = {"root": renders.name, "path": "nothing"}
    answer = opened.post(f"/api/imports/{import_id}/folder", json=body)
    assert answer.status_code == 422
    assert answer.json()["message"] == "there are no frames here: 1 folder and 1 other file"
    # In other encodings than UTF-8, and with what a path may not have elsewhere.
    odd = os.fsencode(renders) + b"/fa\xe7ade"
    os.mkdir(odd)
    for number in (1, 2):
        Path(os.fsdecode(odd + b"/vo\xeele_%d.png" % number)).write_bytes(png(fresh(number)))
    made = open_in_place(opened, renders, "façade")
    assert [one["name"] for one in made["files"]] == ["voîle_1.png", "voîle_2.png"]
    assert source(opened, made["projects"][0]["id"])["count"] == 2


def test_a_file_that_somebody_writes_to_is_not_taken_half(opened: httpx.Client, renders: Path) -> None:
    files = save_frames(renders / "gull", moving_square(3, 40, 30), "gull_{}.png")
    with files[1].open("rb+") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        made = open_in_place(opened, renders, "gull")
    assert [one["problem"] and one["problem"]["message"] for one in made["files"]] == [
        None,
        "is still being written",
        None,
    ]
    assert source(opened, made["projects"][0]["id"])["added"] == 1


def test_what_has_no_folder_of_frames_says_so(opened: httpx.Client, renders: Path) -> None:
    _, files = opened_project(opened, renders, "flag", 3)
    files[1].write_bytes(b"no picture")
    os.utime(files[1], (1000, 1000))
    again = open_in_place(opened, renders, "flag")["projects"][0]["id"]
    where = source(opened, again)  # one that cannot be used is known from the start, and is not newer
    assert (where["newer"], where["added"], [one["file"] for one in where["unusable"]]) == (
        0,
        0,
        ["flag_2.png"],
    )
    # Of two folders in one import no project follows, nor one of pictures that were taken out of a file.
    save_frames(renders / "pole", moving_square(3, 40, 30), "pole_{}.png")
    Image.fromarray(fresh(1)).save(
        renders / "pole" / "wave.gif", save_all=True, append_images=[Image.fromarray(fresh(200))]
    )
    import_id = opened.post("/api/imports").json()["id"]
    for folder, wanted in (("flag", "flag_#.png"), ("pole", "pole_#.png"), ("pole", "wave.gif")):
        body = {"root": renders.name, "path": folder, "sequences": [wanted]}
        opened.post(f"/api/imports/{import_id}/folder", json=body).raise_for_status()
    made = opened.post(
        f"/api/imports/{import_id}/finish",
        json={"projects": [{"patterns": ["flag_#.png", "pole_#.png"]}, {"patterns": ["wave.gif/#.png"]}]},
    ).raise_for_status()
    for project in made.json()["projects"]:
        answer = opened.put(f"/api/projects/{project['id']}/folder", json={"follows": True})
        assert answer.status_code == 404, answer.text
    # Cut into views, they are other pictures than those in the folder, until that is undone.
    base = bench(opened, again)["revision"]["id"]
    opened.post(f"/api/projects/{again}/views", json={"base_revision": base, "across": 2, "down": 1})
    assert source(opened, again)["state"] == "apart"
    opened.post(f"/api/projects/{again}/undo")
    assert source(opened, again)["state"] == "here"
