"""Sending outputs to the stand-ins that a server keeps running, and remembering what they answered."""

import json
import os
import signal
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from jayflick.cli import main
from tests.conftest import moving_square, save_frames
from tests.prepared import copy_empty
from tests.server import Server, until
from tests.service.conftest import FEW, bench, edit, finished, project_of


@pytest.fixture(scope="module")
def stage(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A server with its stand-ins."""
    server = Server(copy_empty(tmp_path_factory.mktemp("stage")), FEW, standins=True, forked=True).start(
        "--no-demo"
    )
    yield server
    server.stop()


@pytest.fixture
def asker(stage: Server) -> Iterator[httpx.Client]:
    with stage.client() as opened:
        yield opened


def standins(asker: httpx.Client) -> dict[str, Any]:
    """All of them by name, once they are ready."""
    listed = until(
        lambda: (
            (found := asker.get("/api/standins").json())
            and all(one["state"] == "ready" for one in found)
            and found
        )
    )
    return {one["name"]: one for one in listed}


def send(asker: httpx.Client, project_id: str, to: str, **more: Any) -> httpx.Response:
    body = {"output": "page", "to": to, **more}
    return asker.post(f"/api/projects/{project_id}/deliveries", json=body)


def settled(asker: httpx.Client, project_id: str, number: str) -> dict[str, Any]:
    path = f"/api/projects/{project_id}/deliveries/{number}"
    found: dict[str, Any] = until(
        lambda: (one := asker.get(path).raise_for_status().json())["state"] != "sending" and one
    )
    return found


def as_set(asker: httpx.Client, project_id: str) -> None:
    """Make the project's output a numbered set of 60 frames a second."""

    def change(recipe: dict[str, Any]) -> None:
        recipe["outputs"] = [{"format": "frames", "id": "page", "name": "Set", "file_name": "set.zip"}]
        recipe["rhythm"]["rate"] = "60"

    edit(asker, project_id, change).raise_for_status()
    finished(asker, project_id)


def alive(pid: int) -> bool:
    """Whether a process is still at work; one that ended and is not fetched yet has no command line."""
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes() != b""
    except OSError:
        return False


def test_an_answer_is_kept_with_the_output_and_nothing_is_sent_twice(asker: httpx.Client) -> None:
    project_id = project_of(asker, moving_square(6))
    content = finished(asker, project_id)["content"]
    standins(asker)
    sent = send(asker, project_id, "post").raise_for_status().json()
    answer = settled(asker, project_id, sent["id"])
    assert (answer["state"], answer["message"], answer["place"]) == ("taken", "is shown as it was sent", "post")
    (kept,) = bench(asker, project_id)["deliveries"]
    assert kept["content"] == content
    twice = send(asker, project_id, "post")
    assert (twice.status_code, twice.json()["message"]) == (409, "the same files were accepted there already")
    again = send(asker, project_id, "post", again=True).raise_for_status().json()
    assert settled(asker, project_id, again["id"])["state"] == "taken"
    host = standins(asker)["post"]
    assert {answer["id"], again["id"]} <= set(host["status"]["holds"])
    assert host["asked"] > answer["ended"]
    for post in asker.get(f"{host['url']}/api/posts").json():
        asker.delete(f"{host['url']}/api/posts/{post['number']}").raise_for_status()
    anew = send(asker, project_id, "post").raise_for_status().json()  # it is not there any more
    assert settled(asker, project_id, anew["id"])["state"] == "taken"
    edit(asker, project_id, lambda recipe: recipe["outputs"][0]["tuning"].update(colours=8))
    assert finished(asker, project_id)["content"] != content, "what was kept is of another file now"
    asker.delete(f"/api/projects/{project_id}")


def test_all_that_leaves_counts_as_a_change(asker: httpx.Client) -> None:
    """A cut, a place on the raster and names are no pixels, and the place that was sent them knows no other."""
    project_id = project_of(asker, moving_square(6, soft=True))
    finished(asker, project_id)
    as_set(asker, project_id)
    standins(asker)
    seen = [finished(asker, project_id)["content"]]
    changes: tuple[dict[str, Any], ...] = ({"cut": 3}, {"cut": 2}, {"place": [40, 20]}, {"names": "bug_####"})
    for change in changes:

        def apply(recipe: dict[str, Any], change: dict[str, Any] = change) -> None:
            recipe["outputs"][0].update(change)

        edit(asker, project_id, apply)
        seen.append(finished(asker, project_id)["content"])
    assert len(set(seen)) == len(seen)
    bug = {"use": "overlay", "memory": 6}
    first = send(asker, project_id, "switcher", **bug).raise_for_status().json()
    answer = settled(asker, project_id, first["id"])
    assert answer["state"] == "taken", answer["message"]
    assert send(asker, project_id, "switcher", **bug).status_code == 409
    edit(asker, project_id, lambda recipe: recipe["outputs"][0].update(place=[60, 20]))
    finished(asker, project_id)
    moved = send(asker, project_id, "switcher", **bug)
    assert moved.is_success, "it lies elsewhere now"
    assert settled(asker, project_id, moved.json()["id"])["state"] == "refused"  # the memory holds it still
    desk = standins(asker)["switcher"]["url"]
    asker.delete(f"{desk}/api/memories/6").raise_for_status()
    asker.delete(f"/api/projects/{project_id}")


def test_what_is_refused_is_kept_in_words(asker: httpx.Client) -> None:
    project_id = project_of(asker, moving_square(6, soft=True))
    finished(asker, project_id)
    as_set(asker, project_id)
    standins(asker)
    number = send(asker, project_id, "switcher", use="transition", memory=4).json()["id"]
    answer = settled(asker, project_id, number)
    assert (answer["state"], answer["message"]) == (
        "refused",
        "a transition has 60 frames; these are 6",
    )
    assert answer["remedy"] == "conform it to 60 frames"
    for to, words in (
        ("http://10.1.2.3:80", "is not this machine"),
        ("ftp://127.0.0.1", "no address to send to"),
    ):
        refused = send(asker, project_id, to)
        assert refused.status_code == 422
        assert words in refused.json()["message"]
    elsewhere = send(asker, project_id, str(asker.base_url)).raise_for_status().json()
    assert settled(asker, project_id, elsewhere["id"])["state"] == "refused", "what answers takes no files"
    asker.delete(f"/api/projects/{project_id}")


def test_a_delivery_is_called_off_there_as_well(asker: httpx.Client) -> None:
    project_id = project_of(asker, moving_square(20, soft=True))
    finished(asker, project_id)
    as_set(asker, project_id)
    desk = standins(asker)["switcher"]["url"]
    asker.put(f"{desk}/api/desk/show", json={"pace": 2})
    number = send(asker, project_id, "switcher", use="overlay", memory=5).json()["id"]
    path = f"/api/projects/{project_id}/deliveries/{number}"
    until(lambda: asker.get(path).json()["stage"] == "converting")
    assert send(asker, project_id, "switcher", memory=6).json()["message"] == "it is on its way there already"
    asker.delete(path).raise_for_status()
    assert settled(asker, project_id, number)["state"] == "cancelled"
    memories = asker.get(f"{desk}/api/desk").json()["memories"]
    assert [one["title"] for one in memories[4:]] == ["", ""]
    asker.delete(f"/api/projects/{project_id}")


def test_a_stand_in_that_was_killed_is_there_again_at_the_same_address(
    stage: Server, asker: httpx.Client
) -> None:
    before = standins(asker)
    (pid,) = stage.children("jayflick stand-in effects")
    os.kill(pid, signal.SIGKILL)
    until(lambda: stage.children("jayflick stand-in effects") not in ([], [pid]))
    after = standins(asker)
    assert {name: one["url"] for name, one in before.items()} == {
        name: one["url"] for name, one in after.items()
    }
    project_id = project_of(asker, moving_square(4, soft=True))
    finished(asker, project_id)
    as_set(asker, project_id)
    number = send(asker, project_id, "effects").json()["id"]
    taken = settled(asker, project_id, number)
    assert taken["message"] == "plays on the plane, 4 frames"
    assert send(asker, project_id, "effects").status_code == 409, "it is there"
    (pid,) = stage.children("jayflick stand-in effects")
    os.kill(pid, signal.SIGKILL)
    until(lambda: stage.children("jayflick stand-in effects") not in ([], [pid]))
    assert standins(asker)["effects"]["status"]["holds"] == [], "so that what it took is known to be gone"
    again = send(asker, project_id, "effects").raise_for_status().json()
    assert settled(asker, project_id, again["id"])["state"] == "taken"
    asker.delete(f"/api/projects/{project_id}")


def test_the_command_line_sends_by_name(
    stage: Server, asker: httpx.Client, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    standins(asker)
    save_frames(tmp_path / "in", moving_square(5, soft=True))
    command = ["send", str(tmp_path / "in"), "--to", "graphics", "--data", str(stage.data), "--json"]
    assert main(command) == 0
    answer = json.loads(capsys.readouterr().out)
    assert (answer["verdict"], answer["message"]) == ("taken", "is on the prepared page")
    assert main(command) == 0, "the same again is the same as once"
    board = asker.get(f"{standins(asker)['graphics']['url']}/api/board").json()
    assert len(board["animations"]) == 1
    capsys.readouterr()
    for wrong, status, words in (
        (["send", str(tmp_path / "in"), "--to", "post", "--data", str(stage.data)], 2, "a post is one file"),
        (["send", str(tmp_path / "in"), "--to", "post", "--data", str(tmp_path)], 2, "the post is not running"),
        (["send", str(tmp_path / "in"), "--to", "graphic"], 2, "there is no stand-in called graphic"),
        ([*command[:-1], "--memory", "0"], 2, "this cannot be sent: place"),
        ([*command[:-1], "--at", "here"], 2, "--at 'here' is no place"),
        (["send", str(tmp_path / "none.gif"), "--to", "http://127.0.0.1:9"], 2, "none.gif"),
        (["send", str(tmp_path / "in"), "--to", "http://ferry.example"], 2, "is not this machine"),
    ):
        assert main(wrong) == status
        error = capsys.readouterr().err
        assert error.startswith("jayflick: ")
        assert error.count("\n") == 1
        assert words in error


def test_what_was_under_way_when_the_program_ended_can_be_sent_again(tmp_path: Path) -> None:
    server = Server(copy_empty(tmp_path / "data"), FEW, standins=True, forked=True).start("--no-demo")
    try:
        with server.client() as asker:
            project_id = project_of(asker, moving_square(20, soft=True))
            finished(asker, project_id)
            as_set(asker, project_id)
            asker.put(f"{standins(asker)['switcher']['url']}/api/desk/show", json={"pace": 1})
            number = send(asker, project_id, "switcher", use="overlay", memory=5).json()["id"]
            path = f"/api/projects/{project_id}/deliveries/{number}"
            until(lambda: asker.get(path).json()["stage"] == "converting")
        left = server.children("jayflick stand-in")
        assert len(left) == 4
        server.stop(signal.SIGKILL)
        until(lambda: not any(alive(pid) for pid in left))
        server.start("--no-demo")
        with server.client() as asker:
            ended = asker.get(path).json()
            assert (ended["state"], ended["message"]) == ("failed", "the program ended while it was sent")
            asker.put(f"{standins(asker)['switcher']['url']}/api/desk/show", json={"pace": 0})
            assert send(asker, project_id, "switcher", use="overlay", memory=5).json()["id"] == number
            assert settled(asker, project_id, number)["state"] == "taken"
            # A place that hangs holds neither the program up when it stops, nor anybody else.
            (pid,) = server.children("jayflick stand-in post")
            os.kill(pid, signal.SIGSTOP)
            send(asker, project_id, "post").raise_for_status()
            begun = time.monotonic()
        assert server.stop() in (0, -signal.SIGTERM)
        assert time.monotonic() - begun < 10
        assert not alive(pid)
    finally:
        server.stop(signal.SIGKILL)
