"""Trials: every real encoding of an output, with its file, its likeness and what is said of it."""

from io import BytesIO
from typing import Any

import httpx
import pytest
from PIL import Image

from jayflick.service import leftovers
from jayflick.service.leftovers import Leftovers
from jayflick.service.parts import Service
from jayflick.service.searches import KEPT
from tests.conftest import lit_ball
from tests.server import Server
from tests.service.conftest import FEW, bench, colours, edit, finished, project_of
from tests.service.test_leftovers import AT_ONCE, running
from tests.service.test_searches import ended, known

__all__ = ["running"]

Found = dict[str, Any]


def trials(client: httpx.Client, project: str) -> list[Found]:
    found: list[Found] = known(client, project)["trials"]
    return found


def ball(client: httpx.Client) -> str:
    return project_of(client, lit_ball(4, 64, 36))


def set_to(client: httpx.Client, project: str, **output: Any) -> Found:
    edit(client, project, lambda recipe: recipe["outputs"][0].update(output)).raise_for_status()
    return finished(client, project)


def test_every_encoding_is_a_trial_that_can_be_fetched_and_had_again(client: httpx.Client) -> None:
    project = ball(client)
    made = [finished(client, project)]
    for count in (40, 12):
        edit(client, project, colours(count)).raise_for_status()
        made.append(finished(client, project))
    edit(client, project, lambda recipe: recipe["rhythm"].update(rate="12")).raise_for_status()
    made[-1] = finished(client, project)  # a change of time is no other picture
    edit(client, project, colours(40)).raise_for_status()
    made[1] = finished(client, project)
    found = trials(client, project)
    assert [trial["number"] for trial in found] == [1, 2, 3]
    assert [trial["pixels"] for trial in found] == [one["pixels"] for one in made]
    for trial, result in zip(found[1:], made[1:], strict=True):
        played = client.get(f"/api/trials/{trial['id']}").raise_for_status().json()
        assert played["delays"] == result["delays"]
        file = client.get(f"/api/trials/{trial['id']}/file?key={played['key']}").raise_for_status().content
        assert len(file) == trial["bytes"] == result["info"]["bytes"]
    assert file == client.get(f"/api/results/{made[2]['id']}/file").content
    assert client.get(f"/api/trials/{trial['id']}/file?key=other").status_code == 404
    assert client.get(f"/api/trials/{trial['id']}/frames/3").headers["content-type"] == "image/png"
    assert client.get(f"/api/trials/{trial['id']}/frames/4").status_code == 404
    again = set_to(client, project, **found[2]["output"])
    assert again["pixels"] == made[2]["pixels"]


def test_what_is_measured_on_a_result_is_known_of_its_trial_and_others_are_measured_when_asked(
    client: httpx.Client,
) -> None:
    project = ball(client)
    first = finished(client, project)
    edit(client, project, colours(8)).raise_for_status()
    made = finished(client, project)
    assert [trial["error"] for trial in trials(client, project)] == [None, None]
    likeness = client.get(f"/api/results/{made['id']}/likeness").raise_for_status().json()
    one, two = trials(client, project)
    assert (one["error"], two["error"]) == (None, likeness["error"])
    assert two["likeness"] == likeness["whole"]
    assert two["stands_out"] == likeness["stands_out"]
    asked = client.get(f"/api/trials/{one['id']}/likeness").raise_for_status().json()
    assert trials(client, project)[0]["error"] == asked["error"] < two["error"]
    assert asked == client.get(f"/api/results/{first['id']}/likeness").json()
    set_to(client, project, size={"width": 32})
    smaller = trials(client, project)[-1]
    set_to(client, project, size={"width": 48})
    of_smaller = client.get(f"/api/trials/{smaller['id']}/likeness")  # against its frames at its own size
    assert of_smaller.raise_for_status().json()["error"] > 0
    edit(client, project, colours(9)).raise_for_status()
    edit(client, project, lambda recipe: recipe["rhythm"].update(direction="reverse")).raise_for_status()
    finished(client, project)
    refused = client.get(f"/api/trials/{trials(client, project)[-2]['id']}/likeness")
    assert (refused.status_code, "other frames" in refused.json()["message"]) == (422, True)


def test_words_last_over_a_restart(own: Server) -> None:
    with own.client() as client:
        project = ball(client)
        finished(client, project)
        (trial,) = trials(client, project)
        url = f"/api/projects/{project}/trials/{trial['id']}"
        client.patch(url, json={"name": "For the pier"}).raise_for_status()
        client.patch(url, json={"note": "a little grey"}).raise_for_status()
        assert client.patch(url, json={"name": "n" * 81}).status_code == 422
        elsewhere = project_of(client)
        assert client.patch(url.replace(project, elsewhere), json={"name": "x"}).status_code == 404
    own.stop()
    again = Server(own.data, FEW, forked=True).start("--no-demo")
    try:
        with again.client() as client:
            (trial,) = trials(client, project)
            assert (trial["name"], trial["note"]) == ("For the pier", "a little grey")
            file = client.get(f"/api/trials/{trial['id']}/file").raise_for_status().content
            assert len(file) == trial["bytes"]
    finally:
        again.stop()


