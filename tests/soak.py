"""Long tests of what is promised under faults and load, each a bounded command that says what it measured.

    .venv/bin/python -m tests.soak kills --rounds 50      everything is killed at random, under load
    .venv/bin/python -m tests.soak clients --clients 20   many work at once: how long does each wait?
    .venv/bin/python -m tests.soak shelf                  500 projects with 200 revisions each
    .venv/bin/python -m tests.soak retunes --count 1000   does anything grow?
    .venv/bin/python -m tests.soak uploads                six files of 248 MB at once: are they streamed?

All of it runs on loopback in a temporary folder. Ends with 1 if a promise was broken.
"""

import argparse
import os
import random
import signal
import socket
import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from sqlalchemy import event, insert

from jayflick.service.mariadb import PrivateServer
from jayflick.service.models import Frame, FrameSet, Project, Result, Revision
from jayflick.service.settings import Settings
from tests.conftest import Pictures
from tests.prepared import copy_empty
from tests.server import Server, until
from tests.service.conftest import bring, colours, edit, finished, numbered, serving
from tests.service.large import growth_by_uploads

BROKEN: list[str] = []


def promise(kept: bool, text: str) -> None:
    """Say whether what was measured is what is promised."""
    print(f"  {'ok     ' if kept else 'BROKEN '} {text}", flush=True)
    if not kept:
        BROKEN.append(text)


def drifting(count: int, width: int, height: int, seed: int) -> Pictures:
    """A soft disc that crosses a gradient, different for each seed."""
    shade = np.random.default_rng(seed).integers(40, 200, 3)
    y, x = np.mgrid[0:height, 0:width]
    frames = []
    for number in range(count):
        disc = np.clip(1.5 - np.hypot(x - width * number / count, y - height / 2) * 4 / height, 0, 1)
        ground = (x + y)[..., None] * 120 / (width + height)
        frame = ground + disc[..., None] * shade
        frames.append(np.clip(frame, 0, 255).astype(np.uint8))
    return frames


@contextmanager
def temporary_server(*options: str, **environment: str) -> Iterator[Server]:
    with tempfile.TemporaryDirectory() as folder:
        server = Server(copy_empty(Path(folder) / "data"), environment).start("--no-demo", *options)
        try:
            yield server
        finally:
            server.stop()


# everything is killed


@dataclass
class Story:
    """What one client did and was told is safe."""

    number: int
    colours: dict[str, int] = field(default_factory=dict)
    """By project, the colours of the last change that was acknowledged."""
    doubtful: set[str] = field(default_factory=set)
    """Projects of which a change was under way when the answer did not come."""
    requests: int = 0
    answered: int = 0
    faults: list[str] = field(default_factory=list)

    def go_on(self, base: str, stop: threading.Event) -> None:
        dice = random.Random(self.number)
        while not stop.is_set():
            try:
                with httpx.Client(base_url=base, timeout=20) as client:
                    self._one_step(client, dice)
                self.answered += 1
            except (httpx.TransportError, KeyError):
                stop.wait(0.2)  # killed: it comes back
            except httpx.HTTPStatusError as error:
                if error.response.status_code not in (409, 503):
                    self.faults.append(f"{error.request.url}: {error.response.text[:200]}")
                stop.wait(0.2)

    def _one_step(self, client: httpx.Client, dice: random.Random) -> None:
        self.requests += 1
        if not self.colours or dice.random() < 0.2:
            frames = drifting(6, 160, 90, dice.randrange(10**6))
            name = f"wake-{self.number}-{self.requests}_{{}}.png"
            done = bring(client, numbered(frames, name))
            if done["status"] != 200:
                raise KeyError("not brought in")
            (card,) = done["projects"]
            self.colours[card["id"]] = card["recipe"]["outputs"][0]["tuning"]["colours"]
            return
        project = dice.choice(list(self.colours))
        wanted = dice.randrange(2, 256)
        self.doubtful.add(project)
        edit(client, project, colours(wanted)).raise_for_status()
        self.doubtful.discard(project)
        self.colours[project] = wanted


