"""Documents of tables of many projects, and of what is asked for of many at once."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from ...core.adjusted import Setting
from ...core.text import CleanText
from ...core.tuning.budget import May
from .document import Document, Problem
from .plans import SettingsRequest

MOST_PROJECTS = 5000

ProjectIds = Annotated[
    list[Annotated[str, Field(pattern="^[0-9a-f]{32}$")]], Field(min_length=1, max_length=MOST_PROJECTS)
]


class SetAction(Document):
    """One setting of outputs; of those that have it."""

    kind: Literal["set"]
    setting: Setting
    value: int | bool | Annotated[str, Field(max_length=80)] | None = Field(
        description="None: as the project says"
    )


class TakeAction(SettingsRequest):
    """Settings of another project, or of a recipe."""

    kind: Literal["take"]


class CheckAction(Document):
    """Against which target outputs are checked."""

    kind: Literal["check"]
    target: str = Field(max_length=40, description="Its name; empty: none")


class FitAction(Document):
    """The truest file that fits a budget, of each output that does not fit as it is."""

    kind: Literal["fit"]
    most: int | None = Field(
        None, ge=1024, le=1 << 40, description="In bytes; none: what each one's target says"
    )
    may: list[May] | None = Field(
        None, max_length=20, description="What may change; none: all but size and rate"
    )


class MakeAction(Document):
    """What is missing, after a failure or a cancel."""

    kind: Literal["make"]


class HandOffAction(Document):
    """Outputs as one zip, or into the hand-off folder; once they are made."""

    kind: Literal["hand-off"]
    to: Literal["zip", "folder"] = "zip"
    names: Annotated[CleanText, Field(min_length=1, max_length=200)] = Field(
        "{project}/{file}", description="Where each file goes: {project}, {output} and {file} are filled in"
    )
    replace: bool = Field(False, description="Files of the same names that are in the folder")


class SendAction(Document):
    """To a stand-in, or an address."""

    kind: Literal["send"]
    to: str = Field(max_length=200, description="The name of a stand-in, or an address")
    again: bool = Field(False, description="Even if the same files were taken there before")


class DeleteAction(Document):
    """Into the bin."""

    kind: Literal["delete"]


Action = Annotated[
    SetAction | TakeAction | CheckAction | FitAction | MakeAction | HandOffAction | SendAction | DeleteAction,
    Field(discriminator="kind"),
]


class BatchRequest(Document):
    """What is to be done to many projects."""

    projects: ProjectIds
    outputs: list[Annotated[str, Field(max_length=80)]] | None = Field(
        None, max_length=100, description="Only outputs of these names; none: all"
    )
    action: Action


class BatchNote(Document):
    """What there is to say of one project, or one of its outputs."""

    project_id: str
    project: str
    output: str = Field("", description="Its name; empty: the project as a whole")
    note: str


class BatchFailure(Document):
    project_id: str
    project: str
    output: str = ""
    error: Problem


class BatchOutlook(Document):
    """What a batch would do."""

    changed: int = Field(description="Projects that would be others than they are")
    notes: list[BatchNote] = Field(description="What is left out, or cut short, and why")
    failures: list[BatchFailure] = Field(description="What could not be done")


class BatchInfo(Document):
    """What was asked for of many projects, and how far it is."""

    id: int
    label: str
    kind: Literal["set", "take", "check", "fit", "make", "hand-off", "send", "delete", "undo"]
    created: datetime
    total: int = Field(description="Projects, or outputs of them")
    done: int
    failed: int
    cancelled: int
    changed: int = Field(description="Of those that are done, which made their project another")
    under_way: bool
    undo: bool = Field(description="Whether it can be taken back")
    download: bool = Field(description="Whether there is a zip of it")
    notes: list[BatchNote] = Field(description="The first of them")
    failures: list[BatchFailure] = Field(description="The first of them")


class TableRequest(Document):
    projects: ProjectIds | None = Field(None, description="None: all")


class CellResult(Document):
    """What is known of an output's own file."""

    id: int
    key: str
    bytes: int
    width: int
    height: int
    count: int
    duration_ms: float
    transparent: bool
    ssim: float | None = Field(description="How like its frames it is; none where that was not measured yet")
    stands_out: str = Field("", description="What eyes would complain of first")


class TableCell(Document):
    """An output in a table."""

    id: str
    name: str
    kind: str = Field(examples=["gif"])
    file_name: str
    result: CellResult | None
    behind: bool = Field(description="The result is from before the last change")
    job: Literal["", "making", "failed", "cancelled"]
    error: str = Field("", description="Why it failed")
    most_bytes: int | None = Field(description="The budget")
    target: str = Field(description="The title of its target")
    verdict: Literal["pass", "warn", "fail"] | None = Field(description="None without a target")
    broken: list[str] = Field(description="The rules that it does not pass, in words")


class TableRow(Document):
    """A project in a table."""

    id: str
    name: str
    changed: datetime
    notes: int = Field(description="How many things gathering has to say of its frames")
    cells: list[TableCell]
