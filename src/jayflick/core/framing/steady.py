"""A project's frames lined up on one of them."""

import json
from collections.abc import Iterable, Sequence
from functools import partial

from ..errors import InputError
from ..pictures.kinds import decoders
from ..recipe import LineUp, Move
from ..stages import Stages, cache_key
from .line_up import Found, Free, line_up
from .moves import common, warp_of
from .prepared import Prepared
from .trim import Box


def find_moves(
    prepared: Prepared,
    stages: Stages,
    anchor: int,
    positions: Sequence[int],
    free: Free,
    box: Box | None = None,
) -> dict[int, Found]:
    """How frames must be moved to lie on the one at ``anchor``; what was found once is kept.

    ``box``: only what the anchor shows there counts. A frame of another size than the anchor is not found.
    """
    width, height = size = prepared.size(anchor)
    if box is not None and (box[0] + box[2] > width or box[1] + box[3] > height):
        raise InputError(
            f"the box {box[0]},{box[1]},{box[2]},{box[3]} reaches outside the {width} × {height} frames",
            remedy="draw it inside the frame",
        )

    def key(position: int) -> str:
        names = prepared.name(anchor), prepared.name(position)
        return cache_key("move", 1, decoders(), *names, free, box)

    found: dict[int, Found] = {}
    wanted: list[int] = []
    for position in positions:
        known = stages.get("move", key(position))
        if position == anchor or prepared.size(position) != size:
            found[position] = Found(Move() if position == anchor else None, float(position == anchor))
        elif known is not None:
            move, alike = json.loads(known)
            found[position] = Found(None if move is None else Move.model_validate(move), alike)
        else:
            wanted.append(position)
    if wanted:
        pictures = (prepared.picture(position) for position in wanted)
        made = line_up(prepared.picture(anchor), pictures, free, box)
        for position, one in zip(wanted, made, strict=True):
            found[position] = one
            move = None if one.move is None else one.move.model_dump()
            data = json.dumps([move, one.alike]).encode()
            stages.obtain("move", key(position), partial(bytes, data))
    return found


def common_area(lined: LineUp, positions: Iterable[int]) -> Box | None:
    """The largest part of the canvas that every frame still covers; all of it if none was moved."""
    moved = [position for position in positions if position in lined.moves]
    return common([warp_of(lined, position, *lined.drawn_on) for position in moved], *lined.drawn_on)
