"""A server process as the tests start it."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

import httpx

from jayflick.service.processes import die_with_parent


@dataclass
class Server:
    """A server process started as ./start starts it."""

    data: Path
    environment: dict[str, str] = field(default_factory=dict)
    standins: bool = False
    process: subprocess.Popen[str] | None = None
    base: str = ""

    def start(self, *options: str) -> "Server":
        """Begin to start, and wait until it answers."""
        self.launch(*options)
        return self.ready()

    def launch(self, *options: str) -> None:
        """Begin to start. It ends when the thread that called this does, however that ends."""
        more = [] if self.standins else ["--no-standins"]
        self.process = subprocess.Popen(
            [sys.executable, "-m", "jayflick.service", "--data", self.data, "--port", "0", *more, *options],
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, **self.environment},
            preexec_fn=partial(die_with_parent, os.getpid()),
        )

    def ready(self) -> "Server":
        assert self.process is not None
        assert self.process.stdout is not None
        for line in self.process.stdout:
            if "ready at " in line:
                self.base = line.split("ready at ")[1].split()[0]
                return self
        raise AssertionError(f"the server ended with {self.process.wait()}")

    @property
    def pid(self) -> int:
        assert self.process is not None
        return self.process.pid

    def children(self, word: str) -> list[int]:
        """Process ids of all that we started, and of all that these did, whose command line holds a word."""
        parents, commands = {}, {}
        for entry in Path("/proc").glob("[0-9]*"):
            try:
                parents[int(entry.name)] = int((entry / "stat").read_text().rpartition(")")[2].split()[1])
                commands[int(entry.name)] = (entry / "cmdline").read_bytes().decode(errors="replace")
            except (OSError, ValueError):
                continue
        ours = {self.pid}
        while more := {pid for pid, parent in parents.items() if parent in ours} - ours:
            ours |= more
        return [pid for pid in ours - {self.pid} if word in commands.get(pid, "")]

    def stop(self, number: int = signal.SIGTERM) -> int:
        assert self.process is not None
        if self.process.poll() is None:
            self.process.send_signal(number)
        status = self.process.wait(30)
        if self.process.stdout:
            self.process.stdout.close()
        return status

    def client(self) -> httpx.Client:
        # The server closes what was idle for 5 s: by then a connection must not be used again.
        limits = httpx.Limits(keepalive_expiry=2)
        return httpx.Client(base_url=self.base, timeout=30, limits=limits)


def until(condition: Callable[[], Any], seconds: float = 60) -> Any:
    """Wait for a condition; returns what it gave."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        if value := condition():
            return value
        time.sleep(0.02)
    raise AssertionError("it did not happen in time")
