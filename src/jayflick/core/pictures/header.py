"""What a picture file says of itself before it is decoded."""

from dataclasses import dataclass

from ..errors import InputError

MAX_PIXELS = 50_000_000
"""The most pixels one frame may have: about 8700 × 5800, 200 MB as RGBA."""


@dataclass(frozen=True)
class Header:
    """A picture's size, kind and what reading it will do."""

    width: int
    height: int
    """As it is shown: turned, and with square pixels."""
    label: str
    """For people: ``16-bit RGB``."""
    transparent: bool
    count: int = 1
    """How many pictures the file holds."""
    notes: tuple[str, ...] = ()
    """What reading changes, for people: ``16 bits a sample brought to 8``."""


def check_area(width: int, height: int, name: str) -> None:
    """Refuse a picture of no or too large an area, before any memory is spent on it."""
    if width < 1 or height < 1:
        raise InputError(
            "the file is damaged: its header makes no sense", file=name, remedy="render or copy the file again"
        )
    if width * height > MAX_PIXELS:
        raise InputError(
            f"{width} × {height} is more than the {MAX_PIXELS // 10**6} million pixels allowed",
            file=name,
            remedy="scale the frames down first",
        )
