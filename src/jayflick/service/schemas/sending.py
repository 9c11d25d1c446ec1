"""Documents of handing off and sending."""

from datetime import datetime
from typing import Literal

from pydantic import Field

from ...delivery.protocol import Kind, Status, Use
from .document import Document, Problem


class HandOffRequest(Document):
    outputs: list[str] = Field([], max_length=20, description="Their ids; none: all")
    to: Literal["download", "folder"] = "download"
    replace: bool = Field(False, description="Files of the same names that are in the folder")


class KeepRequest(Document):
    kept: bool


class KeptInfo(Document):
    """An output that is written into the hand-off folder whenever it is new and passes."""

    output_id: str
    problem: Problem | None = Field(description="Why the newest is not there")


class HandoffInfo(Document):
    """The last time an output was handed off."""

    output_id: str
    content: str = Field(description="That of the result it was; another means that it changed since")
    file_name: str
    place: Literal["download", "folder"]
    bytes: int
    sha256: str = Field(description="Of the file; of a set, of its zip")
    created: datetime


class HandoffDone(Document):
    folder: str | None = Field(description="The folder they were written into")
    handoffs: list[HandoffInfo]


class SendRequest(Document):
    """Where an output is to be sent."""

    output: str = Field(max_length=40)
    to: str = Field(max_length=200, description="The name of a stand-in, or an address")
    use: Use | None = Field(None, description="What it is for there; none: what its target says")
    memory: int | None = Field(None, ge=1, le=99, description="The numbered place there, if one is asked for")
    cut: int | None = Field(None, ge=1, description="Of a transition; none: where the check says")
    again: bool = Field(False, description="Even if the same files were taken there before")


class DeliveryInfo(Document):
    """What was sent, and what the place answered."""

    id: str
    output_id: str
    content: str = Field(description="That of the result it was; another means that it changed since")
    place: str = Field(description="The name of a stand-in; empty for an address")
    address: str
    memory: int | None
    state: Literal["sending", "taken", "changed", "refused", "failed", "cancelled"]
    stage: str = Field("", description="sending or converting, while it is under way")
    done: int = 0
    total: int = 0
    message: str = ""
    file: str | None = None
    remedy: str = ""
    remarks: list[str] = Field([])
    created: datetime
    ended: datetime | None


class StandInInfo(Document):
    """A simulated device or host that ships with the program."""

    name: Kind
    title: str
    url: str
    state: Literal["ready", "starting", "silent"]
    asked: datetime = Field(description="When its status was asked for")
    status: Status | None = Field(description="What it says of itself; none unless it is ready")
