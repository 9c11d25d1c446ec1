"""``batch`` on Dask workers against local ones, what a task costs besides, and what that comes to at scale."""

import heapq
import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

import distributed

from jayflick.cli.writing import Writing
from jayflick.core.cluster.shared import Shared, new_run

from .many import FRAMES, SEQUENCES, SIDE, draw

NO_OPS = 2000
TURNS = 3
MANY, LONG, WORKERS = 10_000, 60, 100
"""What is simulated: so many sequences of so many frames on so many workers of one thread."""
NETWORK = 110e6
"""Bytes a second of one machine's network, 1 Gbit/s less what its protocols take; common practice."""
SETTINGS = {
    "DASK_DISTRIBUTED__ADMIN__TICK__INTERVAL": "1s",
    "DASK_DISTRIBUTED__WORKER__PROFILE__ENABLED": "False",
}
"""What docs/scale.md has workers told: looking at themselves often takes a tenth of a processor each."""
LATENCY = 0.02
"""Seconds that an object store takes to answer; common practice, no published source."""


@contextmanager
def _cluster(folder: Path, workers: int) -> Iterator[str]:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        address = f"tcp://127.0.0.1:{one.getsockname()[1]}"
    environment = {**os.environ, **SETTINGS, "JAYFLICK_CACHE": str(folder / "cache")}
    call = [sys.executable, "-m"]
    quiet: Any = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "env": environment, "cwd": folder}
    started = [
        subprocess.Popen(
            [*call, "distributed.cli.dask_scheduler", "--host", address, "--no-dashboard"], **quiet
        )
    ]
    more = [address, "--host", "tcp://127.0.0.1", "--nthreads", "1", "--no-dashboard"]
    started += [
        subprocess.Popen([*call, "distributed.cli.dask_worker", *more], **quiet) for _ in range(workers)
    ]
    try:
        yield address
    finally:
        for process in reversed(started):
            process.send_signal(signal.SIGTERM)
            process.wait()


def _batch(folder: Path, inputs: list[str], *more: str) -> tuple[float, dict[str, Any], int]:
    """Seconds, the report, and the bytes that came of it."""
    with tempfile.TemporaryDirectory() as out:
        report = Path(out) / "report.json"
        call = [sys.executable, "-m", "jayflick.cli", "batch", *inputs, "-o", f"{out}/made", "--fps", "12"]
        begun = time.perf_counter()
        subprocess.run([*call, "--report", str(report), *more], cwd=folder, check=True, capture_output=True)
        seconds = time.perf_counter() - begun
        made = sum(file.stat().st_size for file in Path(out, "made").rglob("*.gif"))
        return seconds, json.loads(report.read_text()), made


class Costs(NamedTuple):
    """What a sequence costs, in seconds and bytes."""

    hand_over: float
    """Of the client's time: hashing its frames and putting them into the shared place."""
    schedule: float
    """Of the scheduler's."""
    make: float
    """Of a worker's, its frames there."""
    bring: float
    """Of the client's: the results fetched and put in their places."""
    read: float
    """Bytes that go to a worker."""
    written: float
    """Bytes that come back."""


