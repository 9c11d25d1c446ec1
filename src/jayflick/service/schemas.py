"""The documents the API takes and gives."""

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from ..core.dither.kinds import Dither
from ..core.recipe import Crop, Framing, Move, Recipe, Target
from ..core.sequence.flight import Flight
from ..core.sequence.project_file import MOST_NUMBER
from ..core.text import CleanText
from ..delivery.protocol import Kind, Status, Use

Position = Annotated[int, Field(ge=1, le=MOST_NUMBER, description="Of a frame, from 1")]


class Document(BaseModel):
    model_config = ConfigDict(json_schema_serialization_defaults_required=True)


class Problem(Document):
    """What went wrong, with which file, and what will help."""

    kind: str = Field(examples=["input"])
    message: str = Field(examples=["the file is empty (0 bytes)"])
    file: str | None = Field(None, examples=["wave_0012.png"])
    remedy: str = Field("", examples=["render or copy the file again"])


class Limits(Document):
    """What one import may bring; shown before anything is sent."""

    most_files: int
    most_file_bytes: int
    most_import_bytes: int
    most_frame_pixels: int
    handoff_folder: str | None = Field(description="The folder that outputs may be written into, if one is set")


class FrameInfo(Document):
    position: int = Field(description="Counts from 1 in the gathered order")
    number: int | None = Field(description="The counter in its name")
    name: str
    sha256: str = Field(description="Of its file")
    width: int
    height: int
    label: str = Field(examples=["16-bit RGBA"])
    transparent: bool


MOST_LISTED = 100_000
Number = Annotated[int, Field(ge=0, le=MOST_NUMBER)]
SizeName = Annotated[str, Field(pattern=r"^[0-9]{1,6}x[0-9]{1,6}$")]


class ReportProblem(Document):
    kind: Literal[
        "unreadable",
        "size",
        "missing",
        "repeated",
        "stride",
        "backwards",
        "identical",
        "turn",
        "cut",
        "black-rim",
        "white-rim",
        "converted",
    ]
    file: str
    message: str
    remedy: str
    positions: list[Number] = Field(
        [], description="The frames it is about, from 1 in the gathered order", max_length=MOST_LISTED
    )


class ReportPart(Document):
    """One of the sequences that were put together."""

    pattern: str
    labels: list[str]
    first: Number = Field(description="Position of its first frame")
    last: Number


class Report(Document):
    """What gathering found in one sequence."""

    name: str
    pattern: str = Field(examples=["dusk_lamp_#.png"])
    labels: list[str] = Field([], description="What tells it from the others: direction, motion")
    count: Number
    first: Number | None
    last: Number | None
    missing: list[Number] = Field(max_length=MOST_LISTED)
    repeated: list[Number] = Field(max_length=MOST_LISTED)
    sizes: dict[SizeName, Number] = Field(examples=[{"960x540": 48}], max_length=MOST_LISTED)
    files: list[str] = Field(max_length=MOST_LISTED)
    problems: list[ReportProblem] = Field(max_length=MOST_LISTED)
    parts: list[ReportPart] = Field(
        [], description="The sequences, when several were put together", max_length=MOST_LISTED
    )


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


class BinnedProject(Document):
    """A project that was deleted and can be restored."""

    id: str
    name: str
    removed: datetime
    kept_until: datetime


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


class HandOffRequest(Document):
    outputs: list[str] = Field([], max_length=20, description="Their ids; none: all")
    to: Literal["download", "folder"] = "download"
    replace: bool = Field(False, description="Files of the same names that are in the folder")


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
    remarks: list[str] = []
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


class JobInfo(Document):
    id: int
    project_id: str
    revision_id: int
    output_id: str
    state: Literal["queued", "running", "done", "failed", "cancelled", "superseded"]
    stage: str
    done: int
    total: int
    error: Problem | None


class RevisionInfo(Document):
    id: int
    label: str
    created: datetime


class FrameSetInfo(Document):
    """A project's frames, and what gathering found in them. They never change."""

    frames: list[FrameInfo]
    report: Report


class ProjectCard(Document):
    """A project on the shelf."""

    id: str
    name: str
    changed: datetime
    frames: int
    width: int
    height: int
    first_picture: str | None = Field(description="SHA-256 of the first frame's file")
    notes: int = Field(description="How many things gathering has to say of them")
    missing: int = Field(description="How many numbers are missing")
    recipe: Recipe
    results: list[ResultInfo]
    checks: dict[str, CheckInfo] = Field(description="By output, of those that have a target and a result")


