"""How all frames lie on one picture, for games and effects."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ..text import CleanText
from .output import BaseOutput, Over
from .part import Part, Positions
from .target import Kind

WIDEST = 8192
Share = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]
Point = Annotated[
    tuple[Share, Share],
    Field(description="Across and down as shares of the canvas; outside of it where they are not from 0 to 1"),
]
Pixels = Literal["8888", "4444", "5551", "565", "256", "grey"]


class AnchorOfSome(Part):
    """An anchor point of a span, or of some frames."""

    span: str | None = Field(None, max_length=80)
    frames: Positions = Field(frozenset(), description="By position in the gathered order")
    at: Point

    @model_validator(mode="after")
    def _of_one_kind(self) -> Self:
        if (self.span is None) == (not self.frames):
            raise ValueError("an anchor of its own is that of a span or of frames")
        return self


class SheetOutput(BaseOutput):
    """All frames on one picture, or a few, with a description that says where each lies."""

    format: Literal["sheet"] = "sheet"
    picture: Literal["png", "webp"] = Field("png", description="WebP is lossless here")
    over: Over = None
    layout: Literal["even", "packed"] = Field(
        "even", description="Cells of one size in rows, or every frame trimmed by itself and packed"
    )
    cell: Literal["canvas", "used"] = Field(
        "canvas", description="Of even cells: the whole canvas, or what any frame uses of it"
    )
    columns: Annotated[int, Field(ge=1, le=20_000)] | Literal["square", "longest"] = Field(
        "square", description="Of even cells: so many, as makes the squarest sheet, or as the longest row has"
    )
    rows: Literal["wrap", "spans"] = Field(
        "wrap", description="Of even cells: one after the other, or a row for each span"
    )
    row_order: tuple[Annotated[str, Field(max_length=80)], ...] = Field(
        (),
        max_length=200,
        description="Spans whose rows come first, in this order; the others follow",
    )
    turn: bool = Field(False, description="Of packed ones: turn frames by 90° where that saves room")
    margin: int = Field(0, ge=0, le=256, description="Clear pixels along the sheet's sides")
    spacing: int = Field(0, ge=0, le=256, description="Clear pixels between two cells")
    extrude: int = Field(0, ge=0, le=64, description="How often a cell's edge pixels are repeated outwards")
    bleed: bool = Field(False, description="Spread the colours of the art under its clear pixels")
    sides: Literal["free", "pot", "square", "four"] = Field(
        "free", description="pot: powers of two; four: multiples of 4"
    )
    widest: int = Field(2048, ge=16, le=WIDEST, description="The longest side a sheet may have")
    split: bool = Field(False, description="Take as many sheets as are needed")
    pixels: Pixels = Field(
        "8888", description="Bits of red, green, blue and alpha; 256 colours with alpha; grey with alpha"
    )
    dither: Literal["none", "ordered", "diffusion"] = Field("none", description="Of pixels with fewer levels")
    mip_levels: bool = Field(False, description="Count the smaller copies that are kept beside a texture")
    smallest: bool = Field(False, description="Of PNG: try for long, by Zopfli")
    names: CleanText = Field(
        "{name}",
        min_length=1,
        max_length=100,
        description="Of the frames in the description: {name} is the frame's own, {span} its span's, "
        "# stands for the digits of its number there",
    )
    anchor: Point = (0.5, 0.5)
    anchors: tuple[AnchorOfSome, ...] = Field(
        (), max_length=200, description="Where frames have one of their own"
    )
    csv: bool = Field(False, description="The description as a table too")
    css: bool = Field(False, description="A style sheet that plays it too")

    @property
    def endings(self) -> tuple[str, ...]:
        return (f".{self.picture}",)

    @property
    def kind(self) -> Kind:
        return "sheet"

    @property
    def folder(self) -> bool:
        return True

    @property
    def lists(self) -> bool:
        return True

    def anchor_of(self, position: int, span: str | None) -> tuple[float, float]:
        """The anchor of a frame: its own, its span's, or that of all."""
        own = next((one.at for one in self.anchors if position in one.frames), None)
        of_span = next((one.at for one in self.anchors if span is not None and one.span == span), None)
        return own or of_span or self.anchor
