"""Documents of checks: files against their targets, and what would help."""

from typing import Annotated, Any, Literal

from pydantic import Field

from ...core.recipe import Target
from ...core.text import CleanText
from .document import Document


class SettingInfo(Document):
    path: list[str] = Field(description="``output`` or ``rhythm``, then keys of the recipe")
    value: Any


class RemedyInfo(Document):
    """A change that would help, made by one edit."""

    text: str = Field(examples=["scale to 600 × 338"])
    settings: list[SettingInfo]


class CheckedRule(Document):
    """How a file stands against one rule of its target."""

    rule: str = Field(examples=["Width"])
    measured: str
    allowed: str
    verdict: Literal["pass", "warn", "fail"]
    source: str = Field(description="Where the figure comes from")
    remedy: RemedyInfo | None
    help: str = Field(description="What would help, where no single change does")


class CheckInfo(Document):
    """A result against what its target takes."""

    result_id: int
    target: str = Field(description="Its name; empty for limits set by hand")
    title: str
    verdict: Literal["pass", "warn", "fail"]
    rules: list[CheckedRule]
    cut: int | None = Field(
        None, description="Where a transition is best cut, from 1, if it covers the picture"
    )


class BroadcastInfo(Document):
    """What a live show needs to know of a numbered set, and what would help."""

    raster: tuple[int, int]
    cut: int | None = Field(description="Where a transition is best cut, from 1; none if it never covers")
    place: tuple[int, int] = Field(description="Left and top of its pictures on the raster")
    used: tuple[int, int, int, int] = Field(description="What of its pictures any of them uses")
    trimmed_bytes: int = Field(description="In a device's memory, what is clear thrown away")
    full_bytes: int = Field(description="As many frames of the whole raster")
    action_safe: tuple[int, int, int, int] = Field(description="EBU R 95: left, top, width, height")
    graphics_safe: tuple[int, int, int, int] = Field(description="EBU R 95")
    remedies: list[RemedyInfo]


class TargetInfo(Document):
    target: Target
    own: bool = Field(description="It was made here, and does not ship")


class NewTarget(Document):
    """A target's document, as text, so that what is wrong in it can be said by its line."""

    document: str = Field(max_length=100_000)
    file: Annotated[CleanText, Field(max_length=200)] = "target.json"
