"""``jayflick completion``: what a shell asks, when Tab is pressed."""

import argparse
from pathlib import Path
from typing import Any

from argcomplete.completers import FilesCompleter
from argcomplete.finders import CompletionFinder
from argcomplete.shell_integration import shellcode

from . import options

_TARGETS = Path(__file__).parents[1] / "core" / "targets" / "shipped"


class _Words(FilesCompleter):
    """What an option is known to take, and files."""

    def __call__(self, prefix: str, **rest: Any) -> list[str]:
        words: dict[str, tuple[str, ...]] = {
            "target": tuple(sorted(file.stem for file in _TARGETS.glob("*.json"))),
            "to": options.STAND_INS,
        }
        known = [word for word in words.get(rest["action"].dest, ()) if word.startswith(prefix)]
        return [*known, *super().__call__(prefix, **rest)]


def answer(parser: argparse.ArgumentParser) -> None:
    """Tell a shell what could be typed next, if it is a shell that asks; then the process ends."""
    CompletionFinder()(parser, default_completer=_Words())


def run_completion(typed: argparse.Namespace) -> None:
    print(shellcode(["jayflick"], shell=typed.shell), end="")
