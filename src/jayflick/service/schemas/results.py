"""Documents of results: what was made."""

from datetime import datetime
from typing import Literal

from pydantic import Field

from ...core.dither.kinds import Dither
from .document import Document


class OutputInfo(Document):
    """What was measured on an output's bytes."""

    format: Literal["gif", "apng", "webp", "avif", "video", "frames", "still", "sheet"]
    width: int
    height: int
    count: int = Field(description="Pictures in the file, or files of a set")
    repeat: int = Field(description="0 for ever, 1 once")
    duration_ms: float
    bytes: int
    colours: int | None = Field(description="Where they are counted")
    transparent: bool
    dither: Dither | None = Field(None, description="Of a GIF: by what its colours are dithered")
    sheets: list[tuple[int, int]] | None = Field(None, description="Width and height of each sheet")
    picture_bytes: int | None = Field(None, description="Of sheets, without what describes them")
    opaque: list[float] | None = Field(
        None, description="Of a numbered set: the share of each picture that is fully opaque"
    )
    used: tuple[int, int, int, int] | None = Field(
        None, description="Of a numbered set: left, top, width and height of what any picture uses"
    )
    source_size: tuple[int, int] | None = Field(
        None, description="Width and height of what is shown of the sources, before it is scaled"
    )
    enlarged: float | None = Field(
        None, description="By how much that was enlarged, if pixels were mixed for it", examples=[1.5]
    )


class ResultInfo(Document):
    """A real, finished output."""

    id: int
    output_id: str
    revision_id: int
    key: str = Field(description="Names its file for caches: what is fetched with it never changes")
    pixels: str = Field(
        description="Equal for two results whose pictures are the same and only the time differs"
    )
    created: datetime
    info: OutputInfo
    delays: list[float] = Field(description="Of each played frame, in ms")
    costs: list[int] = Field(description="Bytes of each in the file; empty where that cannot be told")
    at: list[int] = Field(description="Which picture of the file each shows, from 0")
    positions: list[int] = Field(description="The source frame that each shows, or shows most of; 0: empty")
    blends: dict[int, str] = Field(
        description="What is shown by those that show no single frame, counted from 0",
        examples=[{"2": "2x128+3x128"}],
    )
    places: list[int] = Field(description="Where in the order each stands, from 1")
    dropped: list[int] = Field(description="Places not seen at the output's own rate")
    scale: float = Field(description="What speed or length made of every delay")
    durations: list[int] = Field(description="The wished duration of each, in 1/705,600,000 s")
    content: str = Field("", description="Equal for two results whose files are the same but for their names")
    sources: str = Field(
        "", description="Equal for two results whose steps show the same pictures before colours are chosen"
    )
    scaled_by: Literal["area", "lanczos", "nearest"] | None = Field(
        None, description="The filter its pictures were scaled by, if they were"
    )
    notes: list[str]
    seconds: dict[str, float]
