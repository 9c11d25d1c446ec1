"""``jayflick check`` and ``targets``: whether a file is taken where it goes."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import InputError, printable
from ..core.formats.describe import facts_of_file, facts_of_set
from ..core.sequence.files import read_file
from ..core.targets.catalogue import find, read_target, shipped
from ..core.targets.check import check, verdict_of

_MARKS = {"pass": "fine", "warn": "look", "fail": "stop"}


def add_to(commands: Any) -> None:
    """The commands and their options."""
    command = commands.add_parser("check", help="whether a file or folder is taken where it goes")
    command.add_argument("file", metavar="FILE|DIR")
    command.add_argument("--target", required=True, help="a target's name, or its JSON file")
    command.add_argument("--json", action="store_true")
    command.set_defaults(run=_check)
    listing = commands.add_parser("targets", help="which targets there are")
    listing.add_argument("--json", action="store_true")
    listing.set_defaults(run=_targets)


def _check(options: argparse.Namespace) -> int:
    path = Path(options.file)
    name = options.target
    target = read_target(read_file(Path(name)), name) if name.endswith(".json") else find(name)
    if path.is_dir():
        files = sorted(entry for entry in path.iterdir() if entry.is_file() and not entry.name.startswith("."))
        facts = facts_of_set([(entry.name, read_file(entry)) for entry in files], path.name)
    elif not path.exists():
        raise InputError("there is no such file", file=path.name, remedy="check the name")
    else:
        facts = facts_of_file(read_file(path), path.name)
    checked = check(facts, target)
    verdict = verdict_of(checked)
    if options.json:
        rules = [rule.document() for rule in checked]
        document = {"target": target.name, "verdict": verdict, "rules": rules}
        print(json.dumps(document, indent=2, ensure_ascii=False))
    else:
        print(f"{printable(path.name)} for {target.title}: {verdict}")
        for rule in checked:
            remedy = f" ({rule.help})" if rule.help else ""
            print(f"  {_MARKS[rule.verdict]:5} {rule.rule}: {rule.measured}, allowed {rule.allowed}{remedy}")
    return 1 if verdict == "fail" else 0


def _targets(options: argparse.Namespace) -> None:
    if options.json:
        print(
            json.dumps([target.model_dump(mode="json") for target in shipped()], indent=2, ensure_ascii=False)
        )
        return
    for target in shipped():
        print(f"{target.name:20} {target.title}: {target.about}")
