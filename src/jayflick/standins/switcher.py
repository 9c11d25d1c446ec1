"""The pierhead's vision desk: two cameras, six clip memories, a transition over the cut, and two overlays."""

import shutil
import threading
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Response
from fastapi import Path as PathPart
from fastapi.responses import StreamingResponse
from PIL import Image

from ..delivery.protocol import Answer, Offer, Place, Status
from .clips import Clip, Drawn, keep_clip, require_size
from .desk import MEMORIES, CutAt, Desk, MemoryInfo, Mix, Overlay, Play, Show, Source
from .device import PNG, STREAM_RATE, Device, FrameNumber, MonitorRate, Width, as_png, as_stream
from .errors import Refusal
from .intake import Work
from .moments import Change, Laid, Moment, other
from .pictures import numbered, read, smaller
from .scenes import BUG, BUG_BOX, HALF, TIDE, Drawer, Size, bug, mole_camera, pier_camera, tide

MOST_MEMORY = 1_500_000_000
"""Bytes that all clips may take together."""
TRANSITION_FRAMES = 60
MANY_FRAMES, MOST_FRAMES = 300, 600
"""Of an overlay: from where memory suffers, and the end (common practice, no published source)."""
MOST_MOMENTS = 2000

MemoryNumber = Annotated[int, PathPart(ge=1, le=MEMORIES)]
Layer = Annotated[int, PathPart(ge=1, le=2)]


@dataclass
class _Memory:
    clip: Clip
    folder: Path | None = None
    """What is thrown away with it."""


@dataclass(frozen=True)
class _Loop:
    """A source of somebody's own: a set that plays for ever."""

    clip: Clip

    def __call__(self, number: int, size: Size) -> Image.Image:
        picture = Image.new("RGBA", size, (0, 0, 0, 255))
        self.clip.lay(picture, number % self.clip.count)
        return picture


@dataclass
class _Held:
    sources: dict[Source, Drawer] = field(default_factory=lambda: {"A": pier_camera, "B": mole_camera})
    titles: dict[Source, str] = field(default_factory=lambda: {"A": "Pier camera", "B": "Mole camera"})
    folders: dict[Source, Path] = field(default_factory=dict)


