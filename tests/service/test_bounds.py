"""What requests may take: no document, upload or half-sent request stops the service for the others."""

import os
import signal
import socket
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import httpx
import pytest
from sqlalchemy import event
from sqlalchemy.exc import OperationalError

from jayflick.service import bounds
from jayflick.service.cards import Shelf
from jayflick.service.mariadb import PrivateServer
from jayflick.service.parts import Service
from jayflick.service.settings import Settings
from tests.conftest import moving_square
from tests.server import Server, until
from tests.service.conftest import bench, colours, edit, finished, numbered, project_of, serving
from tests.service.large import growth_by_uploads


def seconds_for(request: object, *arguments: object) -> tuple[float, httpx.Response]:
    begun = time.monotonic()
    answer = request(*arguments)  # type: ignore[operator]
    return time.monotonic() - begun, answer


def test_a_document_too_large_is_refused_before_it_is_read(client: httpx.Client) -> None:
    def endless() -> Iterator[bytes]:
        for _ in range(80):
            yield b"[" * (1 << 16)

    place = urlsplit(str(client.base_url))
    with socket.create_connection((place.hostname, place.port)) as raw:
        head = f"Host: {place.netloc}\r\nContent-Type: application/json\r\nContent-Length: 314572800\r\n\r\n"
        raw.sendall(f"PUT /api/projects/{'0' * 32}/recipe HTTP/1.1\r\n{head}".encode())
        assert raw.recv(100).startswith(b"HTTP/1.1 413 ")
    answer = client.put(f"/api/projects/{'0' * 32}/recipe", content=endless())
    assert (answer.status_code, answer.json()["kind"]) == (413, "http")
    assert "larger than 4 MB" in answer.json()["message"]


def test_parts_of_a_form_are_small_but_for_its_files(client: httpx.Client) -> None:
    import_id = client.post("/api/imports").json()["id"]
    address = f"/api/imports/{import_id}/files"
    many = client.post(address, files={"a": ("a.png", b"")}, data={"written": "1" * 1000})
    assert (many.status_code, many.json()["kind"]) == (422, "input")
    head = (
        f'--x\r\nContent-Disposition: form-data; name="files"; filename="{"a" * 20_000}"\r\n\r\n\r\n--x--\r\n'
    )
    kind = {"content-type": "multipart/form-data; boundary=x"}
    long = client.post(address, content=head, headers=kind)
    assert (long.status_code, long.json()["kind"]) == (422, "input")


@pytest.mark.parametrize(
    ("sent", "answered"),
    [
        (b"GET /api/health HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: ", b""),
        (b"", b""),
        (
            b"POST /api/imports/" + b"0" * 32 + b"/finish HTTP/1.1\r\nHost: 127.0.0.1\r\n"
            b"Content-Type: application/json\r\nContent-Length: 100\r\n\r\n{",
            b"HTTP/1.1 408 ",
        ),
    ],
)
def test_half_of_a_request_is_given_up(
    database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, sent: bytes, answered: bytes
) -> None:
    monkeypatch.setattr(bounds, "SILENCE", 0.4)
    settings = Settings(data=tmp_path, database=database.url, workers=1)
    with serving(settings) as (client, _):
        place = urlsplit(str(client.base_url))
        with socket.create_connection((place.hostname, place.port)) as raw:
            raw.settimeout(10)
            raw.sendall(sent)
            assert raw.recv(100)[: len(answered) or None] == answered
        assert client.get("/api/health").json()["ready"]


@pytest.mark.parametrize(
    ("address", "headers", "status"),
    [
        ("/%00", {}, 200),
        ("/" + "a" * 5000, {}, 200),
        ("/assets/%2e%2e/%2e%2e/pyproject.toml", {}, 200),
        ("/api/health", {"host": "LOCALHOST"}, 200),
        ("/api/health", {"origin": "http://["}, 403),
        ("/api/results/99999999999999999999999/file", {}, 422),
        (f"/api/projects/{'0' * 32}/frames/-1", {}, 422),
        (f"/api/pictures/{'%00' * 32}/thumb", {}, 422),
    ],
)
def test_odd_requests_have_plain_answers(
    client: httpx.Client, address: str, headers: dict[str, str], status: int
) -> None:
    answer = client.get(address, headers=headers)
    assert answer.status_code == status
    if not address.startswith("/api"):
        assert answer.headers["content-type"].startswith("text/html")  # the client's own address: its page
        assert "<title>Jay Flick" in answer.text


def test_uploads_that_wait_stop_nobody_else_and_end_with_the_server(own: Server) -> None:
    with own.client() as client:
        project_of(client)
        (reader,) = until(lambda: own.children("jayflick reader"))
        os.kill(reader, signal.SIGSTOP)
        import_id = client.post("/api/imports").json()["id"]
        frame = numbered(moving_square(1))[0]
        waiting = [
            threading.Thread(target=_upload, args=(own.base, import_id, frame), daemon=True) for _ in range(60)
        ]
        for thread in waiting:
            thread.start()
        time.sleep(0.5)
        for _ in range(5):
            took, answer = seconds_for(client.get, "/api/projects")
            assert answer.status_code == 200
            assert took < 10  # and not until the decoder goes on, which it never does
        begun = time.monotonic()
        own.stop()
        assert time.monotonic() - begun < 10


