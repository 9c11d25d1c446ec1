"""The recipe: everything done to a project's untouched frames, as one typed document."""

from typing import Literal

from pydantic import Field, field_validator

from .framing import Alpha, Crop, Cropping, Framing, PictureSize, Size
from .gather import Gather
from .line_up import LineUp, Move
from .output import BaseOutput
from .outputs import (
    ApngOutput,
    AvifOutput,
    Backing,
    FramesOutput,
    GifOutput,
    Output,
    StillOutput,
    Tuning,
    VideoOutput,
    WebpOutput,
)
from .part import MAX_PLACES, MAX_SIDE, Colour, Flicks, Part, Rate
from .rhythm import MAX_SPANS, Between, Rhythm, Span, Take, span_name
from .sheet import AnchorOfSome, SheetOutput
from .target import Bounds, Figure, Kind, Preset, Rule, Target, bytes_target
from .tone import Match, Tone, ToneOfSome

__all__ = [
    "MAX_PLACES",
    "MAX_SIDE",
    "MAX_SPANS",
    "Alpha",
    "AnchorOfSome",
    "ApngOutput",
    "AvifOutput",
    "Backing",
    "BaseOutput",
    "Between",
    "Bounds",
    "Colour",
    "Crop",
    "Cropping",
    "Figure",
    "Flicks",
    "FramesOutput",
    "Framing",
    "Gather",
    "GifOutput",
    "Kind",
    "LineUp",
    "Match",
    "Move",
    "Output",
    "Part",
    "PictureSize",
    "Preset",
    "Rate",
    "Recipe",
    "Rhythm",
    "Rule",
    "SheetOutput",
    "Size",
    "Span",
    "StillOutput",
    "Take",
    "Target",
    "Tone",
    "ToneOfSome",
    "Tuning",
    "VideoOutput",
    "WebpOutput",
    "bytes_target",
    "span_name",
]

MOST_OUTPUTS = 20


class Recipe(Part):
    """The whole document. The same recipe and frames always give the same bytes."""

    version: Literal[1] = 1
    gather: Gather = Gather()
    rhythm: Rhythm = Rhythm()
    framing: Framing = Framing()
    outputs: tuple[Output, ...] = Field((GifOutput(),), min_length=1, max_length=MOST_OUTPUTS)

    @field_validator("outputs")
    @classmethod
    def _ids_differ(cls, value: tuple[Output, ...]) -> tuple[Output, ...]:
        if len({output.id for output in value}) < len(value):
            raise ValueError("two outputs have the same id")
        return value

    def output(self, output_id: str) -> Output:
        """The output with this id; ``KeyError`` if there is none."""
        for output in self.outputs:
            if output.id == output_id:
                return output
        raise KeyError(output_id)

    def framing_of(self, output: BaseOutput) -> Framing:
        """What is done to the pictures of an output: the same for all, but for a crop of its own."""
        framing = self.framing
        if framing.bleed and not output.holds_clear_colours:
            framing = framing.model_copy(update={"bleed": False})
        own = output.framing
        if own is None:
            return framing
        return framing.model_copy(update={"crop": own.crop, "drawn_on": own.drawn_on})
