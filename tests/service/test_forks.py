"""What workers, readers and stand-ins are forked from; the demo, drawn there behind an open shelf."""

import os
import signal
import subprocess
import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path

import httpx
import pytest
from alembic.script import ScriptDirectory

from jayflick.demo import DemoProject
from jayflick.service import demo, migration
from jayflick.service.mariadb import PrivateServer
from jayflick.service.settings import Settings
from tests.conftest import moving_square
from tests.prepared import copy_empty
from tests.server import Server, until
from tests.service.conftest import FEW, colours, edit, finished, png, project_of, serving


def test_all_are_forked_from_one_process_which_has_one_thread(own: Server) -> None:
    (worker,) = until(lambda: own.children("jayflick worker"))
    (reader,) = until(lambda: own.children("jayflick reader"))
    (forks,) = own.children("jayflick forks")
    for pid in (worker, reader):
        assert f"\nPPid:\t{forks}\n" in Path(f"/proc/{pid}/status").read_text()
    assert "\nThreads:\t1\n" in Path(f"/proc/{forks}/status").read_text()
    held = [os.readlink(file) for file in Path(f"/proc/{forks}/fd").iterdir() if file.is_symlink()]
    assert not any("server.lock" in name for name in held), "a killed server's folder is free at once"


def test_what_only_they_use_is_not_loaded_until_a_server_answers() -> None:
    code = "import sys, jayflick.service.serving; print({'numba', 'av', 'alembic', 'httpx'} & {*sys.modules})"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, check=True).stdout == b"set()\n"


def test_nobody_else_can_have_it_fork_anything(own: Server) -> None:
    """Whoever connects to it has it run what they like: unix(7), abstract addresses have no permissions."""
    (forks,) = own.children("jayflick forks")
    files = [os.readlink(file) for file in Path(f"/proc/{forks}/fd").iterdir() if file.is_symlink()]
    sockets = {name[8:-1] for name in files if name.startswith("socket:[")}
    rows = [line.split() for line in Path("/proc/net/unix").read_text().splitlines()[1:]]
    places = [row[7] for row in rows if row[6] in sockets and len(row) > 7]
    assert len(places) == 1
    folder = Path(places[0]).parent
    assert folder.is_absolute()
    assert folder.stat().st_mode & 0o77 == 0


def test_who_lost_its_parent_before_it_could_ask_to_end_with_it_ends_at_once() -> None:
    code = """
import os, time
from jayflick.service.processes import forked_as, forks_from_here
forks_from_here()
forker = os.getpid()
if os.fork() == 0:
    while os.getppid() == forker:
        time.sleep(0.01)
    forked_as("late")
    print("is still there", flush=True)
os._exit(0)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert (done.stdout, done.stderr) == ("", "")


def test_what_draws_the_demo_ends_with_the_server(tmp_path: Path) -> None:
    server = Server(copy_empty(tmp_path / "data"), FEW, forked=True).start()
    until(lambda: server.children("jayflick demo"))
    started = server.children("")
    server.stop(signal.SIGKILL)
    until(lambda: not any(Path(f"/proc/{pid}").exists() for pid in started))


def test_all_goes_on_after_it_was_killed(own: Server) -> None:
    with own.client() as client:
        project = project_of(client)
        finished(client, project)
        for count in (12, 11):
            os.kill(until(lambda: own.children("forks"))[0], signal.SIGKILL)
            edit(client, project, colours(count)).raise_for_status()
            assert finished(client, project)["info"]["colours"] <= count
            project_of(client, moving_square(3 + count))
    left = own.children("")
    own.stop(signal.SIGKILL)  # what the library started in its place, and all it forked, goes with the server
    until(lambda: not any(Path(f"/proc/{pid}").exists() for pid in left))


def test_tables_that_are_the_newest_are_known_without_their_history() -> None:
    history = ScriptDirectory.from_config(migration.alembic_config(""))
    assert migration._newest() == history.get_current_head()


def _drawn(shift: int) -> bytes:
    return png(moving_square(3)[shift])


def _breaks() -> bytes:
    raise OSError("No space left on device")


def _demo(title: str, draw: Callable[[int], Callable[[], bytes]]) -> DemoProject:
    return DemoProject(title, title, [(f"{title}_{number}.png", draw(number)) for number in range(3)])


def test_the_demo_comes_project_by_project_and_goes_on_at_the_next_start(
    database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    def shelf(client: httpx.Client) -> dict[str, str]:
        """What there is of it, by name: ids."""
        until(lambda: client.get("/api/health").json()["demo_waiting"] == 0)
        cards = client.get("/api/projects").json()
        names = sorted(card["name"] for card in cards if card["name"].startswith("Buoy"))
        assert len(set(names)) == len(names), "each once"
        return {name: next(card["id"] for card in cards if card["name"] == name) for name in names}

    settings = Settings(data=tmp_path, database=database.url, share=True, demo=True)
    good = [_demo(title, lambda number: partial(_drawn, number)) for title in ("Buoy one", "Buoy two")]
    monkeypatch.setattr(demo, "DEMO", (good[0], _demo("Buoy two", lambda _: _breaks)))
    with serving(settings) as (client, _):
        assert [*shelf(client)] == ["Buoy one"]
    assert "the next start continues" in caplog.text
    monkeypatch.setattr(demo, "DEMO", tuple(good))
    for _ in range(2):
        with serving(settings) as (client, _):
            assert [*shelf(client)] == ["Buoy one", "Buoy two"]
            assert finished(client, shelf(client)["Buoy two"])["info"]["count"] == 3
    with serving(settings) as (client, _):  # what was deleted does not come again
        for project in shelf(client).values():
            client.delete(f"/api/projects/{project}").raise_for_status()
        client.delete("/api/projects/bin").raise_for_status()
    with serving(settings) as (client, _):
        assert shelf(client) == {}
