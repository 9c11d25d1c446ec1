"""The departure board: a graphics page of placed animations and text that comes in and goes out."""

import shutil
import threading
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Response
from fastapi import Path as PathPart
from fastapi.responses import StreamingResponse
from PIL import Image, ImageColor, ImageDraw
from pydantic import Field, field_validator

from ..delivery.protocol import Answer, Document, Offer, Status
from .clips import Clip, keep_clip, lay_over, require_size
from .device import PNG, STREAM_RATE, Device, FrameNumber, MonitorRate, Width, as_png, as_stream
from .errors import Refusal
from .intake import Work
from .letters import lacking, write
from .pictures import ENDINGS, numbered
from .scenes import HALF, Size, pier_camera

RASTER: Size = (1920, 1080)
RATE = 50
MOST_ANIMATIONS = 8
MOST_TEXT = 400
"""Characters of a text field: more is a page of its own."""
MOST_BYTES = 1_000_000_000

Colour = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]


class Placed(Document):
    """An animation on the page."""

    id: int
    left: int = Field(0, ge=-1920, le=1920)
    top: int = Field(0, ge=-1080, le=1080)
    repeat: int = Field(0, ge=0, le=65535, description="How often it plays before it rests; 0: for ever")


class TextField(Document):
    """A line of text over the animations. Times are in frames of the page."""

    text: str
    left: int = Field(0, ge=0, le=1919)
    top: int = Field(0, ge=0, le=1079)
    height: int = Field(48, ge=8, le=400, description="Of its letters, in pixels")
    colour: Colour = "#ffffff"
    delay: int = Field(40, ge=0, le=5000, description="From the page's first frame; 40 are 0.8 s")
    fade: int = Field(18, ge=0, le=250, description="Over which it comes in, and goes out; 0: at once")

    @field_validator("text")
    @classmethod
    def _not_too_long(cls, text: str) -> str:
        if len(text) > MOST_TEXT:
            raise ValueError(f"a text has {MOST_TEXT} characters at most; this has {len(text)}: shorten it")
        missing = lacking(text)
        if missing:
            raise ValueError(f"the board's font has no {' '.join(missing[:8])}: write it in Latin letters")
        return text


class Page(Document):
    """What the page is made of, from the back."""

    animations: tuple[Placed, ...] = Field((), max_length=MOST_ANIMATIONS)
    texts: tuple[TextField, ...] = Field((), max_length=8)
    fade_in: int = Field(0, ge=0, le=250, description="Frames over which the page comes in")
    fade_out: int = Field(18, ge=0, le=250)


class AnimationInfo(Document):
    id: int
    title: str
    frames: int
    width: int
    height: int
    bytes: int


class Board(Document):
    """The board as it is now."""

    at: int
    rate: int
    page: Page = Field(description="As it is prepared")
    state: Literal["out", "in", "going"]
    since: int | None = Field(None, description="The frame at which the page that is on air came in")
    animations: tuple[AnimationInfo, ...]


@dataclass(frozen=True)
class _OnAir:
    page: Page
    clips: dict[int, Clip]
    began: int
    left: int | None = None
    """The frame at which it began to go."""


