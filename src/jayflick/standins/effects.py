"""The lantern plane: loose frames or a sheet as an effect over a moving backdrop, with a cut-off."""

import shutil
import threading
from dataclasses import dataclass
from pathlib import Path

from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse
from PIL import Image
from pydantic import BaseModel, Field, ValidationError

from ..delivery.protocol import Answer, Document, Offer, Status
from .clips import lay_over
from .device import PNG, STREAM_RATE, Device, FrameNumber, MonitorRate, Width, as_png, as_stream
from .errors import Refusal
from .intake import Work
from .pictures import numbered, opened, read
from .scenes import Size, lantern_sky

MOST_FRAMES = 120
MOST_SIDE = 2048
"""Of a sheet, as phones have it (common practice, no published source)."""
MOST_MEMORY = 100_000_000
"""Bytes of textures."""
PLANE: Size = (960, 540)


class Setting(Document):
    """How the effect plays."""

    rate: float = Field(12, gt=0, le=60, description="Frames a second")
    cutoff: int = Field(0, ge=0, le=255, description="Pixels of less alpha are not shown; the others are solid")
    once: bool = Field(False, description="Rest on the last frame")


class EffectInfo(Document):
    title: str
    frames: int
    width: int
    height: int
    bytes: int = Field(description="Of texture memory: four a pixel")


class Plane(Document):
    """The plane as it is now."""

    at: int
    rate: float = Field(description="Of its own clock")
    since: int = Field(description="The frame at which the effect began")
    setting: Setting
    effect: EffectInfo | None


@dataclass(frozen=True)
class _Effect:
    info: EffectInfo
    frames: tuple[Image.Image, ...]
    folder: Path
    """Empty; it stands for as long as the effect is there."""


