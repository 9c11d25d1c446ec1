"""What a module imports, read from its source."""

import ast
from pathlib import Path


def imported(file: Path, root: Path, package: str) -> set[str]:
    """Full names of all modules that a file imports, and of all it takes from them.

    ``root``: the folder of the package that is called ``package``.
    """
    above = [package, *file.relative_to(root).parts[:-1]]
    names: set[str] = set()
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = above[: len(above) - node.level + 1] if node.level else []
            stem = ".".join([*base, *([node.module] if node.module else [])])
            names |= {stem} | {f"{stem}.{alias.name}" for alias in node.names}
    return names
