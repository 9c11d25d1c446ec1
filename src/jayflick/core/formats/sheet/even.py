"""Even cells in lines, from left to right and top to bottom."""

from collections.abc import Iterable, Sequence
from itertools import chain
from typing import Literal

from .layout import Cell, Layout, Space

Columns = int | Literal["square", "longest"]


def even(
    rows: Sequence[int], cell: tuple[int, int], columns: Columns, space: Space, *, split: bool = False
) -> Layout:
    """Lay out cells of one size, row after row.

    ``rows``: how many pictures each row has; one with more than there are columns takes several lines.
    ``cell``: width and height in pixels. With ``split`` lines that do not fit begin another sheet.
    """
    across, down = _columns(rows, cell, columns, space, split), cell[1] + space.around
    lines = list(chain.from_iterable(_lines(count, across) for count in rows))
    each = max(1, (space.open // down if split else len(lines)))
    cells: list[Cell] = []
    off: set[int] = set()
    limit = space.most - space.margin
    for number, count in enumerate(lines):
        sheet, line = divmod(number, each)
        y = space.first + line * down
        for column in range(count):
            x = space.first + column * (cell[0] + space.around)
            if max(x + cell[0], y + cell[1]) + space.extrude > limit:
                off.add(len(cells))
            cells.append(Cell(sheet, x, y))
    widest = max(lines)
    sheets = [
        space.rounded(
            space.side(cell[0], max(lines[begin : begin + each])),
            space.side(cell[1], len(lines[begin : begin + each])),
        )
        for begin in range(0, len(lines), each)
    ]
    return Layout(tuple(sheets), tuple(cells), frozenset(off), tuple(lines), widest)


def _lines(count: int, across: int) -> list[int]:
    """How many cells of a row are in each of its lines."""
    full, rest = divmod(count, across)
    return [across] * full + ([rest] if rest else [])


def _columns(rows: Sequence[int], cell: tuple[int, int], columns: Columns, space: Space, split: bool) -> int:
    longest = max(rows)
    if isinstance(columns, int):
        return min(columns, longest)
    if columns == "longest":
        return longest
    fits = max(1, space.open // (cell[0] + space.around))
    if split and not any(_fitting(rows, cell, space, range(1, longest + 1))):
        return min(fits, longest)
    best = min(_fitting(rows, cell, space, range(1, longest + 1)), default=None)
    return best[-1] if best else min(fits, longest)


def _fitting(
    rows: Sequence[int], cell: tuple[int, int], space: Space, choices: Iterable[int]
) -> Iterable[tuple[int, int, int]]:
    """Of the numbers of columns those at which all fits, each behind its sheet's longer side and area."""
    single = len(rows) == 1
    for across in choices:
        count = -(-rows[0] // across) if single else sum(-(-row // across) for row in rows)
        width, height = space.side(cell[0], across), space.side(cell[1], count)
        if space.holds(width, height):
            sides = space.rounded(width, height)
            yield max(sides), sides[0] * sides[1], across
