"""``python -m tests.changed`` names the tests that are nearest to what was changed, by imports.

Changed is what is not committed, or else what the last commit changed. Of the quick layers those tests are
named that import a changed module, or one that imports it; of the service's only those that import it
themselves, and of the interface's those that were changed: all of them run all of it.
"""

import subprocess
from collections.abc import Iterable
from pathlib import Path

from tests.imports import imported

ROOT = Path(__file__).parents[1]
QUICK = ("tests/core", "tests/reference")


def changed_files() -> list[str]:
    """Paths from the root."""

    def asked(*words: str) -> list[str]:
        done = subprocess.run(["git", *words], cwd=ROOT, capture_output=True, text=True, check=True)
        return done.stdout.splitlines()

    waiting = asked("diff", "--name-only", "HEAD") + asked("ls-files", "--others", "--exclude-standard")
    return waiting or asked("diff", "--name-only", "HEAD~1", "HEAD")


def modules() -> dict[str, Path]:
    """All of ours by their full names."""
    found = {}
    for folder, package in ((ROOT / "src/jayflick", "jayflick"), (ROOT / "tests", "tests")):
        for file in folder.rglob("*.py"):
            parts = [package, *file.relative_to(folder).with_suffix("").parts]
            found[".".join(parts).removesuffix(".__init__")] = file
    return found


def nearest(changed: Iterable[str]) -> list[str]:
    """Tests to run for these files, as paths from the root."""
    known = modules()
    roots = {"jayflick": ROOT / "src/jayflick", "tests": ROOT / "tests"}
    uses = {}
    for name, file in known.items():
        package = name.split(".")[0]
        uses[name] = imported(file, roots[package], package) & known.keys()
    touched = {name for name, file in known.items() if str(file.relative_to(ROOT)) in set(changed)}
    one_away = {name for name, used in uses.items() if used & touched and name.startswith("jayflick.")}
    named = []
    for name, file in known.items():
        path = str(file.relative_to(ROOT))
        if not file.name.startswith("test_"):
            continue
        direct = bool(uses[name] & touched) and not path.startswith("tests/e2e")
        if name in touched or direct or (path.startswith(QUICK) and uses[name] & one_away):
            named.append(path)
    return sorted(named)


if __name__ == "__main__":
    print(*nearest(changed_files()), sep="\n")
