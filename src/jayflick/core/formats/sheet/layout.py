"""Where pictures lie on sheets, and the room around them."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from ...recipe import SheetOutput


class Cell(NamedTuple):
    """Where a picture lies: the corner of its own pixels, without repeated edges."""

    sheet: int
    """Counted from 0."""
    x: int
    y: int
    turned: bool = False
    """By 90° clockwise: on the sheet it is as wide as the picture is high."""


@dataclass(frozen=True)
class Space:
    """The room around cells, and what a sheet's sides may be. All in pixels."""

    margin: int = 0
    spacing: int = 0
    extrude: int = 0
    sides: str = "free"
    widest: int = 2048

    @classmethod
    def of(cls, output: SheetOutput) -> "Space":
        return cls(output.margin, output.spacing, output.extrude, output.sides, output.widest)

    @property
    def most(self) -> int:
        """The longest side that a sheet can have: what is allowed of ``widest``."""
        if self.sides == "pot":
            return 1 << (self.widest.bit_length() - 1)
        return self.widest // 4 * 4 if self.sides == "four" else self.widest

    @property
    def around(self) -> int:
        """By how much a cell with its repeated edges and the gap after it is larger than its picture."""
        return 2 * self.extrude + self.spacing

    @property
    def open(self) -> int:
        """A sheet's side but for its margins, with the gap that the last cell has no need of."""
        return self.most - 2 * self.margin + self.spacing

    @property
    def first(self) -> int:
        """Where the first picture begins, across and down."""
        return self.margin + self.extrude

    def side(self, length: int, count: int) -> int:
        """The side of a sheet with so many cells of this length, before it is rounded."""
        return 2 * self.margin + count * (length + self.around) - self.spacing

    def rounded(self, width: int, height: int) -> tuple[int, int]:
        """The sides of a sheet that holds so much."""
        if self.sides == "pot":
            return 1 << (width - 1).bit_length(), 1 << (height - 1).bit_length()
        if self.sides == "four":
            return (width + 3) // 4 * 4, (height + 3) // 4 * 4
        if self.sides == "square":
            return max(width, height), max(width, height)
        return width, height

    def holds(self, width: int, height: int) -> bool:
        """Whether a sheet of these sides, once rounded, is no longer than allowed."""
        return max(self.rounded(width, height)) <= self.widest


@dataclass(frozen=True)
class Layout:
    """All pictures on their sheets. Where some do not fit they lie outside of the first sheet."""

    sheets: tuple[tuple[int, int], ...]
    """Width and height of each. Larger than allowed where pictures run off it."""
    cells: tuple[Cell, ...]
    """One for each picture."""
    off: frozenset[int] = frozenset()
    """The pictures that run off."""
    lines: tuple[int, ...] = field(default=())
    """Of even cells: how many there are in each line of cells, from the top of the first sheet."""
    columns: int = 0
    """Of even cells: how many lie in a line, empty ones too."""

    @property
    def empty(self) -> int:
        """How many of the even cells are empty."""
        return self.columns * len(self.lines) - sum(self.lines)

    def unused(self, sizes: Sequence[tuple[int, int]]) -> float:
        """The share of the sheets that no picture lies on, from 0 to 1. ``sizes``: of the pictures."""
        area = sum(width * height for width, height in self.sheets)
        return 1 - sum(width * height for width, height in sizes) / area if area else 0.0
