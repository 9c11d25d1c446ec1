"""The dithers there are, by name."""

from typing import Literal

Dither = Literal["none", "diffusion", "ordered", "noise"]
Choice = Dither | Literal["auto"]
"""One of them, or what suits the pictures."""
Matrix = Literal[2, 4, 8]
"""The side of the square of an ordered dither."""