class EffectPlane(Device):
    """One effect at a time; the next takes its place."""

    kind = "effects"
    title = "Lantern plane"
    rate = 60

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self._lock = threading.Lock()
        self._setting = Setting()
        self._effect: _Effect | None = None
        self._since = 0

    def status(self) -> Status:
        return Status(
            kind=self.kind,
            title=self.title,
            note=f"up to {MOST_FRAMES} loose frames, or a sheet of up to {MOST_SIDE} pixels a side",
            uses=("effect",),
            busy=self.intakes.busy,
        )

    def consider(self, offer: Offer) -> Offer:
        names = [file.name for file in offer.files]
        if offer.first is None:
            if not any(name.endswith(".json") for name in names) or not any(
                name.endswith(".png") for name in names
            ):
                remedy = "send the sheet with its JSON, or a numbered set"
                raise Refusal("the plane takes a sheet or a numbered set", file=names[0], remedy=remedy)
            return offer.model_copy(update={"use": "effect"})
        chosen = set(numbered(names, offer.first))
        if not offer.first.lower().endswith(".png"):
            raise Refusal("is not a PNG", file=offer.first, remedy="export the set as PNG")
        if len(chosen) > MOST_FRAMES:
            raise Refusal(
                f"an effect has {MOST_FRAMES} frames at most; these are {len(chosen)}",
                file=offer.first,
                remedy="leave every second frame out",
            )
        files = tuple(file for file in offer.files if file.name in chosen)
        return offer.model_copy(update={"files": files, "use": "effect"})

    def convert(self, offer: Offer, folder: Path, work: Work) -> Answer:
        names = [file.name for file in offer.files]
        if offer.first is not None:
            files = [folder / name for name in numbered(names, offer.first)]
            frames, memory = _loose(files, work)
        else:
            frames, memory = _of_sheet(folder, names, work)
        width, height = frames[0].size
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir()
        info = EffectInfo(
            title=offer.title or names[0], frames=len(frames), width=width, height=height, bytes=memory
        )
        with self._lock:
            before, self._effect = self._effect, _Effect(info, tuple(frames), folder)
            if offer.rate is not None:
                self._setting = self._setting.model_copy(update={"rate": min(offer.rate, 60.0)})
            self._since = self.now + 1
        if before is not None:
            before.folder.rmdir()
        return Answer(
            verdict="taken",
            message=f"plays on the plane, {len(frames)} frames",
            remarks=(f"takes {memory / 1e6:.1f} MB of texture memory",),
        )

    def picture(self, number: int, width: int) -> Image.Image:
        """The plane in a frame of its clock; opaque RGBA."""
        size = width, width * 9 // 16
        picture = lantern_sky(number, size)
        with self._lock:
            effect, setting, since = self._effect, self._setting, self._since
        if effect is not None and number >= since:
            played = int((number - since) * setting.rate / self.rate)
            last = len(effect.frames) - 1
            frame = effect.frames[min(played, last) if setting.once else played % (last + 1)]
            if setting.cutoff > 0:
                solid = [255 if alpha >= setting.cutoff else 0 for alpha in range(256)]
                frame = frame.copy()
                frame.putalpha(frame.getchannel("A").point(solid))
            scale = width / PLANE[0]
            if scale != 1:
                side = max(round(frame.width * scale), 1), max(round(frame.height * scale), 1)
                frame = frame.convert("RGBa").resize(side, Image.Resampling.BOX).convert("RGBA")
            lay_over(picture, frame, ((size[0] - frame.width) // 2, (size[1] - frame.height) // 2))
        return picture

    def _plane(self) -> Plane:
        info = self._effect.info if self._effect is not None else None
        return Plane(at=self.now, rate=self.rate, since=self._since, setting=self._setting, effect=info)

    def routes(self) -> APIRouter:
        router = APIRouter(tags=["effects"])

        @router.get("/plane")
        def get_plane() -> Plane:
            """The plane as it is now."""
            with self._lock:
                return self._plane()

        @router.put("/plane/setting")
        def set_setting(setting: Setting) -> Plane:
            """Set rate, cut-off, once or for ever."""
            with self._lock:
                self._setting = setting
                return self._plane()

        @router.post("/plane/play")
        def play_effect() -> Plane:
            """Play the effect from its first frame on."""
            with self._lock:
                if self._effect is None:
                    raise Refusal("there is no effect on the plane", remedy="send one", status=409)
                self._since = self.now + 1
                return self._plane()

        @router.get("/pictures/{number}", responses=PNG, response_class=Response)
        def get_picture(number: FrameNumber, width: Width = 960) -> Response:
            """The plane in a frame of its clock, as it is set now."""
            return as_png(self.picture(number, width))

        @router.get("/backdrops/{number}", responses=PNG, response_class=Response)
        def get_backdrop(number: FrameNumber, width: Width = 960) -> Response:
            """The backdrop alone."""
            return as_png(lantern_sky(number, (width, width * 9 // 16)))

        @router.get("/monitor/plane", response_class=StreamingResponse)
        def watch_plane(rate: MonitorRate = STREAM_RATE) -> StreamingResponse:
            """The plane as it moves."""
            return as_stream(lambda: self.picture(self.now, PLANE[0]), rate)

        return router


def _bounded(memory: int) -> int:
    """``Refusal`` when frames take more texture memory than there is."""
    if memory > MOST_MEMORY:
        raise Refusal(
            f"takes more than {MOST_MEMORY / 1e6:.0f} MB of texture memory",
            remedy="scale the frames down, leave some out, or make a sheet",
        )
    return memory


def _loose(files: list[Path], work: Work) -> tuple[list[Image.Image], int]:
    frames: list[Image.Image] = []
    memory = 0
    for path in files:
        memory = _bounded(memory + _texture(path))
        frame = read(path)
        if frames and frame.size != frames[0].size:
            (width, height), (across, down) = frame.size, frames[0].size
            said = f"is {width} × {height}, the first is {across} × {down}"
            raise Refusal(said, file=path.name, remedy="render it at the size of the others")
        frames.append(frame)
        work.step(len(files))
    return frames, memory


def _texture(path: Path) -> int:
    """The bytes that a picture takes as a texture, by its header; ``Refusal`` when a side is too long."""
    with opened(path) as picture:
        width, height = picture.size
    if max(width, height) > MOST_SIDE:
        said = f"is {width} × {height}; sides have {MOST_SIDE} pixels at most"
        raise Refusal(said, file=path.name, remedy="scale it down")
    return width * height * 4


class _Cell(BaseModel):
    """A frame as a sheet's description has it; of what else it says nothing is needed here."""

    sheet: int = Field(ge=0)
    x: int = Field(ge=0)
    y: int = Field(ge=0)
    width: int = Field(ge=0, le=MOST_SIDE)
    height: int = Field(ge=0, le=MOST_SIDE)
    offset_x: int = Field(ge=0)
    offset_y: int = Field(ge=0)
    canvas_width: int = Field(ge=1, le=MOST_SIDE)
    canvas_height: int = Field(ge=1, le=MOST_SIDE)
    turned: bool = False


class _SheetFile(BaseModel):
    file: str


class _Description(BaseModel):
    sheets: list[_SheetFile] = Field(min_length=1, max_length=8)
    frames: list[_Cell] = Field(min_length=1, max_length=MOST_FRAMES * 4)


def _of_sheet(folder: Path, names: list[str], work: Work) -> tuple[list[Image.Image], int]:
    """The frames of a sheet, cut out by its description."""
    description = next(name for name in names if name.endswith(".json"))
    try:
        document = _Description.model_validate_json((folder / description).read_bytes())
    except ValidationError:
        remedy = "send the description that came with the sheet"
        raise Refusal("is no description of a sheet", file=description, remedy=remedy) from None
    sheets: list[Image.Image] = []
    memory = 0
    for sheet in document.sheets:
        if sheet.file not in names:
            raise Refusal("is in the description, and was not sent", file=sheet.file, remedy="send it too")
        memory = _bounded(memory + _texture(folder / sheet.file))
        sheets.append(read(folder / sheet.file))
    first = document.frames[0]
    canvas = first.canvas_width, first.canvas_height
    if len(document.frames) * canvas[0] * canvas[1] * 4 > MOST_MEMORY:
        said = f"its frames are more than {MOST_MEMORY / 1e6:.0f} MB when they are cut out"
        raise Refusal(said, file=description, remedy="scale them down, or leave some out")
    frames: list[Image.Image] = []
    for cell in document.frames:
        width, height = (cell.height, cell.width) if cell.turned else (cell.width, cell.height)
        sheet_size = sheets[cell.sheet].size if cell.sheet < len(sheets) else (0, 0)
        if cell.x + width > sheet_size[0] or cell.y + height > sheet_size[1]:
            remedy = "send the description that came with the sheet"
            raise Refusal(f"frame {len(frames) + 1} lies off its sheet", file=description, remedy=remedy)
        part = sheets[cell.sheet].crop((cell.x, cell.y, cell.x + width, cell.y + height))
        if cell.turned:
            part = part.transpose(Image.Transpose.ROTATE_90)
        frame = Image.new("RGBA", canvas)
        frame.paste(part, (cell.offset_x, cell.offset_y))
        frames.append(frame)
        work.step(len(document.frames))
    return frames, memory