def _upload(base: str, import_id: str, frame: tuple[str, bytes]) -> None:
    with suppress(httpx.HTTPError):  # the server goes away
        httpx.post(f"{base}/api/imports/{import_id}/files", files=[("files", frame)], timeout=60)


def test_a_database_that_hangs_is_said_within_ten_seconds_and_waited_for(own: Server) -> None:
    with own.client() as client:
        project = project_of(client)
        (database,) = own.children("mariadbd")
        os.kill(database, signal.SIGSTOP)
        try:
            with ThreadPoolExecutor(12) as pool:
                answers = list(pool.map(lambda _: seconds_for(client.get, "/api/projects"), range(12)))
            assert {answer.status_code for _, answer in answers} == {503}
            assert max(took for took, _ in answers) < 10
            assert "the database does not answer" in answers[0][1].json()["message"]
        finally:
            os.kill(database, signal.SIGCONT)
        until(lambda: client.get("/api/projects").status_code == 200, 15)
        assert edit(client, project, colours(8)).status_code == 200


@pytest.mark.parametrize("code", [1021, 1026, 1114])
def test_a_disk_too_full_for_the_database_is_called_that(
    database: PrivateServer, tmp_path: Path, code: int
) -> None:
    """The server's own error numbers: ER_DISK_FULL, ER_ERROR_ON_WRITE, ER_RECORD_FILE_FULL."""
    with serving(Settings(data=tmp_path, database=database.url, workers=1)) as (client, service):

        def full(*arguments: object) -> None:
            raise OperationalError("INSERT", {}, Exception(code, "The table is full"))

        event.listen(service.engine, "before_cursor_execute", full)
        answer = client.post("/api/imports")
        assert (answer.status_code, answer.json()["kind"]) == (507, "disk")
        assert "make room on the disk" in answer.json()["remedy"]


def test_what_a_cache_has_no_room_for_is_answered_all_the_same(
    database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with serving(Settings(data=tmp_path, database=database.url, workers=1)) as (client, service):
        project = project_of(client)
        picture = bench(client, project)["frame_list"][0]["sha256"]
        service.stages.prune(0)
        monkeypatch.setattr("jayflick.core.stages.atomic_write", _no_room)
        assert client.get(f"/api/pictures/{picture}/thumb").status_code == 200
        assert client.get(f"/api/projects/{project}/seam?least=2").status_code == 200


def _no_room(*arguments: object, **options: object) -> None:
    raise OSError(28, "No space left on device")


def queries(service: Service) -> list[str]:
    """Collects what requests ask; what looks for jobs in a thread of its own asks whenever it likes."""
    own = ("job-runner", "planner", "sweeper")
    seen: list[str] = []

    def note(*args: Any) -> None:
        if threading.current_thread().name not in own:
            seen.append(args[2])

    event.listen(service.engine, "before_cursor_execute", note)
    return seen


def test_the_shelf_and_a_bench_ask_the_database_the_same_few_times_however_much_there_is(
    database: PrivateServer, tmp_path: Path
) -> None:
    with serving(Settings(data=tmp_path, database=database.url, workers=1)) as (client, service):
        project = project_of(client)
        asked = queries(service)

        def counts() -> tuple[int, int]:
            finished(client, project)
            return asked_for("/api/projects"), asked_for(f"/api/projects/{project}")

        def asked_for(address: str) -> int:
            tries = []
            for _ in range(3):  # what was not looked at since it changed is asked for once
                asked.clear()
                client.get(address).raise_for_status()
                tries.append(len(asked))
            return min(tries)

        edit(client, project, colours(9)).raise_for_status()
        finished(client, project)
        client.post(f"/api/projects/{project}/undo").raise_for_status()
        few = counts()
        for size in (41, 42, 43):
            project_of(client, moving_square(3, size))
        for number in range(2, 30):
            edit(client, project, colours(number)).raise_for_status()
        for _ in range(20):
            client.post(f"/api/projects/{project}/undo").raise_for_status()
        assert counts() == few
        with service.sessions() as session:  # what is remembered equals what is made afresh
            assert client.get("/api/projects").content == Shelf().document(session)
        assert max(few) <= 10
        assert (
            client.post(f"/api/projects/{project}/redo").json()["recipe"]["outputs"][0]["tuning"]["colours"]
            == 10
        )


def test_an_upload_waits_for_its_turn_but_not_for_ever(
    database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("jayflick.service.routes.imports.LONGEST_WAIT", 0.3)
    settings = Settings(data=tmp_path, database=database.url, workers=1, uploads=1)
    with serving(settings) as (client, service):
        address = f"/api/imports/{client.post('/api/imports').json()['id']}/files"
        files = [("files", file) for file in numbered(moving_square(2))]
        place = urlsplit(str(client.base_url))
        with socket.create_connection((place.hostname, place.port)) as raw:  # half an upload has the only turn
            head = f"POST {address} HTTP/1.1\r\nHost: {place.netloc}\r\nContent-Length: 500\r\n"
            raw.sendall(f"{head}Content-Type: multipart/form-data; boundary=x\r\n\r\n--x\r\n".encode())
            until(lambda: service.uploads.value == 0)
            answer = client.post(address, files=files)
            assert answer.status_code == 503
            assert answer.json()["message"] == "too many uploads at once"
        until(lambda: client.post(address, files=files).status_code == 200, 10)


def test_large_files_are_streamed_not_held(own: Server) -> None:
    assert growth_by_uploads(own, 48 << 20) < 40 << 20
