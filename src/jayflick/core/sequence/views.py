"""One picture that holds several views, cut into them; each becomes a frame."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from .pieces import Piece, piece_of

Order = Literal["rows", "columns"]


class Box(NamedTuple):
    left: int
    top: int
    width: int
    height: int


@dataclass(frozen=True)
class Grid:
    """Views that lie side by side."""

    across: int
    down: int
    gutter: int = 0
    """Pixels between two of them."""
    order: Order = "rows"
    """Row by row, or column by column."""

    @property
    def count(self) -> int:
        return self.across * self.down

    def boxes(self, width: int, height: int) -> list[Box]:
        """Where the views lie on a picture of this size, in their order; all are of one size.

        Pixels that do not divide are left over at the right and below. ``InputError`` when a view has no area.
        """
        wide = (width - self.gutter * (self.across - 1)) // self.across
        high = (height - self.gutter * (self.down - 1)) // self.down
        if wide < 1 or high < 1:
            raise InputError(
                f"{width} × {height} pixels do not hold {self.across} × {self.down} views"
                + (f" with {self.gutter} pixels between them" if self.gutter else ""),
                remedy="cut it into fewer, or with a smaller gutter",
            )
        places = [(x, y) for y in range(self.down) for x in range(self.across)]
        if self.order == "columns":
            places.sort()
        step = wide + self.gutter, high + self.gutter
        return [Box(x * step[0], y * step[1], wide, high) for x, y in places]

    def left_over(self, width: int, height: int) -> tuple[int, int]:
        """Pixels at the right and below that are in no view."""
        right = max(box.left + box.width for box in self.boxes(width, height))
        lower = max(box.top + box.height for box in self.boxes(width, height))
        return width - right, height - lower


def views_of(picture: NDArray[np.uint8], grid: Grid, name: str) -> Iterator[Piece]:
    """The views of a picture, straight RGBA, shape (height, width, 4), as frames of their own."""
    for number, box in enumerate(grid.boxes(picture.shape[1], picture.shape[0]), 1):
        left, top, width, height = box
        part = np.ascontiguousarray(picture[top : top + height, left : left + width])
        yield piece_of(f"{name}/view {number:02}.png", part, "view")
