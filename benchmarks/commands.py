"""What a command costs before its own work: CPU seconds of whole processes, medians."""

import resource
import subprocess
import tempfile
from pathlib import Path
from statistics import median

from tests.conftest import moving_square, save_frames

ROUNDS = 7
USERS = Path(".venv-run/bin/jayflick").resolve()
"""With the packages of ./start alone."""


def main() -> None:
    """Print a row a command."""
    print("| command | CPU s |")
    print("| --- | ---: |")
    with tempfile.TemporaryDirectory() as name:
        here = Path(name)
        save_frames(here / "frames", moving_square(6))
        _run(["make", "frames", "-o", "a.gif"], here)
        for command in (
            ["--help"],
            ["make", "--help"],
            ["targets"],
            ["info", "a.gif"],
            ["check", "a.gif", "--target", "post"],
            ["make", "frames", "-o", "b.gif", "--force"],
        ):
            print(
                f"| `{' '.join(command)}` | {median(_run(command, here) for _ in range(ROUNDS)):.2f} |",
                flush=True,
            )


def _run(command: list[str], folder: Path) -> float:
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run(
        [USERS, *command],
        cwd=folder,
        stdout=subprocess.DEVNULL,
        check=True,
    )
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


if __name__ == "__main__":
    main()
