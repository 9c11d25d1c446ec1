"""A change works out what the output on show takes; what the others take follows, and nothing is made twice."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx
import pytest
from sqlalchemy import select

from jayflick.service import queueing
from jayflick.service.mariadb import PrivateServer
from jayflick.service.models import Job
from jayflick.service.parts import Service
from jayflick.service.planner import Planner
from jayflick.service.results import Results
from jayflick.service.settings import Settings
from tests.conftest import moving_square
from tests.server import until
from tests.service.conftest import bench, colours, edit, heavy, project_of, serving
from tests.service.test_outputs import SAME, SET, WEBP, add, all_made


def at(rate: str) -> Callable[[dict[str, Any]], None]:
    return lambda recipe: recipe["rhythm"].update(rate=rate)


def jobs(service: Service, project: str, *states: str) -> dict[str, Job]:
    with service.sessions() as session:
        found = session.scalars(select(Job).where(Job.project_id == project, Job.state.in_(states)))
        return {job.output_id: job for job in found}


@pytest.fixture
def prepared(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The outputs that were worked out, in order."""
    seen: list[str] = []
    prepare = Results.prepare

    def watched(self: Results, session: Any, revision: Any, recipe: Any, output_id: str) -> Any:
        seen.append(output_id)
        return prepare(self, session, revision, recipe, output_id)

    monkeypatch.setattr(Results, "prepare", watched)
    return seen


def test_a_change_works_out_the_output_on_show_alone_and_the_next_start_the_others(
    database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, prepared: list[str]
) -> None:
    settings = Settings(data=tmp_path, database=database.url, workers=1)
    with serving(settings) as (client, _):
        project = project_of(client, moving_square(6, 48, 32, soft=True))
        add(client, project, WEBP, SET, SAME)
        before = all_made(client, project)
        stored = client.get("/api/storage").json()["bytes"]
    with monkeypatch.context() as patch:
        patch.setattr(queueing, "AT_ONCE", 0)
        patch.setattr(Planner, "_all", lambda self: None)
        with serving(settings) as (client, service):
            prepared.clear()
            for rate in ("8", "10", "12"):
                answer = edit(client, project, at(rate), chosen="set")
            assert prepared == ["set"] * 3
            assert {job["output_id"]: job["state"] for job in answer.json()["jobs"]} == dict.fromkeys(
                ("page", "soft", "still"), "queued"
            )
            assert len(jobs(service, project, "new")) == 3
            made = {one["output_id"] for one in answer.json()["results"] if one["pixels"]}
            assert "set" in made
    with serving(settings) as (client, service):
        after = all_made(client, project)
        assert sorted(prepared[3:]) == ["page", "soft", "still"]
        assert {name: one["pixels"] for name, one in after.items()} == {
            name: one["pixels"] for name, one in before.items()
        }
        assert client.get("/api/storage").json()["bytes"] == stored
        assert not jobs(service, project, "new", "queued", "running", "failed")
        edit(client, project, lambda recipe: recipe["outputs"].pop()).raise_for_status()
        client.post(f"/api/projects/{project}/undo").raise_for_status()
        assert {one["output_id"]: one["id"] for one in bench(client, project)["results"]} == {
            name: one["id"] for name, one in after.items()
        }


@pytest.fixture
def two(database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Any:
    """A service that works out one output in a request, and a project with a long job for its second one."""
    monkeypatch.setattr(queueing, "AT_ONCE", 0)
    with serving(Settings(data=tmp_path, database=database.url, workers=1)) as (client, service):
        project = project_of(client, heavy(seed=31))
        all_made(client, project)
        second = {**WEBP, "quality": 90, "effort": 4}
        add(client, project, second)
        until(lambda: "soft" in jobs(service, project, "running"))
        yield client, service, project


def test_a_job_of_another_output_goes_on_after_a_change_that_alters_none_of_its_pixels(
    two: tuple[httpx.Client, Service, str],
) -> None:
    client, service, project = two
    running = jobs(service, project, "running")["soft"]
    for rate in ("12", "6"):
        edit(client, project, at(rate), chosen="page").raise_for_status()
    all_made(client, project)
    assert jobs(service, project, "done")["soft"].id == running.id
    assert "soft" not in jobs(service, project, "superseded")


def test_a_job_of_another_output_is_given_up_once_it_is_known_that_its_pixels_changed(
    two: tuple[httpx.Client, Service, str],
) -> None:
    client, service, project = two
    running = jobs(service, project, "running")["soft"]

    def both(recipe: dict[str, Any]) -> None:
        colours(9)(recipe)
        recipe["outputs"][1]["quality"] = 20

    edit(client, project, both, chosen="page").raise_for_status()
    until(lambda: jobs(service, project, "superseded").get("soft"))
    assert all_made(client, project)["soft"]["info"]["count"] == 12
    assert jobs(service, project, "superseded")["soft"].id == running.id


def test_what_cannot_be_made_fails_and_a_project_in_the_bin_lets_go(
    two: tuple[httpx.Client, Service, str],
) -> None:
    client, service, project = two
    edit(client, project, lambda r: r["outputs"][1].update(take={"spans": ["gone"]}), chosen="page")
    (job,) = until(lambda: [job for job in bench(client, project)["jobs"] if job["state"] == "failed"])
    assert (job["output_id"], "no span 'gone'" in job["error"]["message"]) == ("soft", True)
    client.delete(f"/api/projects/{project}")
    assert not jobs(service, project, "new", "queued", "running")


def test_a_fault_in_one_output_stops_no_other(
    database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    prepare = Results.prepare

    def faulty(self: Results, session: Any, revision: Any, recipe: Any, output_id: str) -> Any:
        if output_id == "soft":
            raise RuntimeError("a bug")
        return prepare(self, session, revision, recipe, output_id)

    monkeypatch.setattr(Results, "prepare", faulty)
    monkeypatch.setattr(queueing, "AT_ONCE", 0)
    with serving(Settings(data=tmp_path, database=database.url, workers=1)) as (client, _):
        project = project_of(client, moving_square(6, 48, 32, soft=True))
        add(client, project, WEBP, SAME)
        until(lambda: {one["output_id"] for one in bench(client, project)["results"]} == {"page", "still"})
        (job,) = until(lambda: [job for job in bench(client, project)["jobs"] if job["state"] == "failed"])
        assert job["error"]["message"] == "an unexpected fault, RuntimeError: a bug"
