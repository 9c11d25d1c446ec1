"""What of a project's frames is used, found by looking at every pixel of them as they are lined up."""

import json
from collections import Counter
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..pictures.kinds import decoders
from ..recipe import Recipe, Size
from ..stages import Stages, cache_key
from .frames import Framed
from .prepared import SourceFrame
from .trim import Box, By, used_box, with_margin

READERS = 2
"""Frames decoded side by side."""


class Used(NamedTuple):
    """The part of the frames that is used."""

    box: Box | None
    """``None`` when that is all of them, or nothing."""
    size: tuple[int, int]
    """Width and height of the frames."""


def used_part(
    recipe: Recipe, frames: Sequence[SourceFrame], stages: Stages, by: By, tolerance: int, margin: int = 0
) -> Used:
    """What any frame uses, with so many pixels around it.

    Frames that are left out do not count, nor do those of another size than most.
    """
    framed = Framed(frames, recipe.framing, Size(), stages, recipe.gather)
    positions = [p for p in range(1, len(frames) + 1) if p not in recipe.gather.left_out]
    if not positions:
        raise InputError("all frames are left out", remedy="use at least one of them")
    sizes = Counter(framed.prepared.size(position) for position in positions)
    size = max(sizes, key=lambda one: sizes[one])
    different = {framed.lined_up_name(p): p for p in positions if framed.prepared.size(p) == size}

    def look() -> bytes:
        pictures = _pictures(framed, list(different.values()))
        return json.dumps(used_box(pictures, by, tolerance)).encode()

    key = cache_key("trim", 2, decoders(), sorted(different), by, tolerance)
    box = json.loads(stages.obtain("trim", key, look))
    return Used(None if box is None else with_margin((box[0], box[1], box[2], box[3]), margin, *size), size)


def _pictures(framed: Framed, positions: Sequence[int]) -> Iterator[NDArray[np.uint8]]:
    """The frames at these positions, a few read ahead."""
    with ThreadPoolExecutor(READERS) as pool:
        for begin in range(0, len(positions), 2 * READERS):
            yield from pool.map(framed.lined_up, positions[begin : begin + 2 * READERS])
