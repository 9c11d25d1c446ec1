"""Killed workers, killed servers, a database that goes away, a full disk: nothing is lost, all goes on."""

import asyncio
import contextlib
import errno
import getpass
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import pymysql
import pytest

from jayflick.service.app import create_app
from jayflick.service.mariadb import PrivateServer
from jayflick.service.settings import Settings
from tests.conftest import moving_square
from tests.prepared import copy_empty
from tests.server import Server, until
from tests.service.conftest import FEW, bench, colours, edit, finished, heavy, numbered, project_of


def test_nobody_gets_into_the_database_without_the_password(own: Server) -> None:
    """From loopback or by the socket, as this user or another of the machine's."""
    folder = own.data / "database"
    (database,) = own.children("mariadbd")
    command = Path(f"/proc/{database}/cmdline").read_bytes().decode().split("\0")
    options = dict(option[2:].split("=", 1) for option in command if option.startswith("--") and "=" in option)
    for user in ("root", "", "jayflick", "mysql", "mariadb.sys", getpass.getuser()):
        for where in ({"host": "127.0.0.1", "port": int(options["port"])}, {"unix_socket": options["socket"]}):
            with pytest.raises(pymysql.MySQLError):
                pymysql.connect(user=user, **where)
    password = (folder / "password").read_text()
    assert {path.stat().st_mode & 0o77 for path in (own.data, folder, folder / "password")} == {0}
    with pymysql.connect(
        host="127.0.0.1", port=int(options["port"]), user="jayflick", password=password
    ) as ours:
        cursor = ours.cursor()
        cursor.execute("SHOW GRANTS")
        assert not any("FILE" in row[0] or "ALL PRIVILEGES ON *.*" in row[0] for row in cursor.fetchall())
        cursor.execute("SELECT @@secure_file_priv, @@tmpdir")
        assert all(str(path).startswith(str(folder)) for path in cursor.fetchone() or ())
        with pytest.raises(pymysql.MySQLError):
            cursor.execute("SELECT 1 INTO OUTFILE '/tmp/jayflick-test'")
    if os.geteuid() == 0 and (child := os.fork()) >= 0:  # another user of the machine can do no more
        if child == 0:
            os.setgroups([])
            os.setgid(65534)
            os.setuid(65534)
            os._exit(_gets_in(int(options["port"]), options["socket"], folder / "password"))
        assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0


def _gets_in(port: int, socket: str, password: Path) -> int:
    """How many ways in are open to whoever asks."""
    ways = 0
    for where in ({"host": "127.0.0.1", "port": port}, {"unix_socket": socket}):
        for user in ("root", "jayflick", "nobody", ""):
            with contextlib.suppress(Exception):
                pymysql.connect(user=user, **where)
                ways += 1
    with contextlib.suppress(OSError):
        password.read_text()
        ways += 1
    return ways


def test_a_second_start_on_one_data_folder_says_where_the_first_is(own: Server) -> None:
    with own.client() as client:
        project = project_of(client)
        options = ["--data", str(own.data), "--port", "0", "--no-demo"]
        command = [sys.executable, "-m", "jayflick.service", *options]
        second = subprocess.run(command, capture_output=True, text=True, timeout=20, check=False)
        assert second.returncode == 1
        assert f"already running at {own.base} with this data folder" in second.stderr
        assert finished(client, project)["info"]["count"] == 6  # and the first goes on undisturbed


def test_two_fresh_starts_side_by_side_do_not_get_in_each_others_way(tmp_path: Path) -> None:
    servers = [Server(tmp_path / name, FEW) for name in ("one", "other")]
    for server in servers:
        server.launch("--no-demo")
    with ThreadPoolExecutor(2) as pool:
        for server in pool.map(Server.ready, servers):
            with server.client() as client:
                assert finished(client, project_of(client))["info"]["count"] == 6
    assert [server.stop() for server in servers] == [0, 0]


