"""What helps a numbered set on its way to a show: found by looking at its pictures, each made by one edit."""

from collections.abc import Sequence
from fractions import Fraction
from itertools import accumulate

from ..framing.art_box import Box
from ..framing.frames import Framed, PlayedFrames
from ..framing.prepared import SourceFrame
from ..recipe import FramesOutput, Recipe
from ..stages import Stages
from ..targets.check import Remedy, Setting
from ..timing import held as held_as
from ..timing.flicks import SECOND
from ..timing.plan import Plan, plan_rhythm
from .cover import Cover
from .covering import covering_part, mean_colour, source_part
from .raster import in_corner, raster_for

FEW = 3
"""Fewer covered frames than that: a cut that comes a frame early or late is seen."""
HELD = 6
"""Frames that the fullest one is held for."""
AROUND = 2
"""Frames before and after the fullest that get a colour behind them."""
SMALL = 4
"""By how much art that fills the raster is made smaller in its corner."""


def for_transition(
    recipe: Recipe, frames: Sequence[SourceFrame], output: FramesOutput, stages: Stages, cover: Cover
) -> list[Remedy]:
    """What makes a transition cover, or cover longer: a larger picture, a longer frame, a colour behind it."""
    longest = max((last - first + 1 for first, last in cover.covered), default=0)
    if longest >= FEW:
        return []
    framed, pictures, plan = _played(recipe, frames, output, stages)
    repeated = output.held == "repeated"
    times = held_as.video(plan.times, output.take.rate).units if repeated else [1] * len(pictures)
    if sum(times) != len(cover.opaque):
        return []  # the recipe has moved on; what was measured is of another order
    fullest = cover.fullest
    step = next(step for step, end in enumerate(accumulate(times)) if end >= fullest)
    picture = pictures[step]
    height, width = picture.shape[:2]
    found: list[Remedy] = []
    part = covering_part(picture) if longest == 0 else None
    if part is not None:
        crop, placed = framed.cut(max(1, pictures.position(step)))
        shown = source_part(part, Box(*crop), Box(placed.left, placed.top, *placed.picture))
        percent = -(-1000 * width // part.width) / 10
        settings = (
            Setting(("output", "framing"), {"crop": list(shown), "drawn_on": list(_drawn_on(framed))}),
            Setting(("output", "size", "width"), width),
            Setting(("output", "size", "height"), height),
            Setting(("output", "size", "fit"), "cover"),
        )
        found.append(Remedy(f"enlarge to {percent:g} %", settings))
    if longest > 0 and recipe.rhythm.length is None:
        each = int(SECOND / Fraction(output.take.rate or recipe.rhythm.rate))
        holds = {**recipe.rhythm.holds, plan.places[step]: HELD * each}
        held = (
            Setting(("rhythm", "holds"), {str(place): hold for place, hold in holds.items()}),
            Setting(("rhythm", "length"), each * len(cover.opaque)),
            Setting(("output", "held"), "repeated"),
        )
        found.append(Remedy(f"hold frame {fullest} for {HELD} frames", held))
    colour = mean_colour(picture)
    first, last = max(1, step + 1 - AROUND), min(len(pictures), step + 1 + AROUND)
    backing = {"colour": colour, "first": first, "last": last, "fade": 4}
    found.append(
        Remedy(f"put {colour} behind frames {first} to {last}", (Setting(("output", "backing"), backing),))
    )
    return found


def for_overlay(
    recipe: Recipe, frames: Sequence[SourceFrame], output: FramesOutput, stages: Stages, used: Box
) -> list[Remedy]:
    """What makes an overlay take less memory: without what is clear around it, or small in its corner."""
    framed, pictures, _ = _played(recipe, frames, output, stages)
    width, height = pictures.canvas
    if not used.width or pictures.empty:
        return []
    raster = raster_for(width, height)
    left, top = output.place or (0, 0)
    found: list[Remedy] = []
    if (used.width, used.height) != (width, height):
        crop, placed = framed.cut(max(1, pictures.position(0)))
        on_picture = Box(placed.left, placed.top, *placed.picture)
        # Whole source pixels all around, so that what is kept is not scaled anew.
        if Box(*crop)[2:] == on_picture[2:]:
            shown = source_part(used, Box(*crop), on_picture)
            trimmed = (
                Setting(("output", "framing"), {"crop": list(shown), "drawn_on": list(_drawn_on(framed))}),
                Setting(("output", "size", "width"), None),
                Setting(("output", "size", "height"), None),
                Setting(("output", "place"), [left + used.left, top + used.top]),
            )
            found.append(Remedy(f"trim to {used.width} × {used.height}", trimmed))
    if 2 * used.width * used.height > raster[0] * raster[1]:
        small = max(1, width // SMALL), max(1, height // SMALL)
        smaller = (
            Setting(("output", "size", "width"), small[0]),
            Setting(("output", "size", "height"), small[1]),
            Setting(("output", "place"), list(in_corner(raster, *small))),
        )
        found.append(Remedy(f"make it {small[0]} × {small[1]}, small in its corner", smaller))
    return found


def _drawn_on(framed: Framed) -> tuple[int, int]:
    return framed.prepared.size(1)


def _played(
    recipe: Recipe, frames: Sequence[SourceFrame], output: FramesOutput, stages: Stages
) -> tuple[Framed, PlayedFrames, Plan]:
    framed = Framed(frames, recipe.framing_of(output), output.size, stages, recipe.gather)
    gaps = [frame.missing_after for frame in frames]
    plan = plan_rhythm(recipe.gather, recipe.rhythm, gaps, output.take)
    return framed, PlayedFrames(framed, plan.shots, stages), plan