def kills(rounds: int) -> None:
    """SIGKILL at random, with three clients at work."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = str(probe.getsockname()[1])
    dice = random.Random(1)
    with tempfile.TemporaryDirectory() as folder:
        data = copy_empty(Path(folder) / "data")
        server = Server(data).start("--no-demo", "--port", port)
        stories, stop = [Story(number) for number in range(3)], threading.Event()
        threads = [threading.Thread(target=one.go_on, args=(server.base, stop)) for one in stories]
        for thread in threads:
            thread.start()
        orphans = 0
        killed: dict[str, int] = {}
        for _ in range(rounds):
            time.sleep(dice.uniform(0.2, 7))
            words = {"server": "", "database": "mariadbd"}
            words |= {what: f"jayflick {what}" for what in ("worker", "reader", "forks")}
            what = dice.choice([*words, "server"])
            killed[what] = killed.get(what, 0) + 1
            below = server.children("")
            if what == "server":
                server.stop(signal.SIGKILL)
                try:
                    until(lambda: not any(Path(f"/proc/{pid}").exists() for pid in below), 15)  # noqa: B023
                except AssertionError:
                    orphans += 1
                server = Server(data).start("--no-demo", "--port", port)
            elif victims := server.children(words[what]):
                os.kill(dice.choice(victims), signal.SIGKILL)
        time.sleep(2)
        stop.set()
        for thread in threads:
            thread.join()
        with server.client() as client:
            until(lambda: client.get("/api/health").status_code == 200)
            cards = {card["id"]: card for card in client.get("/api/projects").json()}
            lost = wrong = changes = 0
            for story in stories:
                for project, wanted in story.colours.items():
                    changes += 1
                    card = cards.get(project)
                    lost += card is None
                    has = card and card["recipe"]["outputs"][0]["tuning"]["colours"]
                    wrong += project not in story.doubtful and has != wanted
            results = [finished(client, project) for project in cards]
            bad = 0
            for result in results:
                data_of = client.get(f"/api/results/{result['id']}/file").content
                bad += len(data_of) != result["info"]["bytes"]
        server.stop(signal.SIGKILL)
        Server(data).start("--no-demo").stop()
        half = list(data.rglob(".part-*"))
    faults = [fault for story in stories for fault in story.faults]
    begun, ended = sum(one.requests for one in stories), sum(one.answered for one in stories)
    print(f"{rounds} rounds of SIGKILL: {killed}; 3 clients took {begun} steps, {ended} were acknowledged")
    promise(
        lost == 0 and wrong == 0, f"{changes} projects: {lost} lost, {wrong} without an acknowledged change"
    )
    promise(bad == 0, f"{len(results)} outputs made to the end, {bad} not whole")
    promise(orphans == 0, f"{orphans} times a process was left behind")
    promise(not half, f"{len(half)} half-written files")
    promise(not faults, f"{len(faults)} answers that were no outage {faults[:2]}")


# many clients


class News:
    """What the service tells a window: woken whenever something was said, as the interface is."""

    def __init__(self, base: str) -> None:
        self.project = "none yet"
        self._said = threading.Event()
        self._thread = threading.Thread(target=self._listen, args=(base,), daemon=True)
        self._thread.start()

    def _listen(self, base: str) -> None:
        with suppress(httpx.HTTPError), httpx.stream("GET", f"{base}/api/events", timeout=None) as answer:
            for line in answer.iter_lines():
                if self.project in line and ('"state": "done"' in line or '"state": "failed"' in line):
                    self._said.set()

    def wait_for(self, condition: Callable[[], bool]) -> None:
        deadline = time.monotonic() + 300
        while not condition():
            if time.monotonic() > deadline:
                raise AssertionError("it did not happen in time")
            self._said.wait(2)
            self._said.clear()


def _work(base: str, number: int, retunes: int, begin: threading.Event) -> tuple[float, list[float]]:
    """Bring 24 frames in and change their colours: the whole time, and each change's until its bytes came."""
    frames = numbered(drifting(24, 480, 270, 100 + number), f"wake-{number}_{{}}.png")
    news = News(base)
    begin.wait()
    begun = time.monotonic()
    waits = []
    with httpx.Client(base_url=base, timeout=120) as client:
        import_id = client.post("/api/imports").raise_for_status().json()["id"]
        parts = [("files", file) for file in frames]
        client.post(f"/api/imports/{import_id}/files", files=parts).raise_for_status()
        done = client.post(f"/api/imports/{import_id}/finish").raise_for_status().json()
        news.project = project = done["projects"][0]["id"]
        news.wait_for(lambda: finished_now(client, project))
        shown = client.get(f"/api/projects/{project}").raise_for_status().json()
        for step in range(retunes):
            asked = time.monotonic()
            shown["recipe"]["outputs"][0]["tuning"]["colours"] = 200 - 30 * step
            body = {"base_revision": shown["revision"]["id"], "label": "Colours", "recipe": shown["recipe"]}
            shown = client.put(f"/api/projects/{project}/recipe", json=body).raise_for_status().json()
            news.wait_for(lambda: finished_now(client, project))
            waits.append(time.monotonic() - asked)
    return time.monotonic() - begun, waits