@pytest.mark.parametrize("moment", [0.0, 0.7])
@pytest.mark.parametrize("number", [signal.SIGKILL, signal.SIGTERM])
def test_a_server_that_ends_just_after_its_start_leaves_no_orphan(
    tmp_path: Path, moment: float, number: int, capfd: pytest.CaptureFixture[str]
) -> None:
    server = Server(copy_empty(tmp_path / "data"), FEW, standins=True).start("--no-demo")
    time.sleep(moment)  # what its workers are forked from still loads
    started = server.children("")
    assert len(started) >= 2
    assert server.stop(number) in (-signal.SIGKILL, -signal.SIGTERM, 0)
    until(lambda: not any(Path(f"/proc/{pid}").exists() for pid in started))
    assert "Traceback" not in capfd.readouterr().err


def test_what_a_test_starts_ends_with_it_however_that_ends(tmp_path: Path) -> None:
    data = copy_empty(tmp_path / "data")
    code = (
        "import sys, time; from pathlib import Path; from tests.server import Server; "
        "server = Server(Path(sys.argv[1])).start('--no-demo'); "
        "print(server.pid, *server.children(''), flush=True); time.sleep(60)"
    )
    command = [sys.executable, "-c", code, str(data)]
    tester = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parents[2])
    assert tester.stdout is not None
    started = tester.stdout.readline().split()
    assert len(started) > 2
    tester.kill()
    tester.wait()
    tester.stdout.close()
    until(lambda: not any(Path(f"/proc/{pid}").exists() for pid in started))


def test_a_killed_worker_costs_nothing_but_time(own: Server) -> None:
    with own.client() as client:
        project = project_of(client, heavy())
        until(lambda: any(job["state"] == "running" for job in bench(client, project)["jobs"]))
        for worker in own.children("jayflick worker"):
            os.kill(worker, signal.SIGKILL)
        assert finished(client, project)["info"]["count"] == 12
        assert client.get("/api/health").json()["ready"]


def test_a_killed_server_comes_back_as_it_was_and_finishes_its_job(own: Server) -> None:
    with own.client() as client:
        small = project_of(client)
        before = finished(client, small)
        edit(client, small, colours(12))
        project = project_of(client, heavy())
        until(lambda: any(job["state"] == "running" for job in bench(client, project)["jobs"]))
    own.stop(signal.SIGKILL)
    again = Server(own.data, FEW, forked=True).start("--no-demo")
    try:
        with again.client() as client:
            assert finished(client, project)["info"]["count"] == 12
            assert finished(client, small)["info"]["colours"] <= 12
            undone = client.post(f"/api/projects/{small}/undo").json()
            assert undone["results"][0]["pixels"] == before["pixels"]
            for card in client.get("/api/projects").json():
                for result in card["results"]:
                    assert (
                        len(client.get(f"/api/results/{result['id']}/file").content) == result["info"]["bytes"]
                    )
    finally:
        again.stop()
    assert not list((own.data / "store").glob("*/.part-*"))


def test_a_database_that_dies_is_said_and_brought_back(own: Server) -> None:
    with own.client() as client:
        project = project_of(client)
        finished(client, project)
        shown = bench(client, project)
        (database,) = own.children("mariadbd")
        os.kill(database, signal.SIGSTOP)
        os.kill(database, signal.SIGKILL)
        body = {"base_revision": shown["revision"]["id"], "label": "Late", "recipe": shown["recipe"]}
        answer = client.put(f"/api/projects/{project}/recipe", json=body)
        if answer.status_code != 200:  # it may be back already
            assert answer.status_code == 503
            assert "not saved" in answer.json()["message"]

        def saved() -> bool:
            return client.put(f"/api/projects/{project}/recipe", json=body).status_code in (200, 409)

        until(saved)
        assert finished(client, project)["info"]["count"] == 6


def test_it_stops_all_it_started_and_nothing_else(own: Server) -> None:
    until(lambda: own.children("jayflick reader") and own.children("jayflick worker"))
    started = [own.pid, *own.children("")]
    assert len(own.children("mariadbd")) == 1
    assert len(own.children("jayflick worker")) == 1
    begun = time.monotonic()
    own.stop(signal.SIGINT)
    assert time.monotonic() - begun < 15
    until(lambda: not any(Path(f"/proc/{pid}").exists() for pid in started))


