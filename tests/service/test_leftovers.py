"""What nothing refers to any more goes, while the service works; what is referred to never does."""

import os
import time
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import httpx
import pytest
from sqlalchemy import func, select

from jayflick.core.store import Store
from jayflick.service import leftovers, projects
from jayflick.service.leftovers import Leftovers
from jayflick.service.mariadb import PrivateServer
from jayflick.service.models import Job, Picture, Project, Result, Revision, TrialRow, now
from jayflick.service.parts import Service
from jayflick.service.settings import Settings
from tests.conftest import moving_square
from tests.server import until
from tests.service.conftest import bench, colours, edit, finished, numbered, project_of, serving

AT_ONCE = timedelta(0)


@pytest.fixture
def running(database: PrivateServer, tmp_path: Path) -> Iterator[tuple[httpx.Client, Service]]:
    """A service in this process, over an empty folder and an empty shelf, which it leaves empty."""

    def empty(client: httpx.Client) -> None:
        for card in client.get("/api/projects").json():
            client.delete(f"/api/projects/{card['id']}")
        client.delete("/api/projects/bin")

    settings = Settings(data=tmp_path, database=database.url, workers=1, most_stage_bytes=200_000)
    with serving(settings) as (client, service):
        empty(client)  # tests before these may have left something
        yield client, service
        empty(client)


def cleared(service: Service) -> int:
    most = service.settings.most_stage_bytes
    kept = Leftovers(service.sessions, service.store, service.stages, most)
    gone = kept.clear(AT_ONCE, AT_ONCE)
    assert kept.clear(AT_ONCE, AT_ONCE) == 0
    return gone


def count(service: Service, table: type[Job | Picture | Result | Revision | TrialRow]) -> int:
    with service.sessions() as session:
        return session.scalar(select(func.count()).select_from(table)) or 0


def files(service: Service) -> set[str]:
    return {name for number in range(256) for name in service.store.hashes(f"{number:02x}")}


def test_an_import_that_nobody_finished_goes_with_its_files(running: tuple[httpx.Client, Service]) -> None:
    client, service = running
    project = project_of(client, moving_square(3, 30))
    finished(client, project)
    left = client.post("/api/imports").json()["id"]
    parts = [("files", (n, d, "image/png")) for n, d in numbered(moving_square(3, 31))]
    client.post(f"/api/imports/{left}/files", files=parts).raise_for_status()
    most = service.settings.most_stage_bytes
    assert Leftovers(service.sessions, service.store, service.stages, most).clear() == 0  # it may be under way
    assert cleared(service) == 3
    shown = bench(client, project)
    assert {frame["sha256"] for frame in shown["frame_list"]} < files(service)
    result = shown["results"][0]
    assert len(client.get(f"/api/results/{result['id']}/file").content) == result["info"]["bytes"]
    assert client.post(f"/api/imports/{left}/finish").json()["message"] == "there is no such import"


def test_nothing_is_left_of_projects_that_were_deleted_for_good(running: tuple[httpx.Client, Service]) -> None:
    client, service = running
    first, other = (project_of(client, moving_square(4, size)) for size in (40, 41))
    for project in (first, other):
        finished(client, project)
        client.delete(f"/api/projects/{project}").raise_for_status()
    before = client.get("/api/storage").json()
    with service.sessions.begin() as session:
        session.get_one(Project, other).removed = now() - projects.KEPT - timedelta(minutes=1)
    cleared(service)  # one has been in the bin for long enough, the other has not
    assert client.post(f"/api/projects/{other}/restore").status_code == 404
    assert client.post(f"/api/projects/{first}/restore").status_code == 200
    assert finished(client, first)["info"]["count"] == 4
    client.delete(f"/api/projects/{first}").raise_for_status()
    client.delete("/api/projects/bin").raise_for_status()
    cleared(service)
    assert files(service) == set()
    assert [count(service, table) for table in (Job, Picture, Result, Revision, TrialRow)] == [0] * 5
    after = client.get("/api/storage").json()
    assert (before["bytes"] > 0, after["bytes"]) == (True, 0)
    assert after["scratch_bytes"] <= after["most_scratch_bytes"] == 200_000


def test_many_changes_keep_a_bounded_number_of_results_and_undo_makes_older_ones_again(
    running: tuple[httpx.Client, Service], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(leftovers, "HISTORY", 3)
    monkeypatch.setattr(leftovers, "TRIALS", 3)
    client, service = running
    project = project_of(client)
    made = [finished(client, project)]
    for number in range(2, 10):
        edit(client, project, colours(number), label=f"Colours to {number}").raise_for_status()
        made.append(finished(client, project))
    for number in range(10, 14):  # a slider on its way: only where it ends can be reached again
        edit(client, project, colours(number), gesture="slide").raise_for_status()
    finished(client, project)
    cleared(service)
    assert count(service, Revision) == len(made) + 1
    assert count(service, Result) <= 4 + 1
    assert count(service, TrialRow) == 3
    assert len(files(service)) <= 6 + 4 + 1 + 3
    service.stages.prune(0)
    for expected in reversed(made):
        client.post(f"/api/projects/{project}/undo").raise_for_status()
        assert finished(client, project)["pixels"] == expected["pixels"]


def test_frames_that_undo_cannot_lead_back_to_go(running: tuple[httpx.Client, Service]) -> None:
    client, service = running
    project = project_of(client, moving_square(3, 50))
    for size in (51, 52):  # each undone, and then another way was taken
        import_id = client.post("/api/imports").json()["id"]
        parts = [("files", (n, d, "image/png")) for n, d in numbered(moving_square(3, size))]
        client.post(f"/api/imports/{import_id}/files", files=parts).raise_for_status()
        client.post(f"/api/projects/{project}/renew", json={"import_id": import_id}).raise_for_status()
        client.post(f"/api/projects/{project}/undo").raise_for_status()
        edit(client, project, colours(size)).raise_for_status()
    until(lambda: finished(client, project))
    cleared(service)
    assert count(service, Picture) == 3 + 3  # those it has, and the newest set, whose number is not given again


def test_a_file_that_is_wanted_again_is_not_discarded_meanwhile(tmp_path: Path) -> None:
    store = Store(tmp_path)
    sha256 = store.put(b"wake")
    os.utime(store.path(sha256), (1, 1))
    long_ago = time.time() - 60
    assert store.keep(sha256)
    assert store.discard(sha256, long_ago) == 0
    os.utime(store.path(sha256), (1, 1))
    assert store.put(b"wake") == sha256
    assert store.discard(sha256, long_ago) == 0
    os.utime(store.path(sha256), (1, 1))
    assert store.discard(sha256, long_ago) == 4
    assert not store.keep(sha256)