class Switcher(Device):
    """Program and preview are functions of the frame on air and of what was done up to it."""

    kind = "switcher"
    title = "Vision desk"

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self._lock = threading.Lock()
        self._set_up(Show())

    def _set_up(self, show: Show) -> None:
        self._show = show
        self.rate, self.pace = show.rate, show.pace
        self._memories: dict[int, _Memory] = {}
        self._moments = [Moment()]
        self._asked = [Overlay(), Overlay()]
        self._held = _Held()
        full = (0, 0, *self.raster)
        unit = show.width / 1920
        corner = tuple(round(side * unit) for side in BUG_BOX)
        self._memories[1] = _Memory(
            Clip("Tide", TIDE, show.rate, self.raster, full, Drawn(tide, full), cut=TIDE // 2)
        )
        box = (corner[0], corner[1], corner[2], corner[3])
        self._memories[2] = _Memory(Clip("Lamp bug", BUG, show.rate, self.raster, box, Drawn(bug, box)))

    @property
    def raster(self) -> Size:
        return self._show.width, self._show.width * 9 // 16

    def status(self) -> Status:
        with self._lock:
            places = tuple(
                Place(number=one.number, title=one.title, note=f"{one.frames} frames" if one.title else "free")
                for one in self._listed()
            )
        return Status(
            kind=self.kind,
            title=self.title,
            note=f"{self.raster[0]} × {self.raster[1]}, {self._show.rate} fps",
            uses=("transition", "overlay", "source"),
            places=places,
            busy=self.intakes.busy,
        )

    # What comes in

    def consider(self, offer: Offer) -> Offer:
        if offer.first is None:
            remedy = "send the numbered set, and name its first file"
            raise Refusal("the desk takes numbered sets", file=offer.files[0].name, remedy=remedy)
        names = numbered([file.name for file in offer.files], offer.first)
        if not offer.first.lower().endswith((".png", ".tga")):
            raise Refusal("is neither PNG nor TGA", file=offer.first, remedy="export the set as PNG")
        if offer.place is None or not 1 <= offer.place <= (2 if offer.use == "source" else MEMORIES):
            raise Refusal(f"choose one of the memories 1 to {MEMORIES}", remedy="a free one")
        if offer.use == "transition":
            if len(names) != TRANSITION_FRAMES:
                raise Refusal(
                    f"a transition has {TRANSITION_FRAMES} frames; these are {len(names)}",
                    file=offer.first,
                    remedy=f"conform it to {TRANSITION_FRAMES} frames",
                )
            if offer.cut is not None and offer.cut > len(names):
                raise Refusal(f"there is no frame {offer.cut} to cut at", remedy="cut at one of its frames")
        if offer.use == "overlay" and len(names) > MOST_FRAMES:
            raise Refusal(
                f"an overlay has {MOST_FRAMES} frames at most; these are {len(names)}",
                file=offer.first,
                remedy="leave every second frame out, or loop a part",
            )
        if offer.use != "source" and offer.rate is not None and abs(offer.rate - self._show.rate) > 0.01:
            raise Refusal(
                f"it is made for {offer.rate:g} fps; the show runs at {self._show.rate} fps",
                remedy=f"conform it to {self._show.rate} fps",
            )
        if offer.size is not None and offer.use != "source":
            whole = offer.use == "transition"
            require_size(offer.first, offer.size, offer.size, self.raster, whole=whole)
        if offer.use in (None, "overlay", "transition"):
            with self._lock:
                taken = self._memories.get(offer.place)
            if taken is not None and taken.clip.title:
                raise Refusal(
                    f"memory {offer.place} holds {taken.clip.title}", remedy="choose a free one, or clear it"
                )
        wanted = set(names)
        files = tuple(file for file in offer.files if file.name in wanted)
        return offer.model_copy(update={"files": files, "use": offer.use or "overlay"})

    def convert(self, offer: Offer, folder: Path, work: Work) -> Answer:
        assert offer.first is not None
        assert offer.place is not None
        files = [folder / name for name in numbered([file.name for file in offer.files], offer.first)]
        title = offer.title or offer.first
        if offer.use == "source":
            return self._take_source(files, title, folder, work, "A" if offer.place == 1 else "B")
        clip = keep_clip(
            files,
            self.raster,
            folder,
            work,
            title=title,
            rate=self._show.rate,
            whole=offer.use == "transition",
            place=offer.at or (0, 0),
        )
        with self._lock:
            self._room_for(clip.bytes)
            if (clip.raster, clip.rate) != (self.raster, self._show.rate):
                raise Refusal("the show was changed while it was converted", remedy="send it again")
            if offer.place in self._memories:
                raise Refusal(f"memory {offer.place} was filled meanwhile", remedy="choose a free one")
            self._memories[offer.place] = _Memory(replace(clip, cut=offer.cut, once=offer.repeat == 1), folder)
        remarks = [f"takes {clip.bytes / 1e6:.1f} MB of memory"]
        width, height = clip.box[2:]
        if (width, height) != self.raster:
            remarks.append(f"trimmed to {width} × {height}")
        if offer.use == "overlay" and clip.count > MANY_FRAMES:
            remarks.append(f"more than {MANY_FRAMES} frames: little memory is left for other clips")
        message = f"is in memory {offer.place}"
        return Answer(verdict="taken", message=message, remarks=tuple(remarks))

    def _take_source(
        self, files: Sequence[Path], title: str, folder: Path, work: Work, source: Source
    ) -> Answer:
        size = read(files[0]).size
        clip = keep_clip(
            files,
            size,
            folder,
            work,
            title=title,
            rate=self._show.rate,
            whole=True,
            straight=False,
            monitor=min(size[0], HALF[0]),
        )
        with self._lock:
            self._held.sources[source] = _Loop(clip)
            self._held.titles[source] = title
            before, self._held.folders[source] = self._held.folders.get(source), folder
        if before is not None:
            shutil.rmtree(before, ignore_errors=True)
        return Answer(verdict="taken", message=f"is source {source}")

    def _room_for(self, more: int) -> None:
        used = sum(one.clip.bytes for one in self._memories.values())
        if used + more > MOST_MEMORY:
            raise Refusal(
                f"the clip memories hold {MOST_MEMORY / 1e6:.0f} MB; "
                f"{(MOST_MEMORY - used) / 1e6:.0f} are left, and this takes {more / 1e6:.0f}",
                remedy="clear a memory, or trim it",
            )

    # What is seen

    def picture(self, number: int, width: int) -> Image.Image:
        """What program shows in a frame; opaque RGBA."""
        with self._lock:
            moment = next(one for one in reversed(self._moments) if one.since <= number or one.since == 0)
        return self._rendered(moment.settled(number), number, (width, width * 9 // 16))

    def _rendered(self, moment: Moment, number: int, size: Size) -> Image.Image:
        change = moment.change
        if change is not None and change.clip is None:
            part = (number - change.began + 1) / (change.frames + 1)
            before = self.source(moment.program, number, size)
            picture = Image.blend(before, self.source(other(moment.program), number, size), part)
        elif change is not None and number >= change.cut:
            picture = self.source(other(moment.program), number, size)
        else:
            picture = self.source(moment.program, number, size)
        for laid in moment.overlays:
            if laid is not None and number >= laid.began:
                left = laid.clip.box[0] if laid.asked.left is None else laid.asked.left
                top = laid.clip.box[1] if laid.asked.top is None else laid.asked.top
                laid.clip.lay(picture, laid.frame(number), (left, top))
        if change is not None and change.clip is not None:
            change.clip.lay(picture, number - change.began)
        return picture

    def source(self, source: Source, number: int, size: Size) -> Image.Image:
        """What a source shows in a frame; opaque RGBA. Its copy may be painted on."""
        return self._held.sources[source](number, size)

    # What is done

    def _do(self, **change: object) -> None:
        """Enter a new moment that begins with the next frame."""
        since = self.now + 1
        last = self._moments[-1].settled(since)
        self._moments.append(replace(last, since=since, **change))  # type: ignore[arg-type]
        del self._moments[1:-MOST_MOMENTS]

    def _free_for_change(self) -> Moment:
        moment = self._moments[-1].settled(self.now + 1)
        if moment.change is not None:
            raise Refusal("a transition is under way", remedy="wait until it has ended", status=409)
        return moment

    def _clip(self, number: int) -> Clip:
        if number not in self._memories:
            raise Refusal(f"memory {number} is empty", remedy="choose one that is filled", status=404)
        return self._memories[number].clip

    def _listed(self) -> list[MemoryInfo]:
        return [
            MemoryInfo(
                number=number,
                title=one.clip.title,
                frames=one.clip.count,
                bytes=one.clip.bytes,
                box=one.clip.box,
                cut=one.clip.cut_at,
                mode=one.clip.own_mode,
            )
            if (one := self._memories.get(number))
            else MemoryInfo(number=number)
            for number in range(1, MEMORIES + 1)
        ]

    def _desk(self) -> Desk:
        at = self.now
        moment = self._moments[-1].settled(at)
        change = moment.change
        moving = "" if change is None else change.clip.title if change.clip else "mix"
        return Desk(
            show=self._show,
            at=at,
            program=moment.program,
            preview=other(moment.program),
            moving=moving,
            began=change.began if change else None,
            overlays=tuple(self._asked),
            memories=tuple(self._listed()),
            memory_used=sum(one.clip.bytes for one in self._memories.values()),
            memory_total=MOST_MEMORY,
            source_titles=(self._held.titles["A"], self._held.titles["B"]),
        )

    def routes(self) -> APIRouter:
        router = APIRouter(tags=["switcher"])

        @router.get("/desk")
        def get_desk() -> Desk:
            """The desk as it is now."""
            with self._lock:
                return self._desk()

        @router.put("/desk/show")
        def set_show(show: Show) -> Desk:
            """What the show runs at; another raster or rate empties the memories."""
            with self._lock:
                if (show.width, show.rate) == (self._show.width, self._show.rate):
                    self._show, self.pace = show, show.pace
                else:
                    folders = [one.folder for one in self._memories.values()]
                    for folder in (*folders, *self._held.folders.values()):
                        if folder is not None:
                            shutil.rmtree(folder, ignore_errors=True)
                    self._set_up(show)
                return self._desk()

        @router.post("/desk/cut")
        def cut() -> Desk:
            """Cut: the other source is on air with the next frame."""
            with self._lock:
                self._do(program=other(self._free_for_change().program))
                return self._desk()

        @router.post("/desk/mix")
        def mix(mix: Mix) -> Desk:
            """Mix into the other source over some frames."""
            with self._lock:
                self._free_for_change()
                self._do(change=Change(self.now + 1, mix.frames))
                return self._desk()

        @router.post("/desk/play")
        def play(play: Play) -> Desk:
            """Play a clip over the cut to the other source."""
            with self._lock:
                self._free_for_change()
                clip = self._clip(play.memory)
                self._do(change=Change(self.now + 1, clip.count, clip))
                return self._desk()

        @router.put("/desk/overlays/{layer}")
        def set_overlay(layer: Layer, asked: Overlay) -> Desk:
            """Show a memory on an overlay layer, from its first frame on, or clear the layer."""
            with self._lock:
                laid = None if asked.memory is None else Laid(self._clip(asked.memory), asked, self.now + 1)
                overlays = list(self._moments[-1].overlays)
                overlays[layer - 1] = laid
                self._asked[layer - 1] = asked  # how it shall play counts before anything is on it
                self._do(overlays=tuple(overlays))
                return self._desk()

        @router.put("/memories/{number}/cut")
        def set_cut(number: MemoryNumber, at: CutAt) -> Desk:
            """Set where the sources are cut under a clip."""
            with self._lock:
                self._memories[number].clip = self._clip(number).cut_set(at.frame)
                return self._desk()

        @router.delete("/memories/{number}")
        def clear_memory(number: MemoryNumber) -> Desk:
            """Empty a memory; what is on air is played to its end."""
            with self._lock:
                clip = self._clip(number)
                last = self._moments[-1]
                if any(laid is not None and laid.clip is clip for laid in last.overlays):
                    raise Refusal("it is on air as an overlay", remedy="take it off air first", status=409)
                if self._moments[-1].settled(self.now).change is not None:
                    raise Refusal("a transition is under way", remedy="wait until it has ended", status=409)
                folder = self._memories.pop(number).folder
                self._moments = [self._moments[0], replace(last.settled(self.now), since=self.now)]
                if folder is not None:
                    shutil.rmtree(folder, ignore_errors=True)
                return self._desk()

        @router.get("/program/{number}", responses=PNG, response_class=Response)
        def get_program(number: FrameNumber, width: Width = 960) -> Response:
            """What program showed in a frame that was on air, as a picture of a width up to the raster's."""
            if number > self.now:
                raise Refusal("it is not on air yet", remedy="wait for it", status=404)
            return as_png(self.picture(number, min(width, self.raster[0])))

        @router.get("/sources/{source}/{number}", responses=PNG, response_class=Response)
        def get_source(source: Source, number: FrameNumber, width: Width = 960) -> Response:
            """What a source shows in a frame, with nothing over it."""
            size = min(width, self.raster[0]), min(width, self.raster[0]) * 9 // 16
            return as_png(self.source(source, number, size))

        @router.get("/monitor/program", response_class=StreamingResponse)
        def watch_program(rate: MonitorRate = STREAM_RATE) -> StreamingResponse:
            """The program monitor."""
            return as_stream(lambda: self.picture(self.now, HALF[0]), rate)

        @router.get("/monitor/preview", response_class=StreamingResponse)
        def watch_preview(rate: MonitorRate = STREAM_RATE) -> StreamingResponse:
            """The preview monitor: the other source."""

            def picture() -> Image.Image:
                number = self.now
                with self._lock:
                    waiting = other(self._moments[-1].settled(number).program)
                return smaller(self.source(waiting, number, HALF), (480, 270))

            return as_stream(picture, rate)

        return router
