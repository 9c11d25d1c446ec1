"""Import order points one way: interface, then service, then core."""

from pathlib import Path

import jayflick
from tests.changed import nearest
from tests.imports import imported

ROOT = Path(jayflick.__file__).parent
KNOWS = {
    "core": {"core"},
    "demo": {"demo", "core"},
    "delivery": {"delivery", "core"},
    "parent": {"parent"},
    "peers": {"peers"},
    "loopback": {"loopback", "peers"},
    "watching": {"watching", "core"},
    "standins": {"standins", "delivery", "loopback", "peers"},
    "service": {"service", "standins", "delivery", "loopback", "parent", "peers", "watching", "demo", "core"},
    "cli": {"cli", "delivery", "parent", "watching", "core"},
}
WEB_AND_DATA = {"fastapi", "starlette", "uvicorn", "sqlalchemy", "alembic", "pymysql", "sse_starlette"}


def test_no_part_imports_what_stands_above_it() -> None:
    checked = 0
    for file in ROOT.rglob("*.py"):
        part = file.relative_to(ROOT).parts[0].removesuffix(".py")
        if part == "__init__":
            continue
        names = imported(file, ROOT, "jayflick")
        ours = {name.split(".")[1] for name in names if name.startswith("jayflick.")} - {"__version__"}
        assert ours <= KNOWS[part], f"{file} imports {ours - KNOWS[part]}"
        if part in ("core", "cli", "demo", "delivery"):
            outside = {name.split(".")[0] for name in names}
            assert not outside & WEB_AND_DATA, f"{file} imports {outside & WEB_AND_DATA}"
        checked += 1
    assert checked > 30


def test_what_was_changed_names_the_tests_that_are_nearest_to_it() -> None:
    assert nearest(["src/jayflick/core/palette/choose.py"]) == ["tests/core/test_palette.py"]
    assert "tests/core/test_cli_promises.py" in nearest(["src/jayflick/cli/make.py"])
    assert nearest(["src/jayflick/service/placing.py"]) == ["tests/service/test_placing.py"]
    assert nearest(["tests/e2e/test_rhythm.py", "README.md"]) == ["tests/e2e/test_rhythm.py"]
