"""Where the files of many projects go: paths by a pattern of names."""

import re
from collections.abc import Mapping, Sequence
from pathlib import PurePosixPath

from .errors import InputError
from .portable import portable

PLACES = ("project", "output", "file")


def need_names(names: str) -> None:
    """Refuse a pattern that says nothing, or that leads elsewhere."""
    unknown = [one for one in re.findall(r"\{([^{}]*)\}", names) if one not in PLACES]
    if unknown or re.search(r"[{}]", re.sub(r"\{[^{}]*\}", "", names)):
        known = ", ".join(f"{{{one}}}" for one in PLACES)
        raise InputError(f"{names!r} has a place that is not known", remedy=f"use {known}")
    if "{file}" not in names:
        raise InputError(f"{names!r} does not say what files are called", remedy="put {file} in it")
    if names.startswith("/") or ".." in PurePosixPath(names).parts:
        raise InputError(f"{names!r} leads out of the folder", remedy="use names of folders only")


def filled(pattern: str, parts: Mapping[str, str]) -> str:
    """A pattern with its places filled in, all in one go: what fills one may look like another."""
    return re.sub(r"\{(\w+)\}", lambda found: parts.get(found[1], found[0]), pattern)


def path_of(names: str, project: str, output: str, file: str) -> str:
    """Where a file goes: each part of its path is a name that every system takes."""
    whole = filled(names, {"project": portable(project), "output": portable(output), "file": file})
    return "/".join(portable(part) for part in whole.split("/") if part not in ("", "."))


def need_apart(paths: Sequence[tuple[str, str]]) -> None:
    """Refuse two files for one place. ``paths``: each with the project that it is of."""
    seen: dict[str, str] = {}
    for path, project in paths:
        if path.casefold() in seen:
            other = seen[path.casefold()]
            raise InputError(
                f"{other} and {project} would have the same file",
                file=path,
                remedy="put {project} in the names, or call them otherwise",
            )
        seen[path.casefold()] = project
