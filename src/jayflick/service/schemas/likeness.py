"""Documents of likeness: how like its frames an output is."""

from typing import Literal

from pydantic import Field

from .document import Document


class Figures(Document):
    """How like they are: of one picture, or of all together."""

    psnr: float | None = Field(description="In dB; none when nothing differs")
    ssim: float | None = Field(description="None for pictures of under 7 × 7 pixels")
    bands: float | None = Field(description="Steps in smooth areas that the frames have not, in levels")
    crawling: float | None = Field(description="The share of still pixels that change, 0 to 1")
    edges: float | None = Field(description="The error beside hard edges, in levels")
    hue: float = Field(description="Colours that are off as a whole, in units of CIEDE2000")


class StandsOut(Document):
    """What stands out most. Steps are those that are played, from 0."""

    blemish: Literal["bands", "crawling", "edges", "hue"]
    figure: float
    first: int
    last: int
    at: int = Field(description="The step in which it is worst")
    place: tuple[int, int] | None = Field(description="Left and top of where it is worst there, in pixels")


class SpentInfo(Document):
    """What a file's bytes are spent on."""

    palettes: int
    pictures: int
    rest: int


class SwatchInfo(Document):
    colour: str = Field(examples=["#e8a33d"])
    share: float = Field(description="Of all pixels that show a colour, 0 to 1")


class LikenessInfo(Document):
    """How like its frames an output's own file is, as it is decoded."""

    whole: Figures
    error: float = Field(description="What is lost as a whole: 1 - SSIM")
    steps: list[int] = Field(description="The played steps that were looked at, from 0")
    parts: list[Figures] = Field(description="Of each of them")
    stands_out: StandsOut | None = Field(description="None where nothing does")
    spent: SpentInfo | None = Field(description="None where it cannot be told what its pictures take")
