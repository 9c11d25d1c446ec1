"""A real server over a real MariaDB, each in a data folder of its own."""

import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path
from threading import Thread
from typing import Any

import httpx
import numpy as np
import pytest
import uvicorn
from PIL import Image

from jayflick.service.app import create_app
from jayflick.service.bounds import PatientProtocol
from jayflick.service.mariadb import PrivateServer
from jayflick.service.parts import Service
from jayflick.service.settings import Settings
from tests.conftest import Pictures, moving_square
from tests.prepared import copy_empty
from tests.server import Server, until


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    data = copy_empty(tmp_path_factory.mktemp("server"))
    running = Server(data, {"JAYFLICK_MOST_FILES": "40"}).start("--no-demo")
    yield running
    assert running.stop() in (0, -signal.SIGTERM)


FEW = {"JAYFLICK_WORKERS": "1", "JAYFLICK_DECODERS": "1"}
"""Servers that are started often start as few processes as will do."""


@pytest.fixture
def own(tmp_path: Path) -> Iterator[Server]:
    """A server that a test may harm."""
    server = Server(copy_empty(tmp_path / "data"), FEW, forked=True).start("--no-demo")
    yield server
    server.stop(signal.SIGKILL)


@pytest.fixture
def handoff(tmp_path: Path) -> Path:
    """A folder that outputs are handed off into."""
    folder = tmp_path / "deliveries"
    folder.mkdir()
    return folder


@pytest.fixture
def place(tmp_path: Path, handoff: Path) -> Iterator[Server]:
    """A server with that folder."""
    server = Server(copy_empty(tmp_path / "data"), FEW, forked=True).start(
        "--no-demo", "--handoff", str(handoff)
    )
    yield server
    server.stop(signal.SIGKILL)


@pytest.fixture(scope="session")
def database(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivateServer]:
    """A database with its tables, and no service."""
    server = PrivateServer(copy_empty(tmp_path_factory.mktemp("database")) / "database")
    server.start()
    yield server
    server.stop()


@contextmanager
def serving(settings: Settings, *, idle: bool = False) -> Iterator[tuple[httpx.Client, Service]]:
    """A service in this process, asked by HTTP, and its parts; ``idle``: it only answers."""
    app = create_app(settings)
    config = uvicorn.Config(
        app,
        port=0,
        log_level="error",
        timeout_graceful_shutdown=3,
        http=PatientProtocol,
        lifespan="off" if idle else "on",
    )
    server = uvicorn.Server(config)
    thread = Thread(target=server.run)
    thread.start()
    try:
        until(lambda: server.started or not thread.is_alive())
        port = server.servers[0].sockets[0].getsockname()[1]
        with httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=120) as opened:
            yield opened, app.state.service
    finally:
        server.should_exit = True
        thread.join()


@pytest.fixture
def client(server: Server) -> Iterator[httpx.Client]:
    """Asks the one server; what a test made is taken off its shelf, so that names are free for the next."""
    with server.client() as opened:
        yield opened
        for project in opened.get("/api/projects").json():
            opened.delete(f"/api/projects/{project['id']}")


def png(frame: np.ndarray) -> bytes:
    out = BytesIO()
    Image.fromarray(frame).save(out, "PNG")
    return out.getvalue()


def numbered(frames: Pictures, name: str = "wave_{}.png") -> list[tuple[str, bytes]]:
    return [(name.format(number), png(frame)) for number, frame in enumerate(frames, 1)]


def bring(client: httpx.Client, files: list[tuple[str, bytes]]) -> dict[str, Any]:
    """Import files in two requests; returns what finishing answers, with each file's outcome as ``taken``."""
    import_id = client.post("/api/imports").raise_for_status().json()["id"]
    taken: list[dict[str, Any]] = []
    for part in (files[: len(files) // 2], files[len(files) // 2 :]):
        if part:
            body = [("files", (name, data, "image/png")) for name, data in part]
            taken += client.post(f"/api/imports/{import_id}/files", files=body).raise_for_status().json()
    answer = client.post(f"/api/imports/{import_id}/finish")
    return {"status": answer.status_code, "taken": taken, **answer.json()}


def project_of(client: httpx.Client, frames: Pictures | None = None) -> str:
    """A new project of a few frames; returns its id."""
    found = bring(client, numbered(frames or moving_square(6)))
    project_id: str = found["projects"][0]["id"]
    return project_id


def bench(client: httpx.Client, project_id: str) -> dict[str, Any]:
    """All there is of a project: the bench, and its ``frame_list`` and ``report``."""
    document: dict[str, Any] = client.get(f"/api/projects/{project_id}").raise_for_status().json()
    frames = client.get(f"/api/projects/{project_id}/frames/{document['frame_set']}").raise_for_status().json()
    return {**document, "frame_list": frames["frames"], "report": frames["report"]}


def current(client: httpx.Client, project_id: str) -> dict[str, Any] | None:
    """The result of the revision that counts, when it is there."""
    shown = client.get(f"/api/projects/{project_id}").raise_for_status().json()
    result: dict[str, Any] | None = next(iter(shown["results"]), None)
    return result if result and result["revision_id"] == shown["revision"]["id"] else None


def finished(client: httpx.Client, project_id: str) -> dict[str, Any]:
    result: dict[str, Any] = until(lambda: current(client, project_id))
    return result


def edit(
    client: httpx.Client, project_id: str, change: Callable[[dict[str, Any]], None], **more: Any
) -> httpx.Response:
    """Change the current recipe in place and send it."""
    shown = bench(client, project_id)
    recipe = shown["recipe"]
    change(recipe)
    body = {"base_revision": shown["revision"]["id"], "label": "A change", "recipe": recipe, **more}
    return client.put(f"/api/projects/{project_id}/recipe", json=body)


def colours(count: int) -> Callable[[dict[str, Any]], None]:
    return lambda recipe: recipe["outputs"][0]["tuning"].update(colours=count)


def heavy(count: int = 12, seed: int = 1) -> Pictures:
    """Frames that keep a worker busy for a few seconds: noise has no still pixel and no short code.

    What was made once is there at once: each test that waits for work has a ``seed`` of its own.
    """
    random = np.random.default_rng(seed)
    return [random.integers(0, 256, (600, 800, 3)).astype(np.uint8) for _ in range(count)]
