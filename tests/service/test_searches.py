"""A budget asked of the service, and likeness: by real encodings, each recorded as soon as it is measured."""

import os
import signal
from contextlib import suppress
from threading import Thread
from typing import Any

import httpx
import pytest

from tests.conftest import lit_ball
from tests.server import Server, until
from tests.service.conftest import FEW, bench, colours, edit, finished, heavy, project_of

Found = dict[str, Any]


def plain(recipe: dict[str, Any]) -> None:
    recipe["outputs"][0]["tuning"].update(dither="none")


def ball(client: httpx.Client) -> tuple[str, int]:
    """A project, and what its output takes undithered."""
    project = project_of(client, lit_ball(5, 120, 68))
    edit(client, project, plain).raise_for_status()
    return project, int(finished(client, project)["info"]["bytes"])


def ask(client: httpx.Client, project: str, most: int, **more: Any) -> Found:
    answer = client.post(f"/api/projects/{project}/searches", json={"output": "page", "most": most, **more})
    found: Found = answer.raise_for_status().json()
    return found


def known(client: httpx.Client, project: str) -> Found:
    """All trials of its output, and the newest search."""
    found: Found = client.get(f"/api/projects/{project}/trials?output=page").raise_for_status().json()
    return found


def newest(client: httpx.Client, project: str) -> Found:
    """The newest search, with the trials that it made."""
    found = known(client, project)
    by_id = {trial["id"]: trial for trial in found["trials"]}
    search: Found = found["searches"][0]
    return {**search, "trials": [by_id[one] for one in search["trials"]]}


def ended(client: httpx.Client, project: str) -> Found:
    until(lambda: newest(client, project)["state"] not in ("queued", "running"))
    return newest(client, project)


def adopt(client: httpx.Client, project: str, trial: Found) -> Found:
    """Set the output as it was in a trial, as one edit."""

    def change(recipe: dict[str, Any]) -> None:
        recipe["outputs"][0].update(trial["output"])

    edit(client, project, change).raise_for_status()
    return finished(client, project)


def test_the_truest_file_that_fits_is_found_and_adopted_as_it_was_measured(client: httpx.Client) -> None:
    project, whole = ball(client)
    assert known(client, project)["searches"] == []
    most = whole * 6 // 10
    begun = ask(client, project, most)
    assert begun["state"] in ("queued", "running")
    found = ended(client, project)
    assert (found["state"], found["most"], found["id"]) == ("done", most, begun["id"])
    (output,) = bench(client, project)["recipe"]["outputs"]
    assert {**output, **found["trials"][0]["output"]} == output, "the first is the output as it was"
    assert found["trials"][0]["bytes"] == whole
    (best,) = (trial for trial in found["trials"] if trial["id"] == found["best"])
    assert 0.97 * most <= best["bytes"] <= most
    assert best["error"] <= 0.0005 + min(one["error"] for one in found["trials"] if one["bytes"] <= most)
    before = bench(client, project)
    for trial in (min(found["trials"], key=lambda one: one["bytes"]), found["trials"][0], best):
        made = adopt(client, project, trial)  # whatever another one had set
        assert made["info"]["bytes"] == trial["bytes"]
    likeness = client.get(f"/api/results/{made['id']}/likeness").raise_for_status().json()
    assert likeness["whole"]["ssim"] == pytest.approx(best["likeness"]["ssim"], abs=1e-9)
    for _ in range(3):
        undone = client.post(f"/api/projects/{project}/undo").json()
    assert undone["recipe"] == before["recipe"]


def test_what_cannot_fit_is_said_with_what_comes_nearest(client: httpx.Client) -> None:
    project, _ = ball(client)
    ask(client, project, 200)
    found = ended(client, project)
    assert (found["state"], found["best"]) == ("done", None)
    smallest = min(found["trials"], key=lambda one: one["bytes"])
    assert found["nearest"] == smallest["id"]
    ask(client, project, smallest["bytes"] // 2, may=["loss", "colours", "size"])
    found = ended(client, project)
    (best,) = (trial for trial in found["trials"] if trial["id"] == found["best"])
    assert best["output"]["size"]["width"] == best["width"] < 120
    assert adopt(client, project, best)["info"]["bytes"] == best["bytes"] <= found["most"]


def test_a_search_is_called_off_by_hand_by_a_newer_one_and_with_its_project(client: httpx.Client) -> None:
    project = project_of(client, heavy(10, seed=41))
    first = ask(client, project, 1000)
    until(lambda: newest(client, project)["trials"])
    client.post(f"/api/projects/{project}/searches/{first['id']}/cancel").raise_for_status()
    found = newest(client, project)
    assert (found["state"], found["best"]) == ("cancelled", None)
    assert found["nearest"] == min(found["trials"], key=lambda one: one["bytes"])["id"], (
        "what was tried is kept"
    )

    ask(client, project, 2000)
    second = ask(client, project, 3000)
    assert newest(client, project)["id"] == second["id"]
    until(lambda: newest(client, project)["state"] == "running")
    client.delete(f"/api/projects/{project}").raise_for_status()
    other, whole = ball(client)  # its turn comes as soon as the other is given up
    ask(client, other, whole * 8 // 10, may=["loss"])
    assert ended(client, other)["best"] is not None
    client.post(f"/api/projects/{project}/restore").raise_for_status()
    assert newest(client, project)["state"] == "cancelled"


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        ({"output": "gone", "most": 5000}, 404, "no such output"),
        ({"output": "page", "most": 5000, "may": ["quality"]}, 422, "nothing that may change"),
        ({"output": "page", "most": 0}, 422, "most"),
        ({"output": "page", "most": 5000, "may": ["speed"]}, 422, "may"),
    ],
)
def test_what_cannot_be_searched_for_is_refused(
    client: httpx.Client, body: dict[str, Any], status: int, words: str
) -> None:
    answer = client.post(f"/api/projects/{project_of(client)}/searches", json=body)
    assert answer.status_code == status
    assert words in str(answer.json())


