"""One cut-out that moves over a backdrop: copies of it from a start to an end, each a frame."""

from collections.abc import Iterator
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..framing.resample import resample
from ..framing.weighted import straight, weighted
from ..recipe import Part
from .pieces import Piece, piece_of

Easing = Literal["even", "in", "out", "both"]


class Stand(Part):
    """Where and how a cut-out stands on the backdrop."""

    x: float = Field(ge=-65536, le=65536, description="Of its middle, in pixels from the left")
    y: float = Field(ge=-65536, le=65536, description="Of its middle, in pixels from the top")
    scale: float = Field(1.0, ge=0.01, le=10)
    turn: float = Field(0.0, ge=-3600, le=3600, description="In degrees, clockwise")
    opacity: float = Field(1.0, ge=0, le=1)


class Flight(Part):
    """From a start to an end, in so many frames."""

    count: int = Field(ge=2, le=600)
    start: Stand
    end: Stand
    easing: Easing = Field("even", description="Speeding up (in), slowing down (out), or both")

    def stands(self) -> list[Stand]:
        """Where it stands in each frame. Its scale grows by the same factor from one to the next."""
        one, other = self.start, self.end
        found = []
        for index in range(self.count):
            share = eased(index / (self.count - 1), self.easing)
            rest = 1 - share
            found.append(
                Stand(
                    x=one.x * rest + other.x * share,
                    y=one.y * rest + other.y * share,
                    scale=min(max(one.scale**rest * other.scale**share, 0.01), 10),
                    turn=one.turn * rest + other.turn * share,
                    opacity=min(max(one.opacity * rest + other.opacity * share, 0), 1),
                )
            )
        return found


def eased(share: float, easing: Easing) -> float:
    """How far it is after a share of the time, both 0 to 1."""
    if easing == "in":
        return share**2
    if easing == "out":
        return 1 - (1 - share) ** 2
    return share**2 * (3 - 2 * share) if easing == "both" else share


def laid(cut_out: NDArray[np.uint8], stand: Stand, backdrop: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A cut-out over a backdrop, both straight RGBA: Porter and Duff's "over" (1984), on sRGB levels."""
    height, width = cut_out.shape[:2]
    scale = stand.scale
    if scale < 1:  # made smaller first, so that no pixel is passed over
        wide, high = max(1, round(width * scale)), max(1, round(height * scale))
        cut_out, scale = resample(cut_out, wide, high, "area"), 1.0
        height, width = high, wide
    turn = np.radians(stand.turn)
    along, aside = scale * np.cos(turn), scale * np.sin(turn)
    middle = (width - 1) / 2, (height - 1) / 2
    across = stand.x - 0.5 - along * middle[0] + aside * middle[1]
    down = stand.y - 0.5 - aside * middle[0] - along * middle[1]
    matrix = np.array([[along, -aside, across], [aside, along, down]])
    size = backdrop.shape[1], backdrop.shape[0]
    # A clear pixel around it, so that its border fades as its edges do.
    framed = cv2.copyMakeBorder(weighted(cut_out), 1, 1, 1, 1, cv2.BORDER_CONSTANT)
    matrix[:, 2] -= matrix[:, 0] + matrix[:, 1]
    above = cv2.warpAffine(framed, matrix, size, flags=cv2.INTER_LINEAR) * np.float32(stand.opacity)
    return straight(above + weighted(backdrop) * (1 - above[:, :, 3:] / 255))


def flown(
    cut_out: NDArray[np.uint8], backdrop: NDArray[np.uint8], flight: Flight, name: str
) -> Iterator[Piece]:
    """The frames of a flight. ``backdrop``: also the size of the frames; clear where there is none."""
    for number, stand in enumerate(flight.stands(), 1):
        yield piece_of(f"{name}/flight {number:03}.png", laid(cut_out, stand, backdrop), "flight")
