"""Documents of plans: what an output would play, and how it would lie on sheets."""

from pydantic import Field

from ...core.carried import Settings
from ...core.recipe import Recipe
from .checks import RemedyInfo
from .document import Document


class PlanRequest(Document):
    """A recipe that need not be the project's own."""

    recipe: Recipe
    output_id: str = "page"


class SettingsRequest(Document):
    """Settings of another project, or of a recipe that was kept as a file."""

    project_id: str | None = Field(None, description="The other project; otherwise the recipe counts")
    recipe: Recipe | None = None
    settings: set[Settings] = Field(min_length=1)


class SettingsInfo(Document):
    """What a project's recipe would be with them."""

    recipe: Recipe
    notes: list[str] = Field(description="What is not taken, or is cut short, and why")


class ProjectNotes(Document):
    """What a project would not take of some settings, or cut short, and why."""

    notes: list[str]


class SheetRow(Document):
    """A row of even cells."""

    name: str | None = Field(description="Its span")
    count: int


class SheetInfo(Document):
    """Where an output's pictures would lie on its sheets. Lists of pictures are in the order of its rows."""

    measured: bool = Field(description="False: not known before pixels are looked at; then there are no cells")
    most: int = Field(description="The longest side that its sheets can have")
    sheets: list[tuple[int, int]] = Field([])
    cells: list[tuple[int, int, int, int]] = Field([], description="Sheet from 0, x, y, and 1 if turned")
    boxes: list[tuple[int, int, int, int]] = Field(
        [], description="What of its canvas lies there: left, top, width, height"
    )
    positions: list[int] = Field([], description="The gathered frame that each picture shows")
    of_step: list[int] = Field([], description="Which picture each played step shows")
    off: list[int] = Field([], description="The pictures that run off")
    rows: list[SheetRow] = Field([])
    columns: int = 0
    empty: int = Field(0, description="Cells without a picture")
    canvas: tuple[int, int] = (0, 0)
    crop: tuple[int, int, int, int] = Field((0, 0, 0, 0), description="What of a frame is shown")
    placed: tuple[int, int, int, int] = Field((0, 0, 0, 0), description="Where on the canvas that lies")
    texture_bytes: int = Field(0, description="Memory once loaded")
    unused: float = Field(0, description="Share of the sheets that no picture lies on")
    remedies: list[RemedyInfo] = Field([])


class HeldInfo(Document):
    """The durations as a format holds them."""

    format: str = Field(examples=["GIF"])
    unit: str = Field(description="A part of a second", examples=["1/100"])
    units: list[int] = Field(description="How many of them each frame lasts")
    duration_ms: float


class PlanInfo(Document):
    """What an output would play."""

    shots: list[str]
    positions: list[int]
    places: list[int]
    durations: list[int] = Field(description="In 1/705,600,000 s")
    dropped: list[int] = Field(description="Places not seen at the output's own rate")
    duration_ms: float
    formats: list[HeldInfo]


class ClosingInfo(Document):
    """A range and how it closes."""

    first: int = Field(description="Place in the order, from 1")
    last: int
    count: int
    step: float = Field(description="From the last frame to the first, in levels")
    jump: float = Field(description="How far from seamless, in usual steps")


class SeamInfo(Document):
    """How the loop closes."""

    places: list[int] = Field(description="The frames that were judged")
    steps: list[float] = Field(description="From each to the next, and from the last to the first, in levels")
    usual: float
    whole: ClosingInfo
    best: list[ClosingInfo] = Field(description="The ranges that close best, the best first")
