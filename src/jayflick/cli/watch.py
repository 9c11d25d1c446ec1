"""``jayflick watch``: what is made of a folder is made anew whenever its frames change."""

import argparse
import hashlib
import shutil
import sys
import time
from glob import has_magic
from pathlib import Path

from ..core.errors import InputError, JayFlickError, Unfinished, printable
from ..core.stages import Stages
from ..core.store import folder_bytes
from ..watching import settled
from .earlier import forget_old, made_before
from .make import keep_in_mind, make, need_sense, say_verdicts
from .writing import place_of, print_json, scratch_folder

PATIENCE = 10.0
"""Seconds after the last change for which a frame that cannot be read is waited for: it may be on its way."""
MOST_STAGES = 2 << 30
"""Bytes of what was made before that are kept, so that a frame that did not change is not coded again."""


def run_watch(options: argparse.Namespace) -> int:
    folders = [_folder_of(text) for text in options.input]
    if not 0.05 <= options.settle <= 3600:
        raise InputError(f"--settle {options.settle:g} is out of range", remedy="use 0.05 to 3600 seconds")
    watcher = _Watcher(options)
    need_sense(options, watcher.ours)
    try:
        with scratch_folder() as scratch:
            watcher.stages = Stages(scratch / "stages")
            for changed in settled(folders, options.settle, watcher.wrote, watcher.due):
                watcher.make(bool(changed))
    except KeyboardInterrupt:
        return 0  # there is no other end
    return 0


def _folder_of(text: str) -> Path:
    """Where the files lie that an input stands for."""
    path = Path(text)
    if not path.exists():
        while has_magic(str(path)):
            path = path.parent
    if not path.is_dir():
        remedy = "name folders to watch, or a pattern in quotes"
        raise InputError("is not a folder", file=Path(text).name, remedy=remedy)
    return path


class _Watcher:
    """What has been made so far, and what is waited for."""

    def __init__(self, options: argparse.Namespace) -> None:
        self._options = options
        self._written: dict[Path, str] = {}
        """By place the SHA-256 of what was put there last."""
        self._said: list[str] = []
        """What was said the last time."""
        self._until: float | None = None
        """When a frame that could not be read is not waited for any longer."""
        self.stages: Stages

    def wrote(self, path: Path) -> bool:
        """Whether a file is where something was put."""
        return place_of(path) in self._written

    def ours(self, path: Path) -> bool:
        """Whether a file is the very one that was put there, in this run or an earlier one."""
        wanted = self._written.get(place_of(path))
        if wanted is None:
            return made_before(path)
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest() == wanted

    def due(self) -> bool:
        """Whether something was waited for long enough."""
        return self._until is not None and time.monotonic() >= self._until

    def make(self, changed: bool) -> None:
        """Make it of what the folders hold now. What goes wrong is said, once while it stays the same.

        A frame that cannot be read may be on its way: only after a while it is left out, if a recipe says so.
        """
        begun = time.perf_counter()
        if folder_bytes(self.stages.folder) + folder_bytes(self.stages.store.folder) > MOST_STAGES:
            shutil.rmtree(self.stages.folder)
            self.stages = Stages(self.stages.folder)
        try:
            made = make(self._options, self.stages, self.ours, strict=changed)
        except Unfinished as error:
            if changed:
                self._until = time.monotonic() + PATIENCE
                self._say([f"note: waiting for {printable(error.file or '')}"])
            else:
                self._until = None
                self._say([str(error)])
            return
        except (JayFlickError, OSError) as error:
            self._until = None
            self._say([str(error)])
            return
        self._until = None
        self._written.update((place_of(one.path), one.sha256) for one in made.written)
        keep_in_mind(made)
        forget_old()
        self._say([f"note: {note}" for note in made.notes])
        if self._options.json:
            print_json(made.report, indent=None)
        else:
            seconds = time.perf_counter() - begun
            for one in made.outputs:
                frames = "1 frame" if one["count"] == 1 else f"{one['count']} frames"
                line = f"{one['output']}: {frames}, {one['bytes']} bytes, made in {seconds:.1f} s"
                print(f"{time.strftime('%H:%M:%S')} {line}", flush=True)
        say_verdicts(made.outputs)

    def _say(self, lines: list[str]) -> None:
        """Lines on stderr, without those that were said the last time as well."""
        for line in lines:
            if line not in self._said:
                print(f"jayflick: {' '.join(line.split())}", file=sys.stderr, flush=True)
        self._said = lines