class ProjectInfo(ProjectCard):
    """A project on the bench."""

    revision: RevisionInfo
    undo: str | None = Field(description="What undo would take back")
    redo: str | None = Field(description="What redo would do again")
    jobs: list[JobInfo] = Field(description="The newest job of each output, for the revision that counts")
    frame_set: int = Field(description="Which of its sets of frames")
    handoffs: list[HandoffInfo] = Field(description="The last of each output")
    deliveries: list[DeliveryInfo] = Field(description="The last of each output to each place")
    archive_parts: int = Field(description="In how many files the project is taken away")


class PlanRequest(Document):
    """A recipe that need not be the project's own."""

    recipe: Recipe
    output_id: str = "page"


class SheetRow(Document):
    """A row of even cells."""

    name: str | None = Field(description="Its span")
    count: int


class SheetInfo(Document):
    """Where an output's pictures would lie on its sheets. Lists of pictures are in the order of its rows."""

    measured: bool = Field(description="False: not known before pixels are looked at; then there are no cells")
    most: int = Field(description="The longest side that its sheets can have")
    sheets: list[tuple[int, int]] = []
    cells: list[tuple[int, int, int, int]] = Field([], description="Sheet from 0, x, y, and 1 if turned")
    boxes: list[tuple[int, int, int, int]] = Field(
        [], description="What of its canvas lies there: left, top, width, height"
    )
    positions: list[int] = Field([], description="The gathered frame that each picture shows")
    of_step: list[int] = Field([], description="Which picture each played step shows")
    off: list[int] = Field([], description="The pictures that run off")
    rows: list[SheetRow] = []
    columns: int = 0
    empty: int = Field(0, description="Cells without a picture")
    canvas: tuple[int, int] = (0, 0)
    crop: tuple[int, int, int, int] = Field((0, 0, 0, 0), description="What of a frame is shown")
    placed: tuple[int, int, int, int] = Field((0, 0, 0, 0), description="Where on the canvas that lies")
    texture_bytes: int = Field(0, description="Memory once loaded")
    unused: float = Field(0, description="Share of the sheets that no picture lies on")
    remedies: list[RemedyInfo] = []


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


class TrimInfo(Document):
    """What of the frames is used."""

    box: tuple[int, int, int, int] | None = Field(
        description="Left, top, width, height; none when that is all of them, or nothing"
    )
    width: int = Field(description="Of the frames")
    height: int


class LineUpRequest(Document):
    """Frames that are to be lined up on another."""

    anchor: int = Field(ge=1, description="The position of the frame that stays")
    positions: list[Position] = Field(min_length=1, max_length=48)
    free: Literal["shift", "turn", "scale"] = Field(
        "shift", description="What may be changed: the place, also the angle, also the size"
    )
    box: Crop | None = Field(None, description="Where the subject is on the anchor: only that counts")


class FoundMove(Document):
    """How a frame must be moved."""

    position: int
    move: Move | None = Field(description="None when there is nothing to line it up on")
    alike: float = Field(description="The correlation with the anchor then: 1 for equal pictures")


class Views(Document):
    """How pictures are cut into views that lie side by side on them."""

    base_revision: int
    across: int = Field(ge=1, le=100)
    down: int = Field(ge=1, le=100)
    gutter: int = Field(0, ge=0, le=4096, description="Pixels between two of them")
    order: Literal["rows", "columns"] = "rows"


class FlightRequest(Document):
    """A cut-out that moves over a backdrop."""

    base_revision: int
    cut_out: Position
    backdrop: Position | None = Field(None, description="The frame under it; otherwise nothing is")
    flight: Flight


class SteadyInfo(Document):
    """What lined-up frames have in common."""

    common: tuple[int, int, int, int] | None = Field(description="Left, top, width, height that all cover")
    enlarged: float | None = Field(description="By how much all are enlarged so that no edge shows")


class LevelsRequest(Document):
    """Frames whose levels are asked for, and how they would be framed."""

    positions: list[Position] = Field(max_length=96)
    histogram: Position | None = Field(None, description="A frame whose histogram is asked for")
    framing: Framing = Framing()


class FrameLevels(Document):
    position: int
    before: float = Field(description="Mean luma (ITU-R BT.709), 0 to 255")
    after: float


