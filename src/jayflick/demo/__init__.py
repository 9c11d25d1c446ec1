"""The Saltmarsh Ferry: frames drawn by code, the same bytes at every run."""

from collections.abc import Callable
from dataclasses import dataclass
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..core.recipe import Alpha, Output, Recipe, Rhythm, Size, Tuning
from .lamp import draw_lamp
from .tern import draw_tern


@dataclass(frozen=True)
class DemoProject:
    """A sequence that is drawn when asked for, and the recipe it starts with."""

    title: str
    stem: str
    count: int
    draw: Callable[[int, int], NDArray[np.uint8]]
    """``draw(index, count)``: frame ``index`` of a loop of ``count``, shape (height, width, 3 or 4)."""
    recipe: Recipe

    def file_name(self, index: int) -> str:
        """Unpadded on purpose: order is by number."""
        return f"{self.stem}_{index + 1}.png"

    def png(self, index: int) -> bytes:
        """Frame ``index`` (from 0) as a PNG file."""
        out = BytesIO()
        Image.fromarray(self.draw(index, self.count)).save(out, "PNG", compress_level=6)
        return out.getvalue()


DEMO = (
    DemoProject(
        "Tern in flight",
        "tern",
        24,
        draw_tern,
        Recipe(
            rhythm=Rhythm(rate="24"),
            outputs=(
                Output(
                    file_name="tern.gif",
                    alpha=Alpha(edges="matte", matte="#a9c4d4"),
                    tuning=Tuning(colours=64, dither="none"),
                    budget=256 * 1024,
                ),
            ),
        ),
    ),
    DemoProject(
        "Dusk lamp",
        "dusk_lamp",
        48,
        draw_lamp,
        Recipe(
            rhythm=Rhythm(rate="20"),
            outputs=(
                Output(
                    file_name="dusk-lamp.gif",
                    size=Size(width=580),
                    tuning=Tuning(colours=128, dither="diffusion", amount=60, tolerance=8),
                    budget=2048 * 1024,
                ),
            ),
        ),
    ),
)
