"""A server process as the tests start it."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from multiprocessing.reduction import DupFd
from pathlib import Path
from typing import IO, Any, Protocol

import httpx

from jayflick.parent import die_with_parent
from jayflick.service.forks import CONTEXT
from jayflick.service.launch import main
from jayflick.service.processes import forked_as
from tests.documented import as_documented

CONTEXT.set_forkserver_preload(["jayflick.service.serving", "jayflick.service.forked"])


class _Process(Protocol):
    """What is asked of a process, however it was started."""

    pid: int

    def poll(self) -> int | None: ...

    def wait(self, timeout: float | None = None) -> int: ...

    def send_signal(self, sig: int) -> None: ...


class _Forked:
    """A server forked from a process that has loaded all of it already, in a fraction of the time."""

    def __init__(self, arguments: list[str], environment: dict[str, str], out: int) -> None:
        self._process = CONTEXT.Process(target=_serve, args=(arguments, environment, _Passed(out)))
        self._process.start()
        assert self._process.pid is not None
        self.pid = self._process.pid

    def poll(self) -> int | None:
        return self._process.exitcode

    def wait(self, timeout: float | None = None) -> int:
        self._process.join(timeout)
        assert self._process.exitcode is not None, "it has not ended"
        return self._process.exitcode

    def send_signal(self, sig: int) -> None:
        os.kill(self.pid, sig)


@dataclass
class _Passed:
    """A file descriptor for the process that is being started."""

    number: int

    def __reduce__(self) -> tuple[Any, ...]:
        return _Passed.arrived, (DupFd(self.number),)

    @staticmethod
    def arrived(there: Any) -> "_Passed":
        return _Passed(there.detach())


def _serve(arguments: list[str], environment: dict[str, str], out: _Passed) -> None:
    forked_as("server")
    os.dup2(out.number, 1)
    os.close(out.number)
    os.environ.update(environment)
    sys.exit(main(arguments))


@dataclass
class Server:
    """A server process started as ./start starts it."""

    data: Path
    environment: dict[str, str] = field(default_factory=dict)
    standins: bool = False
    python: str = sys.executable
    forked: bool = False
    """Whether it need not load all by itself, which takes most of a start."""
    process: _Process | None = None
    base: str = ""
    _out: IO[str] | None = None

    def start(self, *options: str) -> "Server":
        """Begin to start, and wait until it answers."""
        self.launch(*options)
        return self.ready()

    def launch(self, *options: str) -> None:
        """Begin to start. It ends when the thread that called this does, however that ends."""
        more = [] if self.standins else ["--no-standins"]
        arguments = ["--data", str(self.data), "--port", "0", *more, *options]
        ours, theirs = os.pipe()
        self._out = os.fdopen(ours)
        if self.forked:
            self.process = _Forked(arguments, self.environment, theirs)
        else:
            self.process = subprocess.Popen(
                [self.python, "-m", "jayflick.service", *arguments],
                stdout=theirs,
                env={**os.environ, **self.environment},
                preexec_fn=partial(die_with_parent, os.getpid()),
            )
        os.close(theirs)

    def ready(self) -> "Server":
        assert self.process is not None
        assert self._out is not None
        for line in self._out:
            if "ready at " in line:
                self.base = line.split("ready at ")[1].split()[0]
                return self
        raise AssertionError(f"the server ended with {self.process.wait()}")

    @property
    def pid(self) -> int:
        assert self.process is not None
        return self.process.pid

    def children(self, word: str) -> list[int]:
        """Process ids of all that we started, and of all that these did, whose command line holds a word.

        One that was just forked still has its parent's: that is found once it has a name of its own.
        """
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
        named = [pid for pid in ours - {self.pid} if commands.get(pid) != commands.get(parents[pid])]
        return [pid for pid in named if word in commands.get(pid, "")] if word else [*ours - {self.pid}]

    def stop(self, number: int = signal.SIGTERM) -> int:
        assert self.process is not None
        if self.process.poll() is None:
            self.process.send_signal(number)
        status = self.process.wait(30)
        if self._out:
            self._out.close()
        return status

    def client(self) -> httpx.Client:
        # The server closes what was idle for 5 s, and a machine that stands still makes that of any moment: no
        # connection is used again.
        limits = httpx.Limits(max_keepalive_connections=0)
        hooks = {"response": [as_documented]}
        return httpx.Client(base_url=self.base, timeout=120, limits=limits, event_hooks=hooks)


def until(condition: Callable[[], Any], seconds: float = 60) -> Any:
    """Wait for a condition; returns what it gave.

    It is looked at less often the longer it takes: each look keeps the machine from what is waited for.
    """
    deadline = time.monotonic() + seconds
    pause = 0.01
    while time.monotonic() < deadline:
        if value := condition():
            return value
        time.sleep(pause)
        pause = min(1.3 * pause, 0.2)
    raise AssertionError("it did not happen in time")
