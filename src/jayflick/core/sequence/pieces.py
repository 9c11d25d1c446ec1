"""What one file brings: itself, the frames it holds, or the files packed in it."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from io import BytesIO
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..content import MAX_BYTES, Content, head_of, whole
from ..errors import InputError
from ..pictures import clip
from ..pictures.fingerprint import Fingerprint, fingerprint, reduced
from ..pictures.header import MOST_FRAME_PIXELS, Header, check_area
from ..pictures.kinds import read_header, read_picture
from ..pictures.moving import Moving, open_clip, open_moving
from ..pictures.unset import UNSET, leaves_alpha_unset
from .archives import is_archive, members
from .project_file import DOCUMENT, SCHEMA, ProjectFile, read_document

T = TypeVar("T")
MOST_PIXELS = 2_000_000_000
"""The most pixels that all pictures of an animated file may have together: 960 of 1920 × 1080."""
GLIMPSE = (640, 400)
"""The most pixels across and down of a clip's frame that is looked at."""
THUMB = (400, 112)
"""The most pixels across and down of a thumbnail."""
_SOON = 128 * 128
"""Pixels of a picture of which a thumbnail is made when it is wanted: two thousand would hold up an import."""


@dataclass(frozen=True)
class Piece:
    """One frame, looked at to its last pixel."""

    name: str
    """The file's name; for a frame taken out of one, the file's as a folder: ``wave.gif/0001.png``."""
    data: bytes | None
    """A frame taken out of a file, as PNG, or a file of an archive; ``None``: what was brought is the frame."""
    header: Header
    fingerprint: Fingerprint
    thumb: bytes | None
    """A small WebP; ``None`` of a picture so small that it is soon made once somebody looks."""
    duration: int | None = None
    """How long it is shown, in flicks, when its file says so."""
    repeat: int | None = None
    """How often the file it came from plays: 0 for ever."""
    written: float | None = None
    """When its file was last written, in seconds since 1970, where that is known."""


@dataclass(frozen=True)
class Refused:
    """A file that brings nothing, and why."""

    name: str
    error: InputError


@dataclass(frozen=True)
class Enclosed:
    """What an archive says of the project whose frames it holds."""

    name: str
    project: ProjectFile


def pieces(
    data: Content,
    name: str,
    *,
    packed: bool = False,
    written: float | None = None,
    cut: clip.Cut = clip.WHOLE,
) -> Iterator[Piece | Refused | Enclosed]:
    """Take a file apart. Never raises for bad input: what cannot be used comes as ``Refused``.

    ``packed``: the file came in an archive. An archive in an archive is not opened. ``written``: when it was
    last written, in seconds since 1970. ``cut``: what is taken of it when it is a clip.
    """
    return told(name, _apart(data, name, packed, written, cut))


def only_piece(data: bytes, name: str) -> Piece | Refused | None:
    """What a file is that is one picture, or why it is refused; ``None`` of an archive, a clip or a loop."""
    head = head_of(data)
    if is_archive(head, name) or clip.knows(head, name):
        return None
    found = next(pieces(data, name), None)
    return found if isinstance(found, Refused) or (isinstance(found, Piece) and found.data is None) else None


def _apart(
    content: Content, name: str, packed: bool, written: float | None, cut: clip.Cut
) -> Iterator[Piece | Refused | Enclosed]:
    head = head_of(content)
    if is_archive(head, name):
        if packed:
            raise InputError("is an archive in an archive", file=name, remedy="unpack it first")
        for member in members(content, name, MAX_BYTES):
            if member.error is not None:
                yield Refused(member.name, member.error)
            elif member.name == DOCUMENT:
                try:
                    yield Enclosed(member.name, read_document(member.data, name))
                except InputError as error:
                    yield Refused(member.name, error)
            elif member.name != SCHEMA:
                yield from pieces(member.data, member.name, packed=True, written=member.written)
        return
    if clip.knows(head, name):
        yield from _taken_out(open_clip(content, name, cut), name, None)
        return
    data = whole(content)
    header = read_header(data, name=name)
    check_area(header.width, header.height, name, MOST_FRAME_PIXELS)
    if header.count > 1:
        need_bounded(header, header.count, name)
        yield from _taken_out(open_moving(data, name), name, header)
        return
    picture = read_picture(data, name=name)
    overview = reduced(picture, *THUMB)
    if header.transparent and picture[:, :, 3].min() == 255:  # many programs write alpha that is never used
        unset = leaves_alpha_unset(data, name)
        header = replace(header, transparent=False, notes=(*header.notes, *([UNSET] if unset else ())))
    yield Piece(
        name,
        data if packed else None,
        header,
        fingerprint(picture, overview),
        None if picture[:, :, 0].size <= _SOON else thumbnail(picture, overview),
        written=written,
    )


