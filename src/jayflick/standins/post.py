"""The notice board: a host of posts that has limits, and shrinks what is too wide without being asked."""

import shutil
import threading
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Request, Response
from fastapi import Path as PathPart
from fastapi.responses import FileResponse
from PIL import Image, ImageSequence
from pydantic import Field

from ..delivery.protocol import Answer, Document, Intake, Offer, OfferedFile, Status
from .device import Device
from .errors import Refusal
from .intake import Work
from .pictures import opened

MOST_BYTES = 5 * 1024 * 1024
"""Many hosts refuse more (common practice, no published source)."""
MOST_SIDE = 4096
WIDE = 600
"""What is wider is shrunk (common practice, no published source)."""
LEAST_DELAY = 20
"""Milliseconds; what this host codes anew has no shorter delay."""
MOST_PIXELS = 2_000_000_000
"""Of all frames together, each of which is looked at."""
MOST_SHRUNK = 60_000_000
"""Pixels of all frames together that are coded anew; they are held in memory for that."""
MOST_POSTS = 24
TYPES = {
    ".gif": "image/gif",
    ".png": "image/png",
    ".apng": "image/apng",
    ".jpg": "image/jpeg",
    ".jpeg": "image/jpeg",
    ".webp": "image/webp",
    ".avif": "image/avif",
    ".mp4": "video/mp4",
}
ENDINGS = ", ".join(ending[1:].upper() for ending in TYPES)


class Seen(Document):
    """What a file is."""

    width: int
    height: int
    bytes: int
    frames: int
    duration_ms: int


class Post(Document):
    """A file on the board."""

    number: int
    title: str
    url: str
    media_type: str
    sent: Seen
    shown: Seen
    remarks: tuple[str, ...] = Field(description="What the host did to it")


@dataclass(frozen=True)
class _Kept:
    post: Post
    file: Path
    folder: Path


class PostHost(Device):
    """Keeps posts, the newest first."""

    kind = "post"
    title = "Notice board"

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self._lock = threading.Lock()
        self._posts: list[_Kept] = []
        self._next = 1

    def status(self) -> Status:
        return Status(
            kind=self.kind,
            title=self.title,
            note=f"up to {MOST_BYTES >> 20} MB; wider than {WIDE} pixels is shrunk",
            uses=("post",),
            busy=self.intakes.busy,
        )

    def consider(self, offer: Offer) -> Offer:
        first = offer.files[0]
        if len(offer.files) != 1:
            raise Refusal("a post is one file", file=first.name, remedy="send a GIF, or a single picture")
        if Path(first.name).suffix.lower() not in TYPES:
            raise Refusal(f"is not one of {ENDINGS}", file=first.name, remedy="export it as GIF")
        if first.bytes > MOST_BYTES:
            raise Refusal(
                f"is {first.bytes / 1024:.0f} KB; a post has {MOST_BYTES // 1024} KB at most",
                file=first.name,
                remedy="make it smaller: fewer colours, frames or pixels",
            )
        return offer.model_copy(update={"use": "post"})

    def convert(self, offer: Offer, folder: Path, work: Work) -> Answer:
        path = folder / offer.files[0].name
        kind = TYPES[path.suffix.lower()]
        work.step(1)
        if kind == "video/mp4":
            if path.read_bytes()[4:8] != b"ftyp":
                raise Refusal("cannot be played as a clip", file=path.name, remedy="export it again")
            nothing = Seen(width=0, height=0, bytes=path.stat().st_size, frames=0, duration_ms=0)
            return self._keep(offer, folder, path, kind, nothing, nothing, ("clips are shown as they come",))
        sent = _seen(path)
        if sent.width <= WIDE:
            return self._keep(offer, folder, path, kind, sent, sent, ())
        if sent.frames * WIDE * round(sent.height * WIDE / sent.width) > MOST_SHRUNK:
            said = f"its {sent.frames} frames are too much to be shrunk to {WIDE} pixels"
            raise Refusal(said, file=path.name, remedy=f"send it {WIDE} wide")
        small = folder / f"shown{path.suffix.lower()}"
        small.write_bytes(_shrunk(path, sent))
        shown = _seen(small)
        remarks = [f"shrunk from {sent.width} × {sent.height} to {shown.width} × {shown.height}"]
        remarks.append(f"{sent.bytes / 1024:.0f} KB became {shown.bytes / 1024:.0f} KB")
        if shown.duration_ms != sent.duration_ms:
            remarks.append(f"{sent.duration_ms} ms became {shown.duration_ms} ms")
        if shown.frames != sent.frames:
            remarks.append(f"{sent.frames} frames became {shown.frames}")
        if kind == "image/gif":
            remarks.append("its colours were chosen anew, and its edges are uneven")
        return self._keep(offer, folder, small, kind, sent, shown, tuple(remarks))

    def _keep(
        self,
        offer: Offer,
        folder: Path,
        file: Path,
        kind: str,
        sent: Seen,
        shown: Seen,
        remarks: tuple[str, ...],
    ) -> Answer:
        with self._lock:
            number, self._next = self._next, self._next + 1
            post = Post(
                number=number,
                title=offer.title or offer.files[0].name,
                url=f"/api/posts/{number}/file",
                media_type=kind,
                sent=sent,
                shown=shown,
                remarks=remarks,
            )
            self._posts.insert(0, _Kept(post, file, folder))
            for old in self._posts[MOST_POSTS:]:
                shutil.rmtree(old.folder, ignore_errors=True)
            del self._posts[MOST_POSTS:]
        changed = sent != shown
        message = remarks[0] if changed else "is shown as it was sent"
        return Answer(
            verdict="changed" if changed else "taken",
            message=message,
            remedy=f"send it {WIDE} wide, and nobody shrinks it" if changed else "",
            remarks=remarks[1:] if changed else remarks,
        )

    def routes(self) -> APIRouter:
        router = APIRouter(tags=["post"])

        @router.get("/posts")
        def list_posts() -> list[Post]:
            """All posts, the newest first."""
            with self._lock:
                return [one.post for one in self._posts]

        @router.get("/posts/{number}/file", response_class=FileResponse)
        def get_post_file(number: Annotated[int, PathPart(ge=1)]) -> FileResponse:
            """A post's file as the host shows it."""
            with self._lock:
                found = next((one for one in self._posts if one.post.number == number), None)
            if found is None:
                raise Refusal("there is no such post", status=404)
            return FileResponse(found.file, media_type=found.post.media_type)

        @router.post("/upload", status_code=201)
        async def upload(request: Request) -> Intake:
            """A post as a form sends it: one field, ``file``. It is checked when this has answered."""
            async with request.form(max_files=1, max_fields=4) as form:
                sent = form.get("file")
                if sent is None or isinstance(sent, str):
                    raise Refusal("the form has no file", remedy="choose one")
                data = await sent.read(MOST_BYTES + 1)
                name = Path((sent.filename or "").replace("\\", "/")).name or "post"
            size = len(data) if sent.size is None else sent.size
            key = f"form-{self._next}-{id(request)}"
            offer = Offer(key=key, files=(OfferedFile(name=name, bytes=size),))
            intake = self.intakes.offer(offer)
            path, _ = self.intakes.file(intake.id, name)
            path.write_bytes(data)
            self.intakes.received(intake.id, name)
            return self.intakes.finish(intake.id)

        @router.delete("/posts/{number}", status_code=204)
        def remove_post(number: Annotated[int, PathPart(ge=1)]) -> Response:
            """Take a post down."""
            with self._lock:
                for one in [one for one in self._posts if one.post.number == number]:
                    shutil.rmtree(one.folder, ignore_errors=True)
                    self._posts.remove(one)
            return Response(status_code=204)

        return router