def finished_now(client: httpx.Client, project: str) -> bool:
    """Whether the current revision's output is there; fails when it never will be."""
    shown = client.get(f"/api/projects/{project}").raise_for_status().json()
    failed = [job["error"] for job in shown["jobs"] if job["state"] == "failed"]
    if failed:
        raise RuntimeError(f"failed: {failed}")
    return any(result["revision_id"] == shown["revision"]["id"] for result in shown["results"])


def clients(count: int, retunes: int = 5) -> None:
    """How long changes take with many clients, as multiples of what a single one waits."""
    ready = threading.Event()
    ready.set()
    with temporary_server() as server:
        _work(server.base, 999, 2, ready)  # what is only loaded once
        _, alone = _work(server.base, 998, retunes, ready)
        begin, outcomes, faults = threading.Event(), [], []

        def one(number: int) -> None:
            try:
                outcomes.append(_work(server.base, number, retunes, begin))
            except Exception as error:
                faults.append(f"{type(error).__name__}: {error}")

        threads = [threading.Thread(target=one, args=(number,)) for number in range(count)]
        for thread in threads:
            thread.start()
        begin.set()
        for thread in threads:
            thread.join()
    single = statistics.median(alone)
    waits = sorted(wait for _, each in outcomes for wait in each)
    whole = [total for total, _ in outcomes]
    middle, late = statistics.median(waits), waits[int(len(waits) * 0.95)]
    print(
        f"{count} clients, each 24 frames of 480 × 270 and {retunes} changes of colours; alone {single:.2f} s"
    )
    promise(not faults, f"{len(faults)} errors {faults[:2]}")
    promise(middle <= 6 * single, f"median {middle:.2f} s, {middle / single:.1f} × (at most 6)")
    promise(late <= 20 * single, f"95th percentile {late:.2f} s, {late / single:.1f} × (at most 20)")
    spread = max(whole) / min(whole)
    promise(spread <= 3, f"whole time {min(whole):.0f} to {max(whole):.0f} s, {spread:.1f} × (at most 3)")


# much on the shelf


def shelf(projects: int, revisions: int) -> None:
    """How often the database is asked for the shelf and a bench, and how long that takes."""
    with tempfile.TemporaryDirectory() as folder:
        data = copy_empty(Path(folder) / "data")
        database = PrivateServer(data / "database")
        database.start()
        try:
            with serving(Settings(data=data, database=database.url, workers=1)) as (client, service):
                (card,) = bring(client, numbered(drifting(6, 160, 90, 1)))["projects"]
                finished(client, card["id"])
                _multiply(service.sessions, card["id"], projects - 1, revisions)
                asked: list[str] = []
                event.listen(service.engine, "before_cursor_execute", lambda *a: asked.append(a[2]))
                for name, address in (("shelf", "/api/projects"), ("bench", f"/api/projects/{card['id']}")):
                    took = []
                    for _ in range(5):
                        asked.clear()
                        begun = time.monotonic()
                        answer = client.get(address).raise_for_status()
                        took.append((time.monotonic() - begun, len(asked)))
                    seconds, queries = statistics.median(one for one, _ in took), min(n for _, n in took)
                    print(
                        f"{name} of {projects} projects × {revisions} revisions, {len(answer.content):,} bytes"
                    )
                    promise(queries <= 10, f"{queries} queries (at most 10)")
                    promise(seconds < 0.3, f"{seconds * 1000:.0f} ms (under 300)")
        finally:
            database.stop()


