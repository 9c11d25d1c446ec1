"""What outputs of all formats have."""

from typing import Annotated, Self

from pydantic import Field, model_validator

from ..text import CleanText
from .framing import Cropping, Size
from .part import Colour, Part
from .rhythm import Take
from .target import Kind, Target

Percent = Annotated[int, Field(ge=0, le=100)]
Over = Annotated[Colour | None, Field(description="A colour laid under the art; otherwise its alpha is kept")]


class BaseOutput(Part):
    """What outputs of all formats have."""

    format: str
    id: str = Field("page", pattern=r"^[a-z0-9-]{1,40}$")
    name: CleanText = Field("Page loop", min_length=1, max_length=80)
    file_name: CleanText = Field("loop", min_length=1, max_length=120, pattern=r"^[^/\\\x00-\x1f\x7f]+$")
    take: Take = Take()
    framing: Cropping | None = Field(
        None, description="A crop of its own, instead of the one that all outputs share"
    )
    size: Size = Size()
    target: Target | None = Field(None, description="Where it goes, and what that takes")

    @property
    def endings(self) -> tuple[str, ...]:
        """What its file name may end in; the first is the usual one."""
        raise NotImplementedError

    @property
    def kind(self) -> Kind:
        """What destinations know it as."""
        raise NotImplementedError

    @property
    def only(self) -> int | None:
        """Which of the frames it would play is all it shows, from 1."""
        return None

    @property
    def folder(self) -> bool:
        """Whether it is a folder of files, and no single one."""
        return False

    @property
    def lists(self) -> bool:
        """Whether its files say what frames and spans are called."""
        return False

    @property
    def holds_clear_colours(self) -> bool:
        """Whether its files say what colour a clear pixel has."""
        return getattr(self, "over", None) is None

    @model_validator(mode="after")
    def _named_as_it_is(self) -> Self:
        if not self.file_name.lower().endswith(self.endings) or self.file_name.lower() in self.endings:
            raise ValueError(f"the file name {self.file_name} does not end in {' or '.join(self.endings)}")
        return self
