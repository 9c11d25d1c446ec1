"""``jayflick check``: whether a file is taken where it goes."""

import argparse
import json
import re
from pathlib import Path

from ..core.content import read_file
from ..core.errors import InputError, printable
from ..core.formats.facts import facts_of_file, facts_of_set
from ..core.targets.catalogue import find, read_target
from ..core.targets.check import check, verdict_of
from .writing import print_json

_MARKS = {"pass": "fine", "warn": "look", "fail": "stop"}


def run_check(options: argparse.Namespace) -> int:
    path = Path(options.file)
    name = options.target
    target = read_target(read_file(Path(name)), name) if name.endswith(".json") else find(name)
    if path.is_dir():
        files = sorted(entry for entry in path.iterdir() if entry.is_file() and not entry.name.startswith("."))
        facts = facts_of_set([(entry.name, read_file(entry)) for entry in files], path.name)
    elif not path.exists():
        raise InputError("there is no such file", file=path.name, remedy="check the name")
    else:
        facts = facts_of_file(read_file(path), path.name, sheet=_is_sheet(path))
    checked = check(facts, target)
    verdict = verdict_of(checked)
    if options.json:
        rules = [rule.document() for rule in checked]
        document = {"target": target.name, "verdict": verdict, "rules": rules}
        print_json(document)
    else:
        print(f"{printable(path.name)} for {target.title}: {verdict}")
        for rule in checked:
            remedy = f" ({rule.help})" if rule.help else ""
            print(f"  {_MARKS[rule.verdict]:5} {rule.rule}: {rule.measured}, allowed {rule.allowed}{remedy}")
    return 1 if verdict == "fail" else 0


def _is_sheet(path: Path) -> bool:
    """Whether a description beside a picture says that it is a page of a sheet."""
    stem = re.sub(r"-\d+$", "", path.stem)
    for beside in (path.with_suffix(".json"), path.with_name(f"{stem}.json")):
        try:
            document = json.loads(read_file(beside))
            return path.name in [page["file"] for page in document["sheets"]]
        except (InputError, ValueError, KeyError, TypeError, RecursionError):
            continue
    return False
