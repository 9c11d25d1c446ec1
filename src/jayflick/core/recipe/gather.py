"""Which frames are used, and how what is wrong with them is made good."""

from typing import Literal

from pydantic import Field, field_validator

from ..pictures.header import MAX_PIXELS
from .part import Colour, Part, Positions, Side


class Gather(Part):
    """Which of the frames are used, and how what is wrong with the set is made good."""

    left_out: Positions = Field(
        frozenset(), description="Positions of frames that are not used; the others keep theirs"
    )
    folded: Positions = Field(
        frozenset(), description="Positions of frames that are not shown, their time going to the one before"
    )
    clear: Positions = Field(
        frozenset(),
        description="Positions of frames that are wholly clear. Elsewhere an alpha of 0 throughout is taken "
        "for unset, in files of kinds that may leave it so",
    )
    gaps: Literal["skip", "hold", "blend", "motion"] = Field(
        "skip",
        description="Missing numbers: played over, the frame before held as long as they would last, "
        "or in their stead blends of the frames around them, or what moves between the two",
    )
    sizes: Literal["same", "scale"] = Field(
        "same", description="Frames of another size than most: refused, or scaled to it"
    )
    size: tuple[Side, Side] | None = Field(
        None, description="Width and height that frames of another size are scaled to; otherwise those of most"
    )
    over: Colour | None = Field(
        None,
        description="The colour that is in the frames' soft edges and is taken out of them; black for frames "
        "whose colours were multiplied by their alpha",
    )

    @field_validator("size")
    @classmethod
    def _of_bounded_pixels(cls, size: tuple[int, int] | None) -> tuple[int, int] | None:
        if size is not None and size[0] * size[1] > MAX_PIXELS:
            raise ValueError(
                f"{size[0]} × {size[1]} is more than the {MAX_PIXELS // 10**6} million pixels allowed"
            )
        return size
