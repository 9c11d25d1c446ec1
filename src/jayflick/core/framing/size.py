"""The size an output gets, and how the picture lies in it."""

from dataclasses import dataclass

from ..errors import InputError
from ..pictures.header import MAX_PIXELS
from ..recipe import MAX_SIDE, PictureSize, Size

PLACED = ("contain", "cover", "scale-down", "place")
"""Fits on a canvas that a picture may lie on anywhere."""


@dataclass(frozen=True)
class Placement:
    """A picture of ``picture`` pixels scaled to lie at ``left``, ``top`` on a canvas; it may reach outside."""

    canvas: tuple[int, int]
    picture: tuple[int, int]
    left: int
    top: int

    @property
    def covers(self) -> bool:
        """Whether the picture leaves none of the canvas free."""
        across = self.left <= 0 and self.left + self.picture[0] >= self.canvas[0]
        return across and self.top <= 0 and self.top + self.picture[1] >= self.canvas[1]


def _in_proportion(side: int, other: int, wanted: int) -> int:
    """``other`` × ``wanted`` / ``side``, rounded to the nearest pixel, at least one."""
    return max(1, (2 * other * wanted + side) // (2 * side))


def _inside(size: Size, width: int, height: int) -> tuple[int, int]:
    """The largest size in proportion that lies within the sides given, and is no larger than the picture."""
    across, down = min(size.width or width, width), min(size.height or height, height)
    if across * height <= down * width:
        return across, min(_in_proportion(width, height, across), down)
    return min(_in_proportion(height, width, down), across), down


def place(size: Size, width: int, height: int) -> Placement:
    """Place a picture of ``width`` × ``height``; 688 × 416 at 580 wide is 351 high."""
    wanted_width, wanted_height = size.width, size.height
    if size.fit == "inside":
        wanted_width, wanted_height = _inside(size, width, height)
    elif wanted_width is None and wanted_height is None:
        wanted_width, wanted_height = width, height
    elif wanted_height is None and wanted_width is not None:
        wanted_height = _in_proportion(width, height, wanted_width)
    elif wanted_width is None and wanted_height is not None:
        wanted_width = _in_proportion(height, width, wanted_height)
    if wanted_width is None or wanted_height is None or max(wanted_width, wanted_height) > MAX_SIDE:
        raise InputError(
            f"the output would be {wanted_width} × {wanted_height}; {MAX_SIDE} is the longest side",
            remedy="use a smaller width or height",
        )
    canvas = (wanted_width, wanted_height)
    picture = canvas
    if size.width is not None and size.height is not None and size.fit in ("contain", "cover", "scale-down"):
        across = (wanted_width, _in_proportion(width, height, wanted_width))
        along = (_in_proportion(height, width, wanted_height), wanted_height)
        wide = width * wanted_height > height * wanted_width
        picture = across if wide == (size.fit != "cover") else along
        if size.fit == "scale-down" and width <= wanted_width and height <= wanted_height:
            picture = width, height
    if size.fit == "place" and size.width is not None and size.height is not None:
        picture = _on_canvas(size.picture, width, height)
    if picture[0] * picture[1] > MAX_PIXELS:
        raise InputError(
            f"the picture would be {picture[0]} × {picture[1]} on its canvas; {MAX_PIXELS // 10**6} million "
            "pixels are the most",
            remedy="make it smaller there",
        )
    placed = size.width is not None and size.height is not None and size.fit in PLACED
    return Placement(canvas, picture, *(_at(size.at, canvas, picture) if placed else (0, 0)))


def enlarged_by(size: Size, width: int, height: int) -> float | None:
    """By how much a picture of ``width`` × ``height`` is enlarged, 1.5 by half; ``None`` if it is not."""
    across, down = place(size, width, height).picture
    by = max(across / width, down / height)
    return by if by > 1 else None


def _on_canvas(wanted: PictureSize | None, width: int, height: int) -> tuple[int, int]:
    """How large a picture of ``width`` × ``height`` lies on its canvas."""
    if wanted is None:
        return width, height
    if wanted.percent is not None:
        thousandths = round(wanted.percent * 1000)
        return _in_proportion(100_000, width, thousandths), _in_proportion(100_000, height, thousandths)
    if wanted.height is None:
        across = wanted.width or width
        return across, _in_proportion(width, height, across)
    return wanted.width or _in_proportion(height, width, wanted.height), wanted.height


def _at(at: str | tuple[int, int], canvas: tuple[int, int], picture: tuple[int, int]) -> tuple[int, int]:
    """Left and top of a picture on its canvas; of a larger one the point that is named is what is seen."""
    if isinstance(at, tuple):
        return at
    across, down = canvas[0] - picture[0], canvas[1] - picture[1]
    left = 0 if "left" in at else across if "right" in at else across // 2
    top = 0 if "top" in at else down if "bottom" in at else down // 2
    return left, top
