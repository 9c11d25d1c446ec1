"""What a destination takes: limits that a file is checked against, as data."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ..text import CleanText
from .part import MAX_SIDE, Part, Rate

Kind = Literal[
    "gif",
    "apng",
    "webp",
    "avif",
    "mp4",
    "webm",
    "mov",
    "png-frames",
    "tga-frames",
    "bmp-frames",
    "jpeg-frames",
    "still",
    "sheet",
]
"""What leaves a project, as destinations tell files apart."""
Figure = Literal[
    "bytes",
    "width",
    "height",
    "longest_side",
    "pixels",
    "frames",
    "duration_ms",
    "fps",
    "shortest_delay_ms",
    "frame_bytes",
]
"""What is measured of a file and can have a limit. ``pixels``: of one frame; ``fps``: of its shortest delay;
``frame_bytes``: of a frame uncompressed, 4 bytes a pixel."""

_Number = Annotated[float, Field(ge=0, le=1e12, allow_inf_nan=False)]
Text = Annotated[CleanText, Field(max_length=400)]


class Bounds(Part):
    """The figures allowed: from least to most, each of which may be open."""

    least: _Number | None = None
    most: _Number | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.least is not None and self.most is not None and self.least > self.most:
            raise ValueError(f"the least, {self.least:g}, is more than the most, {self.most:g}")
        return self

    def hold(self, figure: float) -> bool:
        """Whether a figure is allowed."""
        return (self.least is None or figure >= self.least) and (self.most is None or figure <= self.most)


class Rule(Part):
    """The limits of one figure: outside ``warn`` it asks for a look, outside ``stop`` the file is refused."""

    warn: Bounds | None = None
    stop: Bounds | None = None
    source: Text = Field("", description="Where the figures come from")


class Preset(Part):
    """What choosing a target sets; the rest stays as it is."""

    width: int | None = Field(None, ge=1, le=MAX_SIDE)
    height: int | None = Field(None, ge=1, le=MAX_SIDE)
    fit: Literal["contain", "cover", "stretch", "scale-down", "inside"] | None = None
    rate: Rate | None = None
    repeat: int | None = Field(None, ge=0, le=65536, description="How often it plays; 0 for ever")
    over_page: bool = Field(False, description="Soft edges lie over the page colour")


class Target(Part):
    """A destination. With no limit at all everything passes."""

    name: str = Field("", pattern=r"^[a-z0-9-]{0,40}$", description="Empty: limits set by hand for one output")
    title: Annotated[CleanText, Field(max_length=80)] = ""
    about: Text = ""
    formats: tuple[Kind, ...] = Field((), description="What it takes; none named: anything")
    sizes: tuple[tuple[int, int], ...] = Field((), max_length=20, description="Width and height, one of these")
    figures: dict[Figure, Rule] = Field(default_factory=dict)
    alpha: Literal["any", "wanted", "none"] = "any"
    repeat: int | None = Field(None, ge=0, le=65536, description="How often it must play; 0 for ever")
    on_raster: bool = Field(False, description="It is placed on the raster of a show, and trimmed there")
    cover: bool = Field(False, description="A frame has to hide all of the picture: the sources are cut there")
    plain_name: bool = Field(False, description="File names of a to z, digits, - and _ only")
    preset: Preset = Preset()

    @property
    def most_bytes(self) -> int | None:
        """The most bytes a file may have, if there is a limit."""
        rule = self.figures.get("bytes")
        most = rule.stop.most if rule and rule.stop else None
        return None if most is None else int(most)


def bytes_target(most: int) -> Target:
    """A limit of bytes set by hand."""
    return Target(figures={"bytes": Rule(stop=Bounds(most=most))})