def test_a_full_disk_is_said_and_nothing_half_written_is_served(
    database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    settings = Settings(data=tmp_path, database=database.url, share=True)
    frames = numbered(moving_square(3))

    def full(handle: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    async def story() -> None:
        transport = httpx.ASGITransport(create_app(settings), raise_app_exceptions=False)
        async with httpx.AsyncClient(transport=transport, base_url="http://127.0.0.1") as client:
            import_id = (await client.post("/api/imports")).json()["id"]
            address = f"/api/imports/{import_id}/files"
            with monkeypatch.context() as patch:
                patch.setattr("jayflick.core.atomic.os.fsync", full)
                answer = await client.post(address, files=[("files", frames[0])])
            assert answer.status_code == 507
            assert "No space left" in answer.json()["message"]
            assert "make room" in answer.json()["remedy"]
            assert not list((tmp_path / "store").glob("*/*"))
            # Room again: the same import goes on where it was.
            answer = await client.post(address, files=[("files", frame) for frame in frames])
            assert [file["frames"] for file in answer.json()] == [1] * 3
            done = await client.post(f"/api/imports/{import_id}/finish")
            assert done.json()["projects"][0]["frames"] == 3

    asyncio.run(story())


def test_a_database_out_of_reach_is_a_clear_answer(tmp_path: Path) -> None:
    settings = Settings(data=tmp_path, database="mysql+pymysql://nobody@127.0.0.1:1/none", share=True)

    async def story() -> None:
        transport = httpx.ASGITransport(create_app(settings), raise_app_exceptions=False)
        async with httpx.AsyncClient(transport=transport, base_url="http://127.0.0.1") as client:
            answer = await client.get("/api/projects")
        assert answer.status_code == 503
        assert answer.json()["kind"] == "database"

    asyncio.run(story())


@pytest.fixture
def on_small_disk(tmp_path: Path) -> Iterator[Server]:
    """A server whose data folder lies on a disk of its own, of 160 MB."""
    disk = tmp_path / "disk"
    disk.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=160m", "tmpfs", disk], check=False)
    if mounted.returncode != 0:
        pytest.skip("only root can make a small disk")
    server = Server(copy_empty(disk / "data"), FEW, forked=True)
    try:
        yield server.start("--no-demo")
    finally:
        server.stop(signal.SIGKILL)
        subprocess.run(["umount", "-l", disk], check=True)


def fill(disk: Path) -> Path:
    ballast = disk / "ballast"
    with contextlib.suppress(OSError), ballast.open("wb", buffering=0) as file:
        while file.write(bytes(1 << 14)):
            pass
    return ballast


def test_a_disk_that_is_really_full_loses_nothing_and_all_goes_on_when_there_is_room(
    on_small_disk: Server,
) -> None:
    server, disk = on_small_disk, on_small_disk.data.parent
    with server.client() as client:
        project = project_of(client)
        finished(client, project)
        ballast = fill(disk)
        edit(client, project, colours(5)).raise_for_status()
        (job,) = until(lambda: [job for job in bench(client, project)["jobs"] if job["state"] == "failed"])
        assert job["error"]["kind"] == "disk"
        ballast.unlink()
        assert finished(client, project)["info"]["colours"] <= 5  # nobody had to ask for it
        ballast = fill(disk)
        kept = 5
        while (answer := edit(client, project, colours(kept + 1))).status_code == 200:
            kept += 1
        assert (answer.status_code, answer.json()["kind"]) == (507, "disk")
    server.stop(signal.SIGKILL)
    command = [sys.executable, "-m", "jayflick.service", "--data", str(server.data), "--port", "0"]
    again = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
    assert again.returncode == 1
    assert again.stderr == "./start: the disk is full; make room on it, then start again; nothing was lost\n"
    tables = f"--datadir={server.data.resolve()}/database/tables"
    assert subprocess.run(["pgrep", "-f", "--", tables], check=False).returncode == 1, "none is left running"
    ballast.unlink()
    with server.start("--no-demo").client() as client:
        assert bench(client, project)["recipe"]["outputs"][0]["tuning"]["colours"] == kept
        assert finished(client, project)["info"]["colours"] <= kept
