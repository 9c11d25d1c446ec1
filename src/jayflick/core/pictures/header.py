"""What a picture file says of itself before it is decoded."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from ..errors import InputError

MAX_PIXELS = 50_000_000
"""The most pixels a picture may have that is read at all: about 8700 × 5800, 200 MB as RGBA."""
MOST_FRAME_PIXELS = 32_000_000
"""The most pixels of a frame that is brought in: of every kind, so many are read within the memory for it."""
_BAND = 1 << 20


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

    @property
    def sets_alpha(self) -> bool:
        """Whether it is a TGA with an alpha channel, which others may leave unset."""
        return "TGA" in self.label and self.label.endswith("with alpha")


def bands(samples: NDArray[Any]) -> Iterator[slice]:
    """A picture's rows a few at a time, so that wide numbers are needed for few pixels at once."""
    height = max(1, _BAND // max(1, samples.shape[1]))
    return (slice(begin, begin + height) for begin in range(0, samples.shape[0], height))


def check_area(width: int, height: int, name: str, most: int = MAX_PIXELS) -> None:
    """Refuse a picture of no or too large an area, before any memory is spent on it."""
    if width < 1 or height < 1:
        raise InputError(
            "the file is damaged: its header makes no sense", file=name, remedy="render or copy the file again"
        )
    if width * height > most:
        raise InputError(
            f"{width} × {height} is more than the {MOST_FRAME_PIXELS // 10**6} million pixels allowed",
            file=name,
            remedy="scale the frames down first",
        )
