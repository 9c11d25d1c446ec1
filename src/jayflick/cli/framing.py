"""What options find out of the frames themselves: what they use, and how they line up."""

import argparse
import re
from collections.abc import Sequence

from ..core.errors import InputError
from ..core.framing.prepared import Prepared
from ..core.framing.steady import common_area, find_moves
from ..core.framing.trim import GRAIN, Box, By
from ..core.framing.used import used_part
from ..core.recipe import LineUp, Recipe
from ..core.sequence.files import FileFrame
from ..core.sequence.views import Grid
from ..core.stages import Stages


def box_of(option: str, text: str) -> Box:
    """A box as options give one."""
    if not re.fullmatch(r"\d{1,6}(,\d{1,6}){3}", text):
        raise InputError(f"{option} {text!r} is not a box", remedy="use X,Y,W,H, such as 0,0,320,240")
    left, top, width, height = (int(part) for part in text.split(","))
    return left, top, width, height


def grid_of(options: argparse.Namespace) -> Grid:
    """The views that each picture is cut into."""
    match = re.fullmatch(r"(\d{1,3})x(\d{1,3})", options.views)
    if match is None or not (1 <= int(match[1]) <= 100 and 1 <= int(match[2]) <= 100):
        raise InputError(f"--views {options.views!r} are no views", remedy="use one such as 3x1")
    gutter = options.views_gutter or 0
    if not 0 <= gutter <= 4096:
        raise InputError(f"--views-gutter {gutter} is no gutter", remedy="use pixels from 0 up")
    return Grid(int(match[1]), int(match[2]), gutter, options.views_order or "rows")


def lined_up(
    recipe: Recipe, frames: Sequence[FileFrame], options: argparse.Namespace, stages: Stages
) -> tuple[Recipe, list[str]]:
    """The recipe with its frames lined up on one of them, and notes on those that could not be."""
    anchor = options.line_up
    if not 1 <= anchor <= len(frames):
        raise InputError(
            f"there is no frame {anchor} to line up on", remedy=f"choose one from 1 to {len(frames)}"
        )
    prepared = Prepared(frames, recipe.gather, stages)
    used = [p for p in range(1, len(frames) + 1) if p not in recipe.gather.left_out]
    box = None if options.line_up_box is None else box_of("--line-up-box", options.line_up_box)
    found = find_moves(prepared, stages, anchor, used, options.line_up_by or "shift", box)
    lost = [frames[position - 1].name for position, one in found.items() if one.move is None]
    moves = {p: one.move for p, one in found.items() if one.move is not None and not one.move.still}
    lined = LineUp(
        anchor=anchor,
        moves=moves,
        drawn_on=prepared.size(anchor),
        cover="open" if options.line_up_cover in ("crop", "open") else "enlarge",
    )
    changed: dict[str, object] = {"line_up": lined}
    if options.line_up_cover == "crop" and moves:
        shared = common_area(lined, used)
        if shared is None:
            raise InputError("lined up, the frames have no part in common", remedy="line up on another frame")
        changed |= {"crop": shared, "drawn_on": prepared.size(anchor)}
    recipe = recipe.model_copy(update={"framing": recipe.framing.model_copy(update=changed)})
    return recipe, [f"{name}: there is nothing to line it up on; it stays" for name in lost]


def trimmed(
    recipe: Recipe, frames: Sequence[FileFrame], options: argparse.Namespace, stages: Stages
) -> tuple[Recipe, list[str]]:
    """The recipe with a crop to what its frames use, and a note if there is nothing to take off."""
    if options.crop is not None:
        raise InputError("--crop and --trim contradict each other", remedy="use one of them")
    if options.trim is not None and options.trim < 0:
        raise InputError(f"--trim {options.trim} is not a margin", remedy="use pixels from 0 up")
    by: By = "alpha" if any(frame.transparent for frame in frames) else "change"
    if options.trim_bars:
        by = "bars"
    found = used_part(recipe, frames, stages, by, 0 if by == "alpha" else GRAIN, options.trim or 0)
    if found.box is None:
        return recipe, ["there is nothing to trim: the frames use all of their canvas"]
    framing = recipe.framing.model_copy(update={"crop": found.box, "drawn_on": found.size})
    return recipe.model_copy(update={"framing": framing}), []
