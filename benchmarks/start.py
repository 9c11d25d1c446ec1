"""What a start costs until all is up and idle: seconds until it answers, CPU seconds, memory, by process.

The data folder has the demo and is started once before: loops are compiled, and the disk's cache is warm.
CPU seconds are those of all processes that the start began, as /proc tells them; memory is their PSS.
"""

import os
import tempfile
import time
from collections import defaultdict
from pathlib import Path
from statistics import median
from typing import NamedTuple

from tests.prepared import copy_demo
from tests.server import Server

ROUNDS = 3
USERS = ".venv-run/bin/python"
"""With the packages of ./start alone."""
_TICK = os.sysconf("SC_CLK_TCK")
_QUIET = 0.05
"""CPU seconds that all processes together use in a second, at most, when they are idle."""


class _Start(NamedTuple):
    ready: float
    """Seconds until it answers."""
    idle: float
    """Seconds until nothing is computed any more."""
    used: dict[str, tuple[float, float]]
    """CPU seconds and MB by kind of process."""


def main() -> None:
    print("| | ready s | idle after s | CPU s | PSS MB |")
    print("| --- | ---: | ---: | ---: | ---: |")
    with tempfile.TemporaryDirectory() as folder:
        data = copy_demo(Path(folder) / "data")
        Server(data, python=USERS).start().stop()
        for standins in (True, False):
            rounds = [_started(Server(data, standins=standins, python=USERS)) for _ in range(ROUNDS)]
            kinds = sorted({kind for one in rounds for kind in one.used})
            cpu, pss = (
                {kind: median(one.used.get(kind, (0.0, 0.0))[which] for one in rounds) for kind in kinds}
                for which in (0, 1)
            )
            ready, idle = median(one.ready for one in rounds), median(one.idle for one in rounds)
            title = "with stand-ins" if standins else "without stand-ins"
            print(f"| {title} | {ready:.2f} | {idle:.1f} | {sum(cpu.values()):.2f} | {sum(pss.values()):.0f} |")
            for kind in kinds:
                print(f"| – {kind} | | | {cpu[kind]:.2f} | {pss[kind]:.0f} |")


def _started(server: Server) -> _Start:
    begun = time.monotonic()
    server.start()
    ready = time.monotonic() - begun
    try:
        used, since = -1.0, time.monotonic()
        while (now := sum(_cpu(pid) for pid in _all(server))) - used > _QUIET:
            used, since = now, time.monotonic()
            time.sleep(1)
        kinds: dict[str, tuple[float, float]] = defaultdict(lambda: (0.0, 0.0))
        for pid in _all(server):
            cpu, pss = kinds[_kind(pid)]
            kinds[_kind(pid)] = cpu + _cpu(pid), pss + _pss(pid)
        return _Start(ready, since - begun, dict(kinds))
    finally:
        server.stop()


def _all(server: Server) -> list[int]:
    return [server.pid, *server.children("")]


def _cpu(pid: int) -> float:
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return 0.0
    return (int(fields[11]) + int(fields[12])) / _TICK


def _pss(pid: int) -> float:
    try:
        lines = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
    except OSError:
        return 0.0
    return next(int(line.split()[1]) for line in lines if line.startswith("Pss:")) / 1024


def _kind(pid: int) -> str:
    try:
        command = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace")
    except OSError:
        return "ended"
    kinds = {"mariadbd": "database", "jayflick.service": "server", "resource_tracker": "resource tracker"}
    kinds |= {f"jayflick {kind}": kind for kind in ("forks", "worker", "reader", "stand-in")}
    return next((kind for word, kind in kinds.items() if word in command), "others")


if __name__ == "__main__":
    main()
