"""What of a project's frames is used, found by looking at every pixel of them."""

import json
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.framing.trim import By, alike, used_box, with_margin
from ..core.pictures.kinds import decoders
from ..core.recipe import Recipe
from ..core.stages import Stages, cache_key
from . import projects
from .frames import FrameLists, StoredFrame
from .schemas import TrimInfo

READERS = 2
"""Frames decoded side by side."""


def trim(
    session: Session,
    lists: FrameLists,
    stages: Stages,
    project_id: str,
    by: By,
    tolerance: int,
    margin: int,
) -> TrimInfo:
    """The part of the frames that is used; without a box where that is all of them, or nothing.

    Frames that are left out do not count, nor do those of another size than most.
    """
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    recipe = Recipe.model_validate(revision.recipe)
    frames = lists.of(session, project_id, revision.frame_set).frames
    used = [frame for position, frame in enumerate(frames, 1) if position not in recipe.gather.left_out]
    if not used:
        raise InputError("all frames are left out", remedy="use at least one of them")
    compared = alike(used)
    width, height = compared[0].width, compared[0].height

    def look() -> bytes:
        return json.dumps(used_box(_pictures(compared), by, tolerance)).encode()

    key = cache_key("trim", 1, decoders(), sorted({frame.sha256 for frame in compared}), by, tolerance)
    box = json.loads(stages.obtain("trim", key, look))
    found = None if box is None else with_margin((box[0], box[1], box[2], box[3]), margin, width, height)
    return TrimInfo(box=found, width=width, height=height)


def _pictures(frames: list[StoredFrame]) -> Iterator[NDArray[np.uint8]]:
    """Each different frame once, a few read ahead."""
    different = list({frame.sha256: frame for frame in frames}.values())
    with ThreadPoolExecutor(READERS) as pool:
        for begin in range(0, len(different), 2 * READERS):
            yield from pool.map(StoredFrame.read, different[begin : begin + 2 * READERS])