class GraphicsPage(Device):
    """Program is a function of the frame on air, and of the pages that were taken up to it."""

    kind = "graphics"
    title = "Departure board"
    rate = RATE

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self._lock = threading.Lock()
        self._page = Page()
        self._clips: dict[int, tuple[Clip, Path]] = {}
        self._next = 1
        self._aired: list[_OnAir] = []

    def status(self) -> Status:
        return Status(
            kind=self.kind,
            title=self.title,
            note=f"{RASTER[0]} × {RASTER[1]}, {RATE} fps",
            uses=("animation",),
            busy=self.intakes.busy,
        )

    # What comes in

    def consider(self, offer: Offer) -> Offer:
        if offer.first is None:
            remedy = "send the numbered set, and name its first file"
            raise Refusal("the board takes numbered sets", file=offer.files[0].name, remedy=remedy)
        if Path(offer.first).suffix.lower() not in ENDINGS:
            remedy = "export the set as TGA"
            raise Refusal("is neither TGA, PNG, BMP nor JPEG", file=offer.first, remedy=remedy)
        names = set(numbered([file.name for file in offer.files], offer.first))
        if offer.size is not None:
            require_size(offer.first, offer.size, offer.size, RASTER, whole=False)
        with self._lock:
            if len(self._clips) >= MOST_ANIMATIONS:
                raise Refusal(f"the board holds {MOST_ANIMATIONS} animations", remedy="remove one")
        files = tuple(file for file in offer.files if file.name in names)
        return offer.model_copy(update={"files": files, "use": "animation"})

    def convert(self, offer: Offer, folder: Path, work: Work) -> Answer:
        assert offer.first is not None
        files = [folder / name for name in numbered([file.name for file in offer.files], offer.first)]
        straight = files[0].suffix.lower() in (".tga", ".png")
        title = offer.title or offer.first
        clip = keep_clip(files, RASTER, folder, work, title=title, rate=RATE, whole=False, straight=straight)
        with self._lock:
            used = sum(one.bytes for one, _ in self._clips.values())
            if used + clip.bytes > MOST_BYTES:
                raise Refusal(
                    f"the board holds {MOST_BYTES / 1e6:.0f} MB; {(MOST_BYTES - used) / 1e6:.0f} are left, "
                    f"and this takes {clip.bytes / 1e6:.0f}",
                    remedy="remove an animation, or send fewer frames",
                )
            number, self._next = self._next, self._next + 1
            self._clips[number] = clip, folder
            left, top = offer.at or (0, 0)
            placed = Placed(id=number, left=left, top=top, repeat=offer.repeat)
            animations = [*self._page.animations, placed][-MOST_ANIMATIONS:]
            self._page = self._page.model_copy(update={"animations": tuple(animations)})
        remarks = [] if offer.rate in (None, RATE) else [f"made for {offer.rate:g} fps, plays at {RATE} fps"]
        if not straight:
            remarks.append("has no alpha: it covers what lies behind it")
        return Answer(verdict="taken", message="is on the prepared page", remarks=tuple(remarks))

    # What is seen

    def picture(self, number: int, width: int) -> Image.Image:
        """What program shows in a frame; opaque RGBA."""
        size = width, width * 9 // 16
        with self._lock:
            aired = next((one for one in reversed(self._aired) if one.began <= number), None)
        picture = pier_camera(number, size)
        if aired is not None:
            _lay_page(picture, aired, number)
        return picture

    def prepared(self, width: int) -> Image.Image:
        """The prepared page at rest, over a chequer."""
        size = width, width * 9 // 16
        picture = _chequer(size)
        with self._lock:
            page = self._page
            clips = {number: clip for number, (clip, _) in self._clips.items()}
        texts = tuple(text.model_copy(update={"delay": 0, "fade": 0}) for text in page.texts)
        rest = page.model_copy(update={"texts": texts, "fade_in": 0})
        # So late that whatever ends has ended; what plays for ever shows its first frame.
        lengths = [clips[one.id].count * max(one.repeat, 1) for one in page.animations]
        late = lengths[0] if lengths and all(one.repeat for one in page.animations) else 0
        _lay_page(picture, _OnAir(rest, clips, 0), late)
        return picture

    # What is done

    def _board(self) -> Board:
        at = self.now
        last = self._aired[-1] if self._aired else None
        state: Literal["out", "in", "going"] = "out"
        if last is not None and last.left is None:
            state = "in"
        elif last is not None and last.left is not None and at < last.left + last.page.fade_out:
            state = "going"
        return Board(
            at=at,
            rate=RATE,
            page=self._page,
            state=state,
            since=last.began if last is not None and state != "out" else None,
            animations=tuple(
                AnimationInfo(
                    id=number,
                    title=clip.title,
                    frames=clip.count,
                    width=clip.box[2],
                    height=clip.box[3],
                    bytes=clip.bytes,
                )
                for number, (clip, _) in self._clips.items()
            ),
        )

    def routes(self) -> APIRouter:
        router = APIRouter(tags=["graphics"])

        @router.get("/board")
        def get_board() -> Board:
            """The board as it is now."""
            with self._lock:
                return self._board()

        @router.put("/board/page")
        def set_page(page: Page) -> Board:
            """Prepare a page; what is on air stays as it is."""
            with self._lock:
                for placed in page.animations:
                    if placed.id not in self._clips:
                        raise Refusal(f"there is no animation {placed.id}", status=404)
                self._page = page
                return self._board()

        @router.post("/board/take")
        def take() -> Board:
            """Bring the prepared page in, from its first frame on."""
            with self._lock:
                if not self._page.animations and not self._page.texts:
                    raise Refusal("the page is empty", remedy="put an animation or a text on it", status=409)
                clips = {number: clip for number, (clip, _) in self._clips.items()}
                self._aired = [*self._aired[-20:], _OnAir(self._page, clips, self.now + 1)]
                return self._board()

        @router.post("/board/out")
        def go_out() -> Board:
            """Let the page that is on air fade out."""
            with self._lock:
                last = self._aired[-1] if self._aired else None
                if last is None or last.left is not None:
                    raise Refusal("no page is on air", status=409)
                self._aired[-1] = _OnAir(last.page, last.clips, last.began, self.now + 1)
                return self._board()

        @router.delete("/animations/{number}")
        def remove_animation(number: Annotated[int, PathPart(ge=1)]) -> Board:
            """Remove an animation, also from the prepared page."""
            with self._lock:
                if number not in self._clips:
                    raise Refusal("there is no such animation", status=404)
                last = self._aired[-1] if self._aired else None
                if (
                    last is not None
                    and last.left is None
                    and number in {one.id for one in last.page.animations}
                ):
                    raise Refusal("it is on air", remedy="let the page go out first", status=409)
                _, folder = self._clips.pop(number)
                kept = tuple(one for one in self._page.animations if one.id != number)
                self._page = self._page.model_copy(update={"animations": kept})
                shutil.rmtree(folder, ignore_errors=True)
                return self._board()

        @router.get("/program/{number}", responses=PNG, response_class=Response)
        def get_program(number: FrameNumber, width: Width = 960) -> Response:
            """What program showed in a frame that was on air."""
            if number > self.now:
                raise Refusal("it is not on air yet", remedy="wait for it", status=404)
            return as_png(self.picture(number, width))

        @router.get("/prepared", responses=PNG, response_class=Response)
        def get_prepared(width: Width = 960) -> Response:
            """The prepared page as it will rest."""
            return as_png(self.prepared(width))

        @router.get("/monitor/program", response_class=StreamingResponse)
        def watch_program(rate: MonitorRate = STREAM_RATE) -> StreamingResponse:
            """The program monitor."""
            return as_stream(lambda: self.picture(self.now, HALF[0]), rate)

        return router