def _seen(path: Path) -> Seen:
    with opened(path) as picture:
        if max(picture.size) > MOST_SIDE:
            said = f"is {picture.width} × {picture.height}; sides have {MOST_SIDE} pixels at most"
            raise Refusal(said, file=path.name, remedy="scale it down")
        frames = duration = 0
        try:
            for frame in ImageSequence.Iterator(picture):
                frame.load()
                frames += 1
                if frames * picture.width * picture.height > MOST_PIXELS:
                    said = f"has more than {MOST_PIXELS // 1_000_000} million pixels"
                    raise Refusal(said, file=path.name, remedy="leave frames out, or scale them down")
                duration += round(frame.info.get("duration", 0))
        except (OSError, ValueError, SyntaxError, EOFError):
            raise Refusal("is cut short or damaged", file=path.name, remedy="send it again") from None
        width, height = picture.size
    return Seen(width=width, height=height, bytes=path.stat().st_size, frames=frames, duration_ms=duration)


def _shrunk(path: Path, sent: Seen) -> bytes:
    """The file at the host's width, coded anew as hosts do: fast, and not for beauty."""
    size = WIDE, max(round(sent.height * WIDE / sent.width), 1)
    frames: list[Image.Image] = []
    delays: list[int] = []
    with opened(path) as picture:
        repeat = picture.info.get("loop", 0 if "loop" in picture.info else None)
        for frame in ImageSequence.Iterator(picture):
            frames.append(frame.convert("RGBA").resize(size, Image.Resampling.NEAREST))
            delays.append(max(round(frame.info.get("duration", 0)), LEAST_DELAY))
        kind = picture.format or "PNG"
    out = BytesIO()
    more = {} if repeat is None else {"loop": repeat}
    if kind == "JPEG":
        frames[0].convert("RGB").save(out, "JPEG", quality=75)
    elif len(frames) == 1:
        frames[0].save(out, kind)
    else:
        frames[0].save(out, kind, save_all=True, append_images=frames[1:], duration=delays, disposal=2, **more)
    return out.getvalue()