def _multiply(sessions: Any, project_id: str, copies: int, revisions: int) -> None:
    with sessions.begin() as session:
        project = session.get_one(Project, project_id)
        revision = session.get_one(Revision, project.revision_id)
        frame_set = session.get_one(FrameSet, (project_id, 1))
        frames = session.query(Frame).filter_by(project_id=project_id).all()
        result = session.query(Result).filter_by(project_id=project_id).one()
        rows: dict[Any, list[dict[str, Any]]] = {
            table: [] for table in (Project, FrameSet, Frame, Revision, Result)
        }

        def copied(row: Any, **other: Any) -> None:
            own = {
                column.name: getattr(row, column.name)
                for column in row.__table__.columns
                if column.name != "id"
            }
            rows[type(row)].append({**own, **other})

        number = 10_000
        for copy in range(copies):
            name = f"{copy:032x}"
            for step in range(revisions):
                number += 1
                parent = number - 1 if step else None
                copied(revision, id=number, project_id=name, parent_id=parent)
            copied(project, id=name, revision_id=number, tip_id=number)
            copied(frame_set, project_id=name)
            for frame in frames:
                copied(frame, project_id=name)
            copied(result, project_id=name, revision_id=number)
        for table, values in rows.items():
            for begin in range(0, len(values), 500):
                session.execute(insert(table), values[begin : begin + 500])


# many changes


def _memory(pid: int) -> int:
    """Resident MiB of a process."""
    fields = Path(f"/proc/{pid}/statm").read_text().split()
    return int(fields[1]) * os.sysconf("SC_PAGE_SIZE") >> 20


def retunes(count: int) -> None:
    """Change one project's colours many times; what grows?"""
    bound = 64 << 20
    with temporary_server(JAYFLICK_MOST_STAGE_BYTES=str(bound), JAYFLICK_SWEEP_SECONDS="2") as server:
        with server.client() as client:
            (card,) = bring(client, numbered(drifting(24, 160, 90, 1)))["projects"]
            dice = random.Random(1)
            early, late = 0, 0
            for step in range(1, count + 1):

                def change(recipe: dict[str, Any]) -> None:
                    recipe["outputs"][0]["tuning"].update(colours=dice.randrange(2, 257))
                    recipe["outputs"][0]["size"].update(width=dice.randrange(60, 161))

                edit(client, card["id"], change).raise_for_status()
                until(lambda: finished_now(client, card["id"]))
                if step == count // 5:
                    early = sum(map(_memory, [server.pid, *server.children("jayflick worker")]))
            late = sum(map(_memory, [server.pid, *server.children("jayflick worker")]))
            time.sleep(40)  # longer than what was just made is left alone
            stored = client.get("/api/storage").json()
        files = sum(1 for _ in (server.data / "store").glob("*/*"))
    print(f"{count} changes of colours and size, 24 frames of 160 × 90")
    promise(
        late <= 1.15 * early, f"memory of server and workers {early} MiB after a fifth, {late} MiB at the end"
    )
    promise(files <= 24 + 40, f"{files} files of frames and outputs, {stored['bytes']:,} bytes")
    promise(
        stored["scratch_bytes"] <= bound,
        f"{stored['scratch_bytes']:,} bytes of working files (bound {bound:,})",
    )


def uploads(megabytes: int) -> None:
    """Six large files at once."""
    with temporary_server() as server:
        growth = growth_by_uploads(server, megabytes << 20) >> 20
    print(f"six files of {megabytes} MB at once")
    promise(growth <= 100, f"the server grows by {growth} MB")


def main() -> int:
    parser = argparse.ArgumentParser(prog="tests.soak", description=(__doc__ or "").splitlines()[0])
    commands = parser.add_subparsers(dest="command", required=True)
    commands.add_parser("kills").add_argument("--rounds", type=int, default=50)
    commands.add_parser("clients").add_argument("--clients", type=int, default=20)
    many = commands.add_parser("shelf")
    many.add_argument("--projects", type=int, default=500)
    many.add_argument("--revisions", type=int, default=200)
    commands.add_parser("retunes").add_argument("--count", type=int, default=1000)
    commands.add_parser("uploads").add_argument("--megabytes", type=int, default=248)
    options = vars(parser.parse_args())
    commands_by_name: dict[str, Callable[..., None]] = {
        "kills": kills,
        "clients": clients,
        "shelf": shelf,
        "retunes": retunes,
        "uploads": uploads,
    }
    command = commands_by_name[options.pop("command")]
    begun = time.monotonic()
    command(*options.values())
    print(f"  took {time.monotonic() - begun:.0f} s")
    return 1 if BROKEN else 0


if __name__ == "__main__":
    sys.exit(main())
