"""What of a gather report still asks for a decision, under the recipe that may have made it."""

from collections.abc import Iterable, Mapping
from typing import Any

from ..recipe import Recipe


def open_questions(problems: Iterable[Mapping[str, Any]], recipe: Recipe) -> int:
    """How many kinds of problem in a report have a remedy that was not applied."""
    return len({str(problem["kind"]) for problem in problems if _asks(problem, recipe)})


def _asks(problem: Mapping[str, Any], recipe: Recipe) -> bool:
    gather = recipe.gather
    positions = frozenset(problem["positions"])
    used = positions - gather.left_out
    match problem["kind"]:
        case "missing" | "unreadable":
            return gather.gaps == "skip"
        case "size":
            return gather.sizes == "same"
        case "repeated":
            return len(used) > 1
        case "backwards":
            return recipe.rhythm.direction != "reverse"
        case "turn":
            return bool(used)
        case "black-rim":
            return gather.over != "#000000"
        case "white-rim":
            return gather.over != "#ffffff"
        case _:  # what is only good to know
            return False
