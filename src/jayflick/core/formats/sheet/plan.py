"""How an output's sheets would be laid out, with no file made, and what helps where something does not fit."""

from collections.abc import Sequence
from dataclasses import dataclass

from ...framing.art_box import Box
from ...framing.frames import Framed, PlayedFrames
from ...framing.prepared import SourceFrame
from ...recipe import Recipe, SheetOutput
from ...stages import Stages
from ...targets.check import Remedy
from ...timing.plan import plan_rhythm
from .items import Items, LaidOut, lay_out, needs_used, used_if_known, used_of
from .pixels import texture_bytes
from .remedies import Scaled, largest_scale, remedies


@dataclass(frozen=True)
class SheetPlan:
    """Sheets as they would be."""

    items: Items
    laid: LaidOut
    positions: tuple[int, ...]
    """For each picture the gathered frame that it shows, or shows most of."""
    canvas: tuple[int, int]
    crop: Box
    """What of a frame is shown."""
    placed: Box
    """Where on the canvas that lies; it may reach outside."""
    texture_bytes: int
    unused: float
    scaled: Scaled | None
    """The largest size at which all fit, where they do not."""
    remedies: tuple[Remedy, ...]


def plan_sheet(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output: SheetOutput,
    stages: Stages,
    *,
    measure: bool = False,
) -> SheetPlan | None:
    """Lay an output's pictures out.

    Where their pixels have to be looked at first this is done if ``measure`` says so; otherwise it is ``None``.
    Raises ``InputError`` when the recipe does not fit the frames.
    """
    framed = Framed(frames, recipe.framing_of(output), output.size, stages, recipe.gather)
    names = [frame.name for frame in frames]
    gaps = [frame.missing_after for frame in frames]

    plan = plan_rhythm(recipe.gather, recipe.rhythm, gaps, output.take)
    pictures, listed = PlayedFrames(framed, plan.shots, stages), plan.listed(names)
    items = Items.of(pictures.names, output, listed)
    used = None
    if needs_used(output):
        look = used_of if measure else used_if_known
        used = look(pictures, items, output, stages)
        if used is None or not used.union.width:
            return None
    laid = lay_out(items, pictures.canvas, output, used)
    scaled, helpful = None, []
    if laid.layout.off:
        scaled = largest_scale(items, pictures.canvas, pictures.source_size, output, used)
        helpful = remedies(pictures, output, listed, used, scaled, stages)
    shown = tuple(pictures.position(index) for index in items.first_step)
    crop, placed = framed.cut(max(1, shown[0]))
    memory = sum(texture_bytes(*sides, output.pixels, output.mip_levels) for sides in laid.layout.sheets)
    places = dict(zip(laid.layout.cells, laid.boxes, strict=True))
    return SheetPlan(
        items,
        laid,
        shown,
        pictures.canvas,
        Box(*crop),
        Box(placed.left, placed.top, *placed.picture),
        memory,
        laid.layout.unused([(box.width, box.height) for box in places.values()]),
        scaled,
        tuple(helpful),
    )
