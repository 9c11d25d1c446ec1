"""What would make all pictures fit, each worked out before it is offered."""

import math
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from ...framing.art_box import Box
from ...framing.frames import PlayedFrames
from ...framing.size import PLACED
from ...recipe import SheetOutput, Size
from ...recipe.sheet import WIDEST
from ...stages import Stages
from ...targets.check import Remedy, Setting, scaled_on_canvas
from ...timing.listed import Listed
from .items import Items, Used, covered, lay_out, used_if_known
from .layout import Space
from .packed import fits

_SPREAD = 3
"""By how many pixels a Lanczos filter spreads art beyond where it was, scaled."""


@dataclass(frozen=True)
class Scaled:
    """A size at which all fit."""

    width: int
    height: int
    scale: Fraction
    source: tuple[int, int]
    """Width and height of what is shown of the sources."""

    def change_of(self, size: Size) -> dict[str, Any]:
        """What of an output's size changes: proportions, and how the picture lies on its canvas, are kept."""
        sides = {"width": self.width, "height": self.height}
        if size.width is not None and size.height is not None and size.fit in PLACED:
            return sides | scaled_on_canvas(size, self.scale, self.source)
        return sides | {"fit": "stretch"}  # the picture itself, to the nearest pixel

    @property
    def words(self) -> str:
        return f"{float(self.scale):.3f} ({self.width} × {self.height})"


def largest_scale(
    items: Items,
    canvas: tuple[int, int],
    source: tuple[int, int],
    output: SheetOutput,
    used: Used | None,
) -> Scaled | None:
    """The largest size, of at most the one at hand, at which all pictures fit; ``None`` if there is none.

    A scale makes a canvas of whole pixels, its sides rounded down; so only those scales count at which a side
    becomes a whole number, and of these the largest is found by halving. 180 frames of 480 × 270 in even cells
    fit a side of 2048 at 0.421: 10 × 202 across, 18 × 113 down.
    """
    width, height = canvas
    steps = {Fraction(x, width) for x in range(1, width + 1)} | {
        Fraction(y, height) for y in range(1, height + 1)
    }
    scales = sorted(scale for scale in steps if scale * min(width, height) >= 1)
    low, high = 0, len(scales)  # those before low fit, those from high on do not
    while low < high:
        middle = (low + high) // 2
        if _fits_at(scales[middle], items, canvas, output, used):
            low = middle + 1
        else:
            high = middle
    if low == 0:
        return None
    scale = scales[low - 1]
    return Scaled(math.floor(width * scale), math.floor(height * scale), scale, source)


def _fits_at(
    scale: Fraction, items: Items, canvas: tuple[int, int], output: SheetOutput, used: Used | None
) -> bool:
    to = math.floor(canvas[0] * scale), math.floor(canvas[1] * scale)
    if used is not None:
        # Art that is not much smaller may be scaled by a filter that spreads it.
        sharp = {"lanczos": True, "auto": 2 * to[0] > canvas[0]}.get(output.size.resample, False)
        boxes = tuple(_scaled(box, canvas, to, _SPREAD if sharp else 0) for box in used.boxes)
        used = replace(used, boxes=boxes)
    if output.layout == "packed":
        assert used is not None
        sizes = dict(zip(used.contents, ((max(b.width, 1), max(b.height, 1)) for b in used.boxes), strict=True))
        return fits(list(sizes.values()), Space.of(output), turning=output.turn)
    return not lay_out(items, to, output, used).layout.off


def _scaled(box: Box, canvas: tuple[int, int], to: tuple[int, int], reach: int) -> Box:
    """Where a box lies on a smaller canvas, with all pixels that it touches there."""
    if not box.width:
        return box
    ends = []
    for begin, length, side, new in zip(box[:2], box[2:], canvas, to, strict=True):
        first = max(0, begin * new // side - reach)
        ends.append((first, min(new, -(-(begin + length) * new // side) + reach) - first))
    (left, width), (top, height) = ends
    return Box(left, top, width, height)


def remedies(
    frames: PlayedFrames,
    output: SheetOutput,
    listed: Listed,
    used: Used | None,
    scaled: Scaled | None,
    stages: Stages,
) -> list[Remedy]:
    """Changes that make all pictures fit, each a single one of this output alone."""
    items = Items.of(frames.names, output, listed)
    canvas = frames.canvas
    found: list[Remedy] = []

    def fitting(other: SheetOutput, some: Items = items, seen: Used | None = used) -> bool:
        return not lay_out(some, canvas, other, seen).layout.off

    if output.layout == "even":  # what changes no pixel comes first
        rows = {"columns": "square"}, {"rows": "wrap", "columns": "square"}
        for words, change in zip(("choose the columns that fit", "let the rows wrap"), rows, strict=True):
            other = output.model_copy(update=change)
            if other != output and fitting(other, Items.of(frames.names, other, listed)):
                settings = tuple(Setting(("output", key), value) for key, value in change.items())
                found.append(Remedy(words, settings))
                break
    if scaled is not None:
        sized = scaled.change_of(output.size)
        settings = tuple(Setting(("output", "size", key), value) for key, value in sized.items())
        found.append(Remedy(f"scale to {scaled.words}", settings))
    several = lay_out(items, canvas, output.model_copy(update={"split": True}), used).layout
    if not several.off and not output.split:
        words = f"take {len(several.sheets)} sheets"
        found.append(Remedy(words, (Setting(("output", "split"), True),)))
    for side in (512, 1024, 2048, 4096, WIDEST):
        if side > output.widest and fitting(output.model_copy(update={"widest": side})):
            found.append(Remedy(f"allow {side} a side", (Setting(("output", "widest"), side),)))
            break
    known = used or used_if_known(frames, items, output, stages)
    if output.layout == "even" and not covered(frames, output):
        trims = [("trim to what is used", {"cell": "used"})] if output.cell == "canvas" else []
        trims.append(("trim each frame and pack them", {"layout": "packed"}))
        for words, change in trims:
            # Where nothing is known of the art yet it is offered all the same: it may well help.
            if known is None or (known.union.width and fitting(output.model_copy(update=change), seen=known)):
                settings = tuple(Setting(("output", key), value) for key, value in change.items())
                found.append(Remedy(words, settings))
                break
    return found