def test_a_killed_server_keeps_what_was_tried(own: Server) -> None:
    with own.client() as client:
        project = project_of(client, heavy(10, seed=42))
        ask(client, project, 1000)
        until(lambda: newest(client, project)["trials"])
        known = newest(client, project)["trials"]
    own.stop(signal.SIGKILL)
    again = Server(own.data, FEW, forked=True).start("--no-demo")
    try:
        with again.client() as client:
            found = newest(client, project)
            assert found["state"] == "cancelled"
            assert found["trials"][: len(known)] == known
            ask(client, project, 10**8, may=["loss"])
            until(lambda: newest(client, project)["best"] is not None)
    finally:
        again.stop()


def test_likeness_is_measured_of_what_is_shown_and_kept(client: httpx.Client) -> None:
    project = project_of(client, lit_ball(6, 120, 68))
    edit(client, project, lambda recipe: recipe["outputs"][0]["tuning"].update(colours=6, dither="none"))
    made = finished(client, project)
    likeness = client.get(f"/api/results/{made['id']}/likeness").raise_for_status().json()
    assert likeness["steps"] == list(range(6))
    assert len(likeness["parts"]) == 6
    assert 20 < likeness["whole"]["psnr"] < 45
    assert likeness["stands_out"]["blemish"] in ("bands", "edges", "hue")
    assert client.get(f"/api/results/{made['id']}/likeness").json() == likeness
    edit(client, project, colours(5))
    fewer = finished(client, project)
    less = client.get(f"/api/results/{fewer['id']}/likeness").raise_for_status().json()
    assert less["whole"]["ssim"] < likeness["whole"]["ssim"]

    def lossless(recipe: dict[str, Any]) -> None:
        recipe["outputs"] = [{"format": "apng", "id": "page", "file_name": "a.png"}]

    edit(client, project, lossless).raise_for_status()
    nothing = client.get(f"/api/results/{finished(client, project)['id']}/likeness").json()
    assert (nothing["whole"]["psnr"], nothing["whole"]["ssim"], nothing["stands_out"]) == (None, 1, None)

    def sheet(recipe: dict[str, Any]) -> None:
        recipe["outputs"] = [{"format": "sheet", "id": "page", "file_name": "a.png"}]

    edit(client, project, sheet).raise_for_status()
    answer = client.get(f"/api/results/{finished(client, project)['id']}/likeness")
    assert (answer.status_code, answer.json()["message"]) == (422, "a sheet is not measured")


def test_a_server_that_measures_and_searches_stops_when_it_is_told_to(own: Server) -> None:
    with own.client() as client:
        project = project_of(client, heavy(12, seed=43))
        made = finished(client, project)
        ask(client, project, 1000)
        until(lambda: newest(client, project)["state"] == "running")

        def measure() -> None:
            with suppress(httpx.HTTPError):
                httpx.get(f"{own.base}/api/results/{made['id']}/likeness", timeout=60)

        asked = [Thread(target=measure) for _ in range(3)]
        for one in asked:
            one.start()
        assert own.stop() in (0, -signal.SIGTERM)
        for one in asked:
            one.join()


def test_a_search_finds_another_process_where_its_own_died_idle(own: Server) -> None:
    with own.client() as client:
        project, whole = ball(client)
        there = set(own.children("jayflick worker"))

        def searching() -> set[int]:
            return set(own.children("jayflick worker")) - there

        for most in (whole * 8 // 10, whole * 7 // 10, whole * 6 // 10):
            for process in searching():
                os.kill(process, signal.SIGKILL)
            ask(client, project, most, may=["loss"])
            assert ended(client, project)["best"] is not None
        (process,) = searching()
        os.kill(process, signal.SIGSTOP)
        ask(client, project, whole // 2, may=["loss"])
        until(lambda: newest(client, project)["state"] == "running")
        os.kill(process, signal.SIGKILL)  # noticed only after it has been handed a search
        assert ended(client, project)["best"] is not None
