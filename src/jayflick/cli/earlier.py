"""What earlier runs wrote: no output is ever taken for an input, and a set that grew shorter leaves no tail.

Kept by folder in the user's state folder ($XDG_STATE_HOME, XDG Base Directory Specification 0.8); what is not
remembered, or was changed since, is a stranger's.
"""

import contextlib
import hashlib
import json
import os
from collections.abc import Iterable, Sequence
from pathlib import Path

from ..core.atomic import atomic_write
from ..core.errors import printable
from ..core.sequence.files import list_files
from .writing import Written, encoded, place_of

MOST_FOLDERS = 500
"""Folders that are remembered, those written to last."""
SET = ""
"""What a set is called in its folder; others are called by their file."""

_Outputs = dict[str, dict[str, str]]
"""For each output its files by name, each with its SHA-256."""


def inputs_of(inputs: Sequence[str], output: Path | None = None) -> tuple[list[Path], list[str]]:
    """The files that inputs stand for, and a note on those that an earlier run wrote among them."""
    files, passed_over = without_outputs(list_files(inputs, output), inputs)
    if not passed_over:
        return files, []
    names = ", ".join(printable(path.name) for path in passed_over[:5]) + ("…" if len(passed_over) > 5 else "")
    return files, [f"passed over {names}: made by an earlier run; name it to use it"]


def without_outputs(files: Sequence[Path], inputs: Iterable[str]) -> tuple[list[Path], list[Path]]:
    """The files without those that earlier runs wrote among them, and those.

    What was named itself stays, and a folder that holds nothing else is taken as it is: it was meant.
    """
    paths = [Path(text) for text in inputs]
    folders: dict[Path, Path] = {}
    named, roots = set(map(place_of, paths)), {path.resolve() for path in paths if path.is_dir()}
    known: dict[Path, _Outputs] = {}
    kept: list[Path] = []
    passed: list[Path] = []
    for file in files:
        if file.parent not in folders:
            folders[file.parent] = file.parent.resolve()
        folder = folders[file.parent]
        place = folder / file.name
        outputs = known.setdefault(folder, _outputs(folder))
        meant = folder in roots or roots.isdisjoint(folder.parents)
        # A set in a folder that was named is what that name means.
        wanted = (sums for output, sums in outputs.items() if output != SET or not meant)
        ours = place not in named and any(_is(file, sums) for sums in wanted)
        (passed if ours else kept).append(file)
    return (kept, passed) if kept else (passed, [])


def left_over(folder: Path, output: str, now: Iterable[str]) -> list[Path]:
    """What the last run of this output wrote in a folder and the one of ``now`` does not."""
    sums = _outputs(folder.resolve()).get(output, {})
    gone = [folder / name for name in sums.keys() - set(now)]
    return sorted(path for path in gone if _is(path, sums))


def made_before(file: Path) -> bool:
    """Whether an earlier run wrote a file, and nobody changed it since."""
    return any(_is(file, sums) for sums in _outputs(file.parent.resolve()).values())


def remember(output: str, written: Iterable[Written]) -> None:
    """Note what was written as one output. What cannot be noted is a stranger's from then on."""
    by_folder: dict[Path, dict[str, str]] = {}
    for path, _, sha256 in written:
        by_folder.setdefault(path.parent.resolve(), {})[path.name] = sha256
    for folder, sums in by_folder.items():
        known = _outputs(folder).items()
        outputs = {old: files for old, files in known if any((folder / name).exists() for name in files)}
        outputs[output] = sums
        with contextlib.suppress(OSError):
            atomic_write(_place(folder), encoded({"folder": str(folder), "outputs": outputs}), durable=False)


def _is(file: Path, sums: dict[str, str]) -> bool:
    """Whether a file is the very one that was written."""
    wanted = sums.get(file.name)
    if wanted is None:
        return False
    try:
        with file.open("rb") as opened:
            return hashlib.file_digest(opened, "sha256").hexdigest() == wanted
    except OSError:
        return False


def _state() -> Path:
    home = os.environ.get("XDG_STATE_HOME", "")
    # Relative paths are invalid there, and are to be ignored.
    state = Path(home) if os.path.isabs(home) else Path.home() / ".local" / "state"
    return state / "jayflick" / "written"


def _place(folder: Path) -> Path:
    return _state() / f"{hashlib.sha256(os.fsencode(folder)).hexdigest()[:32]}.json"


def _outputs(folder: Path) -> _Outputs:
    try:
        outputs = json.loads(_place(folder).read_bytes())["outputs"]
    except (OSError, ValueError, KeyError, TypeError, RuntimeError):
        return {}
    if not isinstance(outputs, dict):
        return {}
    return {
        str(output): {str(name): str(one) for name, one in sums.items()}
        for output, sums in outputs.items()
        if isinstance(sums, dict)
    }


def forget_old() -> None:
    """Keep what was written to the last so many folders in mind, and no more."""
    with contextlib.suppress(OSError, RuntimeError):
        kept = sorted(_state().glob("*.json"), key=lambda one: one.stat().st_mtime)
        for old in kept[:-MOST_FOLDERS]:
            old.unlink(missing_ok=True)
