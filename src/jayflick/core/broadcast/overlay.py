"""What an overlay takes in a switcher's memory: 4 bytes a pixel of every frame, whatever its files weigh."""

from dataclasses import dataclass

from ..framing.art_box import Box
from ..targets.catalogue import find
from ..targets.check import Verdict

PIXEL = 4
"""Bytes: red, green, blue and alpha."""


@dataclass(frozen=True)
class Memory:
    """What an overlay takes once it is loaded."""

    count: int
    box: Box
    """What any frame uses of the canvas; of no size if none does."""
    raster: tuple[int, int]
    """Width and height of the show."""

    @property
    def trimmed_bytes(self) -> int:
        """Of all frames, trimmed to the box."""
        return self.count * self.box.width * self.box.height * PIXEL

    @property
    def full_bytes(self) -> int:
        """Of as many frames of the whole raster: 1920 × 1080 × 4 are 8,294,400 bytes a frame."""
        return self.count * self.raster[0] * self.raster[1] * PIXEL

    @property
    def verdict(self) -> Verdict:
        """Whether there are too many frames, or too large ones, for an overlay."""
        rule = find("overlay").figures["frames"]
        if self.box.width > self.raster[0] or self.box.height > self.raster[1]:
            return "fail"
        if rule.stop is not None and not rule.stop.hold(self.count):
            return "fail"
        return "warn" if rule.warn is not None and not rule.warn.hold(self.count) else "pass"
