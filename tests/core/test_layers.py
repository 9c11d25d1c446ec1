"""Import order points one way: interface, then service, then core."""

import ast
from pathlib import Path

import jayflick

ROOT = Path(jayflick.__file__).parent
KNOWS = {
    "core": {"core"},
    "demo": {"demo", "core"},
    "delivery": {"delivery", "core"},
    "peers": {"peers"},
    "loopback": {"loopback", "peers"},
    "standins": {"standins", "delivery", "loopback", "peers"},
    "service": {"service", "standins", "delivery", "loopback", "peers", "demo", "core"},
    "cli": {"cli", "delivery", "core"},
}
WEB_AND_DATA = {"fastapi", "starlette", "uvicorn", "sqlalchemy", "alembic", "pymysql", "sse_starlette"}


def imported(file: Path) -> set[str]:
    """Full names of all modules a file imports."""
    package = ["jayflick", *file.relative_to(ROOT).parts[:-1]]
    names: set[str] = set()
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = package[: len(package) - node.level + 1] if node.level else []
            stem = ".".join([*base, *([node.module] if node.module else [])])
            names |= {stem} | {f"{stem}.{alias.name}" for alias in node.names}
    return names


def test_no_part_imports_what_stands_above_it() -> None:
    checked = 0
    for file in ROOT.rglob("*.py"):
        part = file.relative_to(ROOT).parts[0].removesuffix(".py")
        if part == "__init__":
            continue
        names = imported(file)
        ours = {name.split(".")[1] for name in names if name.startswith("jayflick.")} - {"__version__"}
        assert ours <= KNOWS[part], f"{file} imports {ours - KNOWS[part]}"
        if part in ("core", "cli", "demo", "delivery"):
            outside = {name.split(".")[0] for name in names}
            assert not outside & WEB_AND_DATA, f"{file} imports {outside & WEB_AND_DATA}"
        checked += 1
    assert checked > 30