@pytest.mark.parametrize(
    ("output", "kind", "formats"),
    [
        ({}, "spread", {"gif"}),
        ({"target": {"formats": ["gif", "webp", "apng"]}}, "formats", {"gif", "webp", "apng"}),
    ],
)
def test_others_are_tried_when_asked(client: httpx.Client, output: Found, kind: str, formats: set[str]) -> None:
    project = ball(client)
    result = set_to(client, project, **output)
    body = {"output": "page", "kind": kind}
    client.post(f"/api/projects/{project}/searches", json=body).raise_for_status()
    search = ended(client, project)
    assert (search["state"], search["kind"], search["best"], search["most"]) == ("done", kind, None, None)
    assert {trial["format"] for trial in search["trials"]} == formats
    assert search["trials"][0]["pixels"] == result["pixels"]
    assert len(search["trials"]) > 2
    for trial in search["trials"]:
        assert trial["error"] is not None
        data = client.get(f"/api/trials/{trial['id']}/file").raise_for_status().content
        with Image.open(BytesIO(data)) as image:
            assert (image.format, image.size) == (trial["format"].upper().replace("APNG", "PNG"), (64, 36))
    other = next(trial for trial in search["trials"] if trial["pixels"] != result["pixels"])
    names = {"id": "page", "name": "Page loop", "target": output.get("target")}

    def adopt(recipe: Found) -> None:
        recipe["outputs"] = [{**other["output"], **names}]

    edit(client, project, adopt).raise_for_status()
    made = finished(client, project)
    assert (made["pixels"], made["info"]["bytes"]) == (other["pixels"], other["bytes"])


def test_many_searches_of_one_kind_leave_the_newest_of_the_others(client: httpx.Client) -> None:
    project = ball(client)
    most = finished(client, project)["info"]["bytes"] * 8 // 10
    (output,) = bench(client, project)["recipe"]["outputs"]
    url = f"/api/projects/{project}/searches"
    client.post(url, json={"output": "page", "kind": "budget", "most": most}).raise_for_status()
    found = ended(client, project)
    for _ in range(KEPT + 2):
        client.post(url, json={"output": "page", "kind": "one", "as_set": output}).raise_for_status()
    ended(client, project)
    one, budget = known(client, project)["searches"]
    assert (one["kind"], budget["id"], budget["best"]) == ("one", found["id"], found["best"])


@pytest.mark.parametrize(
    "body",
    [
        {"output": "page", "kind": "budget"},
        {"output": "page", "kind": "spread", "most": 5000},
        {"output": "page", "kind": "spread", "may": ["quality"]},
        {"output": "page", "kind": "formats"},
        {"output": "page", "kind": "all"},
        {"output": "page", "kind": "together", "most": 5000},
        {"output": "page", "kind": "one"},
        {"output": "page", "kind": "one", "as_set": {"format": "gif", "id": "other"}},
    ],
)
def test_what_cannot_be_tried_is_refused(client: httpx.Client, body: Found) -> None:
    project = ball(client)
    set_to(client, project, target={"formats": ["gif"]})
    assert client.post(f"/api/projects/{project}/searches", json=body).status_code == 422


def test_trials_die_with_their_output_once_undo_does_not_lead_to_it(
    running: tuple[httpx.Client, Service],
) -> None:
    client, service = running
    project = ball(client)
    finished(client, project)

    def clear() -> None:
        Leftovers(service.sessions, service.store, service.stages, 10**6).clear(AT_ONCE, AT_ONCE)

    def second(recipe: Found) -> None:
        recipe["outputs"].append({**recipe["outputs"][0], "id": "two", "name": "Two", "file_name": "b.gif"})

    edit(client, project, second).raise_for_status()
    finished(client, project)
    url = f"/api/projects/{project}/trials?output=two"
    assert len(client.get(url).json()["trials"]) == 1
    edit(client, project, lambda recipe: recipe["outputs"].pop()).raise_for_status()
    clear()
    assert len(client.get(url).json()["trials"]) == 1, "one undo away"
    for _ in range(2):
        client.post(f"/api/projects/{project}/undo").raise_for_status()
    edit(client, project, colours(30)).raise_for_status()
    finished(client, project)
    clear()
    assert client.get(url).json()["trials"] == []
    assert len(trials(client, project)) == 2


def test_of_many_trials_the_newest_stay_and_those_of_which_something_is_said(
    running: tuple[httpx.Client, Service], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(leftovers, "TRIALS", 4)
    client, service = running
    project = ball(client)
    for count in range(10, 18):
        edit(client, project, colours(count)).raise_for_status()
        finished(client, project)
    second = trials(client, project)[1]
    client.patch(f"/api/projects/{project}/trials/{second['id']}", json={"name": "x"}).raise_for_status()
    Leftovers(service.sessions, service.store, service.stages, 10**6).clear(AT_ONCE, AT_ONCE)
    numbers = [trial["number"] for trial in trials(client, project)]
    assert numbers == [2, *range(numbers[1], numbers[1] + 3)]
    edit(client, project, colours(19)).raise_for_status()
    finished(client, project)
    assert trials(client, project)[-1]["number"] == numbers[-1] + 1, "a number is not given again"


def test_of_large_trials_only_as_many_stay_as_there_is_room_for(
    running: tuple[httpx.Client, Service], monkeypatch: pytest.MonkeyPatch
) -> None:
    client, service = running
    project = ball(client)
    for count in (30, 31, 32):
        edit(client, project, colours(count)).raise_for_status()
        finished(client, project)
    newest = trials(client, project)[-2:]

    def cleared() -> list[int]:
        Leftovers(service.sessions, service.store, service.stages, 10**6).clear(AT_ONCE, AT_ONCE)
        return [trial["number"] for trial in trials(client, project)]

    monkeypatch.setattr(leftovers, "TRIAL_BYTES", sum(trial["bytes"] for trial in newest))
    assert cleared() == [trial["number"] for trial in newest]
    monkeypatch.setattr(leftovers, "TRIAL_BYTES", 10)
    assert cleared() == [newest[-1]["number"]], "the newest stays, however large it is"