def simulated(costs: Costs, sequences: int, workers: int) -> tuple[float, dict[str, float]]:
    """Seconds that all take, and the share of it in which each part is busy.

    One client hands over and brings back; it waits for the store in several threads, so that only its own time
    and its network count. At most two tasks a worker are under way; the store answers each of its askers at the
    speed of that one's network.
    """
    client = scheduler = 0.0
    free = [0.0] * workers
    heapq.heapify(free)
    ended: list[float] = []
    busy = {"client": 0.0, "scheduler": 0.0, "workers": 0.0}
    for number in range(sequences):
        if number >= 2 * workers:  # results are brought before more is handed over
            client = max(client, heapq.heappop(ended)) + costs.bring
            busy["client"] += costs.bring
        client += costs.hand_over
        busy["client"] += costs.hand_over
        scheduler = max(scheduler, client) + costs.schedule
        busy["scheduler"] += costs.schedule
        begun = max(heapq.heappop(free), scheduler)
        work = LATENCY + costs.read / NETWORK + costs.make + LATENCY + costs.written / NETWORK
        busy["workers"] += work
        heapq.heappush(free, begun + work)
        heapq.heappush(ended, begun + work)
    for moment in sorted(ended):
        client = max(client, moment) + costs.bring
        busy["client"] += costs.bring
    over = client
    busy["workers"] /= workers
    return over, {name: seconds / over for name, seconds in busy.items()}


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        for number in range(SEQUENCES):
            draw(folder / "frames" / f"{number:03}", number)
        read = sum(file.stat().st_size for file in (folder / "frames").rglob("*.png")) / SEQUENCES
        local = local_start = dask = start = 0.0
        with _cluster(folder, 2) as address:
            remote = "--scheduler", address, "--share", str(folder / "share")
            _batch(folder, ["frames/000", "frames/001"], *remote)  # workers load what they need with the first
            for _ in range(TURNS):  # whatever else the machine does meets both
                local_start += _batch(folder, ["frames/000", "frames/001"], "--jobs", "2")[0] / TURNS
                local += _batch(folder, ["frames"], "--jobs", "2")[0] / TURNS
                start += _batch(folder, ["frames/000", "frames/001"], *remote)[0] / TURNS
                seconds, report, written = _batch(folder, ["frames"], *remote)
                dask += seconds / TURNS
            with distributed.Client(address) as client:  # type: ignore[no-untyped-call]
                begun = time.perf_counter()
                client.gather(client.map(_nothing, range(NO_OPS), pure=False))
                schedule = (time.perf_counter() - begun) / NO_OPS
        place = _placing(folder, b"0" * (written // SEQUENCES))
        make = sum(one["seconds"] for one in report["sequences"]) / SEQUENCES
        contents = [file.read_bytes() for file in (folder / "frames").rglob("*.png")]
        shared = Shared(str(folder / "share"), new_run())
        shared.begin()
        begun = time.perf_counter()
        hashes = shared.put(contents)
        put = (time.perf_counter() - begun) / SEQUENCES
        begun = time.perf_counter()
        shared.get(hashes[:FRAMES])
        fetched = time.perf_counter() - begun
    print(f"| {SEQUENCES} sequences of {FRAMES} × {SIDE} × {SIDE}, GIF | measured | wanted |")
    print("| --- | ---: | --- |")
    print(f"| two local jobs, s | {local:.1f} | |")
    print(f"| two Dask workers, s | {dask:.1f} | |")
    rate = (local - local_start) / (dask - start)
    print(f"| after the start, times the rate of two local jobs | {rate:.2f} | at least 0.9 |")
    print(f"| a task that does nothing, ms of the scheduler and its client | {schedule * 1000:.2f} | |")
    print(f"| a sequence made on a worker, ms | {make * 1000:.0f} | |")
    print(f"| its frames hashed and put into the shared folder, ms | {put * 1000:.1f} | |")
    print(f"| its frames fetched from there and checked, ms | {fetched * 1000:.1f} | |")
    there, back = read / 1024, written / SEQUENCES / 1024
    print(f"| its file put in its place, ms | {place * 1000:.1f} | |")
    print(f"| bytes of it that go to a worker, and that come back, KB | {there:.0f}, {back:.0f} | |")
    longer = LONG / FRAMES
    costs = Costs(
        hand_over=max(put * longer, read * longer / NETWORK),
        schedule=schedule,
        make=make * longer,
        bring=max(fetched / FRAMES + place, written / SEQUENCES * longer / NETWORK),
        read=read * longer,
        written=written / SEQUENCES * longer,
    )
    print(f"\n| {MANY:,} sequences of {LONG} such frames, simulated | time | client | scheduler | workers |")
    print("| --- | ---: | ---: | ---: | ---: |")
    for workers in (10, 30, WORKERS, 300):
        over, busy = simulated(costs, MANY, workers)
        shares = " | ".join(f"{busy[name] * 100:.0f} %" for name in ("client", "scheduler", "workers"))
        print(f"| {workers} workers | {over / 60:.1f} min | {shares} |")


def _placing(folder: Path, data: bytes) -> float:
    """Seconds that a file takes to be put in its place, safe on the disk."""
    begun = time.perf_counter()
    for number in range(50):
        with Writing(force=True) as writing:
            writing.put(folder / "placed" / f"{number}.gif", data)
            writing.commit()
    return (time.perf_counter() - begun) / 50


def _nothing(number: int) -> int:
    return number


if __name__ == "__main__":
    main()
