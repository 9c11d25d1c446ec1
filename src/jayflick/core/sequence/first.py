"""What a new project starts with."""

import itertools
import re

from ..recipe import MAX_SIDE, Gather, Output, Recipe, Rhythm, Size, Tuning
from .gather import Sequence


def unused(sequence: Sequence) -> frozenset[int]:
    """Positions that a new project leaves out: frames of another size, and all but the first of a number."""
    left_out = {p for problem in sequence.problems if problem["kind"] == "size" for p in problem["positions"]}
    ends = itertools.accumulate(part.count for part in sequence.parts)
    begins = {0, *ends}
    seen: set[int] = set()
    for index, found in enumerate(sequence.files):
        if index in begins:
            seen = set()
        if found.number is None or index + 1 in left_out:
            continue
        if found.number in seen:
            left_out.add(index + 1)
        seen.add(found.number)
    return frozenset(left_out)


def first_recipe(
    title: str, width: int, height: int, left_out: frozenset[int] = frozenset(), rhythm: Rhythm | None = None
) -> Recipe:
    """What a new project starts with: its own size, but no wider than a page column."""
    stem = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-") or "loop"
    column = 640
    scale = min(1.0, column / width, MAX_SIDE / height)
    size = Size() if scale == 1.0 else Size(width=max(1, round(width * scale)))
    output = Output(file_name=f"{stem[:100]}.gif", size=size, tuning=Tuning(colours=128), budget=1024 * 1024)
    return Recipe(gather=Gather(left_out=left_out), rhythm=rhythm or Rhythm(), outputs=(output,))