class LevelsInfo(Document):
    """How bright frames are."""

    frames: list[FrameLevels]
    before: list[list[float]] | None = Field(
        description="Of red, green and blue, how large a share of the frame has each of 64 steps of levels"
    )
    after: list[list[float]] | None


class SeamInfo(Document):
    """How the loop closes."""

    places: list[int] = Field(description="The frames that were judged")
    steps: list[float] = Field(description="From each to the next, and from the last to the first, in levels")
    usual: float
    whole: ClosingInfo
    best: list[ClosingInfo] = Field(description="The ranges that close best, the best first")


class Renew(Document):
    import_id: str = Field(pattern="^[0-9a-f]{32}$")


class Renewed(Document):
    """What became of a project's frames when others were laid over them."""

    same: int = Field(description="Brought again as they were, whatever they are called now")
    replaced: int
    added: int
    old: int = Field(description="Not brought; they stay")
    changed: list[int] = Field(description="Positions of the frames that are not as they were")


class Join(Document):
    project_id: str = Field(pattern="^[0-9a-f]{32}$", description="Whose frames are put behind")


class Rename(Document):
    name: Annotated[CleanText, Field(min_length=1, max_length=200)]


class Split(Document):
    positions: list[int] = Field(min_length=1, max_length=3000, description="Of the frames, from 1")
    separate: bool = Field(False, description="They are separate pictures: each becomes a project of its own")


class Edit(Document):
    """A new recipe, made from the revision that the client showed."""

    base_revision: Number
    label: Annotated[CleanText, Field(min_length=1, max_length=120, examples=["Colours to 64"])]
    gesture: Annotated[
        str, Field(max_length=40, description="Edits that follow each other under one name are undone together")
    ] = ""
    chosen: Annotated[
        str, Field(max_length=40, description="The output that is looked at: it is made first")
    ] = ""
    recipe: Recipe


class ImportStarted(Document):
    id: str


class ClipInfo(Document):
    """A clip that is there and waits until it is said what is taken of it."""

    sha256: str
    name: str
    count: int = Field(description="Frames it holds")
    width: int
    height: int
    duration_ms: float
    rate: float | None = Field(description="Frames a second, on the average")


class TakeClip(Document):
    """What is taken of a clip."""

    first: int = Field(1, ge=1, description="Frame, from 1")
    last: int | None = Field(None, ge=1)
    step: int = Field(1, ge=1, le=1000, description="Every n-th of them")


class FileTaken(Document):
    """How one file of an import fared."""

    name: str
    frames: int = Field(description="How many frames it brought: several when it is a clip or an archive")
    picture: str | None = Field(description="SHA-256 of the first of them")
    problem: Problem | None = Field(description="Why it brought none, or not all it holds")
    clip: ClipInfo | None = Field(None, description="It is a clip that waits until it is said what is taken")


class SequenceFound(Report):
    """A sequence among an import's files, and what it looks like."""

    pictures: list[str] = Field(description="Hashes of at most 12 of its frames, in order, evenly apart")


class ImportReport(Document):
    """What the files of an import make together."""

    sequences: list[SequenceFound] = Field(description="Longest first")
    ignored: list[Problem] = Field(description="Files that are in none of them")
    project: str | None = Field(
        None, description="The name of the project that came with its frames; finishing makes it again"
    )


class NewProject(Document):
    """Which of an import's sequences become one project."""

    patterns: list[str] = Field(min_length=1, max_length=3000, description="Of the sequences, in this order")
    name: Annotated[CleanText, Field(min_length=1, max_length=200)] | None = Field(
        None, description="What it is called; otherwise it is called after its sequences"
    )
    separate: bool = Field(False, description="They are separate pictures: each becomes a project of its own")


class Choice(Document):
    """What is to become of an import's sequences; those not named are not brought in."""

    projects: list[NewProject] = Field(min_length=1, max_length=3000)


class ImportDone(Document):
    """The projects an import made, and the files that went into none."""

    projects: list[ProjectCard]
    ignored: list[Problem]


class Storage(Document):
    """What is stored on this machine."""

    bytes: int = Field(description="Of frames and outputs, those in the bin among them")
    scratch_bytes: int = Field(description="Of work kept so that it need not be done again")
    most_scratch_bytes: int


class Health(Document):
    ready: bool
    version: str
    demo_waiting: int = Field(description="Projects of the demo that are still being drawn")