def _lay_page(picture: Image.Image, aired: _OnAir, number: int) -> None:
    """Lay a page over a picture as it stands in a frame."""
    page, age = aired.page, number - aired.began
    shown = _part(age, page.fade_in)
    if aired.left is not None and number >= aired.left:
        shown *= 1 - _part(number - aired.left, page.fade_out)
    if shown <= 0:
        return
    target = picture if shown == 1 else picture.copy()
    for placed in page.animations:
        clip = aired.clips[placed.id]
        frame = age % clip.count if placed.repeat == 0 or age < clip.count * placed.repeat else clip.count - 1
        clip.lay(target, frame, (placed.left + clip.box[0], placed.top + clip.box[1]))
    for text in page.texts:
        there = _part(age - text.delay, text.fade)
        if there > 0 and text.text:
            _lay_text(target, text, there)
    if target is not picture:
        picture.paste(Image.blend(picture, target, shown))


def _part(age: int, fade: int) -> float:
    """How far something that fades in is there, 0 to 1, so many frames after it began; before that 0."""
    if age < 0:
        return 0.0
    return min((age + 1) / fade, 1.0) if fade else 1.0


def _lay_text(picture: Image.Image, text: TextField, there: float) -> None:
    scale = picture.width / RASTER[0]
    layer = Image.new("RGBA", picture.size, (*ImageColor.getrgb(text.colour)[:3], 0))
    pen = ImageDraw.Draw(layer)
    red, green, blue = ImageColor.getrgb(text.colour)[:3]
    at = text.left * scale, text.top * scale
    write(pen, at, text.text, text.height * scale, (red, green, blue, round(255 * there)))
    lay_over(picture, layer, (0, 0))


def _chequer(size: Size) -> Image.Image:
    picture = Image.new("RGBA", size, "#8d8f91")
    pen = ImageDraw.Draw(picture)
    side = 20
    for row in range(0, size[1], side):
        for column in range(row // side % 2 * side, size[0], 2 * side):
            pen.rectangle((column, row, column + side - 1, row + side - 1), fill="#9a9c9e")
    return picture