def look_through(data: Content, name: str) -> Iterator[clip.Survey | Refused]:
    """What a clip holds, before any of it is taken. Never raises for bad input."""

    def found() -> Iterator[clip.Survey]:
        yield clip.survey(data, name)

    return told(name, found())


def header(data: Content, name: str) -> Iterator[Header | Refused]:
    """What a picture says of itself, before it is decoded. Never raises for bad input."""

    def found() -> Iterator[Header]:
        yield read_header(whole(data), name=name)

    return told(name, found())


@dataclass(frozen=True)
class Glimpse:
    """One frame of a clip, to be looked at."""

    picture: bytes
    """A WebP, at most 640 pixels across and 400 down."""


def glimpse(data: Content, name: str, number: int) -> Iterator[Glimpse | Refused]:
    """The frame of a clip with this number, from 1. Never raises for bad input."""

    def found() -> Iterator[Glimpse]:
        picture = next(clip.pictures(data, name, clip.Cut(number, number)), None)
        if picture is None:
            raise InputError(f"has no frame {number}", file=name, remedy="choose one it has")
        small = Image.fromarray(picture)
        small.thumbnail(GLIMPSE, Image.Resampling.BILINEAR)
        out = BytesIO()
        small.save(out, "WEBP", quality=80, method=1)
        yield Glimpse(out.getvalue())

    return told(name, found())


def told(name: str, found: Iterator[T]) -> Iterator[T | Refused]:
    """What is found in a file; where it goes wrong, why, instead of the rest."""
    try:
        yield from found
    except InputError as error:
        yield Refused(name, error)
    except MemoryError:
        remedy = "scale it down, or split it into parts"
        yield Refused(name, InputError("there is not enough memory to read it", file=name, remedy=remedy))
    except Exception:  # decoders raise many kinds; each means the same to a person
        remedy = "render or copy the file again"
        yield Refused(name, InputError("is damaged", file=name, remedy=remedy))


def _taken_out(moving: Moving, name: str, header: Header | None) -> Iterator[Piece]:
    times = moving.durations
    if header is not None and times is not None:  # what its head promises may be less than it holds
        need_bounded(header, len(times), name)
    number = 0
    try:
        for number, picture in enumerate(moving.pictures, 1):
            if times is not None and number > len(times):
                break
            label = header.label if header is not None else "clip"
            notes = (*(header.notes if header is not None else ()), *moving.remarks)
            duration = times[number - 1] if times is not None else None
            made = piece_of(f"{name}/{number:04}.png", picture, label, notes)
            yield replace(made, duration=duration, repeat=moving.repeat)
    except (InputError, MemoryError):
        raise
    except Exception as broken:
        after = f" after its first {number} pictures" if number else ""
        raise InputError(f"is damaged{after}", file=name, remedy="render or copy the file again") from broken
    if number == 0:
        raise InputError("holds no pictures", file=name, remedy="use an undamaged copy")


def piece_of(name: str, picture: NDArray[np.uint8], label: str, notes: tuple[str, ...] = ()) -> Piece:
    """A picture that has no file of its own yet, straight RGBA, as a PNG."""
    height, width = picture.shape[:2]
    clear = bool((picture[:, :, 3] < 255).any())
    overview = reduced(picture, *THUMB)
    out = BytesIO()
    Image.fromarray(picture).save(out, "PNG", compress_level=1)
    return Piece(
        name,
        out.getvalue(),
        Header(width, height, label, clear, notes=notes),
        fingerprint(picture, overview),
        thumbnail(picture, overview),
    )


def need_bounded(header: Header, count: int, name: str) -> None:
    if header.width * header.height * count > MOST_PIXELS:
        raise InputError(
            f"its {count} frames have more than {MOST_PIXELS // 10**6:,} million pixels together",
            file=name,
            remedy="scale it down, or split it into parts",
        )


def thumbnail(picture: NDArray[np.uint8], overview: Image.Image | None = None) -> bytes:
    """A small WebP of a picture, straight RGBA. ``overview``: it reduced, if that is there."""
    small = overview or reduced(picture, *THUMB)
    share = min(1.0, THUMB[0] / picture.shape[1], THUMB[1] / picture.shape[0])
    size = max(1, round(picture.shape[1] * share)), max(1, round(picture.shape[0] * share))
    out = BytesIO()
    small.resize(size, Image.Resampling.LANCZOS).save(out, "WEBP", quality=82, method=2)
    return out.getvalue()
