"""What a place that takes files answers over HTTP: the documents of its requests and answers, all JSON.

POST   /api/intakes                    an Offer; answers an Intake. The same key again answers the same one.
PUT    /api/intakes/{id}/files/{name}  one file's bytes; again is the same as once
POST   /api/intakes/{id}/finish        all files are there; answers an Intake, which goes on by itself
GET    /api/intakes/{id}               how far it is, and in the end what became of it
DELETE /api/intakes/{id}               call it off; nothing of it stays
GET    /api/status                     a Status, which tells what is still there
any refusal                            a 4xx status and a Problem
"""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from ..core.text import clean

MOST_FILES = 4000
Name = Annotated[str, Field(min_length=1, max_length=200, pattern=r"^[^/\\.\x00-\x1f][^/\\\x00-\x1f]*$")]
Key = Annotated[str, Field(min_length=8, max_length=80, pattern=r"^[A-Za-z0-9-]+$")]
Kind = Literal["switcher", "graphics", "post", "effects"]
"""The stand-ins, as the command line calls them."""
Use = Literal["transition", "overlay", "source", "animation", "effect", "post"]
"""What the files are for, where a device does more than one thing with them."""


MOST_SAID = 500


def _cleaned(value: Any) -> Any:
    """What somebody else says, without what cannot be seen or turns text round; not too long to be shown."""
    if not isinstance(value, str):
        return value
    said = " ".join(clean(value.replace("\n", " ").replace("\t", " ")).split())
    return said if len(said) <= MOST_SAID else said[: MOST_SAID - 1] + "…"


Said = Annotated[str, BeforeValidator(_cleaned)]
Number = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,64}$")]


class Document(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class OfferedFile(Document):
    name: Name
    bytes: int = Field(ge=0)


class Offer(Document):
    """What somebody wants to bring."""

    key: Key = Field(description="The sender's own name of this delivery: offered twice, it is taken once")
    title: str = Field("", max_length=200)
    files: tuple[OfferedFile, ...] = Field(min_length=1, max_length=MOST_FILES)
    first: Name | None = Field(None, description="The first file of a numbered set; none: the files as listed")
    size: tuple[int, int] | None = Field(None, description="Width and height of every picture of a set")
    use: Use | None = None
    place: int | None = Field(
        None, ge=1, le=99, description="A numbered place to keep it in: a memory, a source"
    )
    rate: float | None = Field(None, gt=0, le=1000, description="Frames per second that it is meant to play at")
    repeat: int = Field(0, ge=0, le=65535, description="How often it plays; 0: for ever")
    at: tuple[int, int] | None = Field(None, description="Left and top on the raster; none: the corner")
    cut: int | None = Field(None, ge=1, description="The frame of a transition at which the sources are cut")


class Problem(Document):
    """Why something is refused, and what would help."""

    message: Said
    file: Said | None = None
    remedy: Said = ""


class Answer(Document):
    """What became of a delivery."""

    verdict: Literal["taken", "changed", "refused"]
    message: Said
    file: Said | None = None
    remedy: Said = ""
    remarks: tuple[Said, ...] = Field((), max_length=20, description="What was changed, or is worth knowing")


State = Literal["receiving", "waiting", "converting", "taken", "refused", "cancelled"]


class Intake(Document):
    """A delivery as it comes in."""

    id: Number
    state: State
    received: tuple[str, ...] = Field(
        (), max_length=MOST_FILES, description="Names of the files that are there"
    )
    done: int = Field(0, ge=0, le=1 << 31)
    total: int = Field(0, ge=0, le=1 << 31)
    answer: Answer | None = None

    @property
    def ended(self) -> bool:
        return self.state in ("taken", "refused", "cancelled")


class Place(Document):
    """A numbered place that holds one thing."""

    number: int
    title: Said = Field(description="What lies there; empty if nothing does")
    note: Said = ""


class Status(Document):
    """What answers here, and what it asks for."""

    kind: Said = Field(description="A Kind, or something else that takes files")
    title: Said
    note: Said
    uses: tuple[Use, ...] = ()
    places: tuple[Place, ...] = Field(
        (), max_length=99, description="Of these one must be chosen, where there are any"
    )
    holds: tuple[str, ...] = Field((), description="Keys of the deliveries that are still there")
    busy: bool = False
