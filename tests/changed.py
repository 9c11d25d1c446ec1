"""``python -m tests.changed`` names the tests that are nearest to what was changed, by imports.

Changed is what is not committed, or else what the last commit changed. Of the quick layers those tests are
named that import a changed module or, where none does, one that imports it; those of the command line, which
loads its modules by name, for any of them; those of the service only for what is its own; and of the interface
those that were changed: all of them run all of it.
"""

import subprocess
from collections.abc import Iterable
from pathlib import Path

from tests.imports import imported

ROOT = Path(__file__).parents[1]
QUICK = ("tests/core", "tests/reference")
SERVICE = ("jayflick.service", "jayflick.standins", "jayflick.delivery")


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
    tests = {name: str(file.relative_to(ROOT)) for name, file in known.items() if file.stem.startswith("test_")}

    def importing(modules: set[str], layers: tuple[str, ...]) -> set[str]:
        return {path for name, path in tests.items() if path.startswith(layers) and uses[name] & modules}

    of_service = {name for name in touched if name.startswith(SERVICE)}
    one_away = {name for name, used in uses.items() if used & touched and name.startswith("jayflick.")}
    named = importing(of_service, ("tests/service",)) | importing(touched, QUICK) or importing(one_away, QUICK)
    if any(name.startswith("jayflick.cli") for name in touched):
        named |= {path for path in tests.values() if path.startswith("tests/core/test_cli")}
    return sorted(named | {path for name, path in tests.items() if name in touched})


if __name__ == "__main__":
    print(*nearest(changed_files()), sep="\n")
