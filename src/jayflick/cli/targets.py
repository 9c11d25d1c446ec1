"""``jayflick targets``: which targets there are."""

import argparse

from ..core.targets.catalogue import shipped
from .writing import print_json


def run_targets(options: argparse.Namespace) -> None:
    if options.json:
        print_json([target.model_dump(mode="json") for target in shipped()])
        return
    for target in shipped():
        print(f"{target.name:20} {target.title}: {target.about}")
