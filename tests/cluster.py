"""A real Dask scheduler with workers on loopback, over TLS, and a stand-in for S3."""

import os
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

from jayflick.core.cluster.worker import CACHE
from jayflick.parent import die_with_parent
from tests.server import until

SETTINGS = {
    "DASK_DISTRIBUTED__COMM__REQUIRE_ENCRYPTION": "True",
    "DASK_DISTRIBUTED__ADMIN__TICK__LIMIT": "60s",
    "DASK_DISTRIBUTED__LOGGING__DISTRIBUTED": "error",
}


def certificates(folder: Path) -> dict[str, str]:
    """One authority and one certificate by it, as Dask's settings name them."""
    call = ["openssl", "req", "-newkey", "rsa:2048", "-nodes", "-subj"]
    ours = ["-keyout", "key.pem", "-x509", "-days", "2", "-out", "ca.pem"]
    quiet = {"cwd": folder, "check": True, "capture_output": True}
    subprocess.run([*call, "/CN=ferry", *ours], **quiet)  # type: ignore[call-overload]
    paths = {"CA_FILE": "ca.pem"}
    for part in ("SCHEDULER", "WORKER", "CLIENT"):
        paths |= {f"{part}__KEY": "key.pem", f"{part}__CERT": "ca.pem"}
    return {f"DASK_DISTRIBUTED__COMM__TLS__{name}": str(folder / file) for name, file in paths.items()}


@dataclass
class Cluster:
    address: str
    environment: dict[str, str]
    workers: list[subprocess.Popen[bytes]] = field(default_factory=list)
    scheduler: subprocess.Popen[bytes] | None = None

    def at_work(self) -> list[int]:
        """The processes that make something: each worker is looked after by a process of its own."""
        found = []
        for worker in self.workers:
            listed = [one.read_text().split() for one in Path(f"/proc/{worker.pid}/task").glob("*/children")]
            lines = {pid: Path(f"/proc/{pid}/cmdline").read_bytes() for pids in listed for pid in pids}
            found += [int(pid) for pid, line in lines.items() if line.startswith(b"dask worker")]
        return found


def started(module: str, *arguments: str, environment: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", module, *arguments],
        env={**os.environ, **environment},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        preexec_fn=partial(die_with_parent, os.getpid()),
    )


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        port: int = one.getsockname()[1]
    return port


def is_open(address: str) -> bool:
    host, _, port = address.partition("//")[2].partition(":")
    with socket.socket() as one:
        return one.connect_ex((host, int(port))) == 0


@contextmanager
def running(folder: Path) -> Iterator[Cluster]:
    """A cluster of two workers of one thread, its files in ``folder``."""
    environment = {
        **SETTINGS,
        **certificates(folder),
        CACHE: str(folder / "cache"),
        "AWS_ACCESS_KEY_ID": "ferry",
        "AWS_SECRET_ACCESS_KEY": "ferry",
        "AWS_DEFAULT_REGION": "us-east-1",
        "AWS_ENDPOINT_URL": f"http://127.0.0.1:{free_port()}",
    }
    port = free_port()
    address = f"tls://127.0.0.1:{port}"
    store = started(
        "moto.server", "-p", environment["AWS_ENDPOINT_URL"].rpartition(":")[2], environment=environment
    )
    scheduler = started(
        "distributed.cli.dask_scheduler",
        "--host",
        f"tls://127.0.0.1:{port}",
        "--no-dashboard",
        environment=environment,
    )
    arguments = [address, "--host", "tls://127.0.0.1", "--nthreads", "1", "--no-dashboard"]
    arguments += ["--local-directory", str(folder)]
    workers = [started("distributed.cli.dask_worker", *arguments, environment=environment) for _ in range(2)]
    until(lambda: is_open(address))
    yield Cluster(address, environment, workers, scheduler)
    for process in (*workers, scheduler, store):
        process.terminate()
        process.wait()
