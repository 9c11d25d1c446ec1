"""Video clips: their frames as square-pixelled pictures the right way up, and their exact times.

Sources: ISO/IEC 14496-12, sections 4.3 (brands) and 8.5.2 (track matrix); RFC 9559, 8.1 (DocType of EBML);
ITU-R BT.601 and BT.709. A clip that does not say which colours it has is taken as BT.709 from 720 lines on and
as BT.601 below (common practice, no published source).
"""

import itertools
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..content import Content, opened
from ..errors import InputError
from ..timing.flicks import SECOND
from .header import check_area
from .reformat import reformatted

MOST_FRAMES = 500_000
"""The most frames of a clip that are looked through."""
_INDEXED = ("mov", "matroska", "avi")
"""Kinds of clip, as FFmpeg calls them, that say where their key frames are."""
_UNSPECIFIED = 2
_BT709, _BT601 = 1, 5


def knows(data: bytes, name: str) -> bool:
    """Whether a file whose first bytes these are looks like a clip."""
    return family(data) is not None


def family(data: bytes) -> str | None:
    """What people call the kind of clip whose first bytes these are; ``None`` of what is none."""
    if data[4:8] == b"ftyp":
        brand = data[8:12]
        if brand in (b"avif", b"avis", b"mif1", b"msf1"):
            return None
        return "MOV" if brand == b"qt  " else "MP4"
    if data[4:8] in (b"moov", b"mdat", b"wide", b"free", b"skip"):  # as it was before there were brands
        return "MOV"
    if data[:4] == b"RIFF":
        return "AVI" if data[8:12] == b"AVI " else None
    if data[:4] == b"\x1a\x45\xdf\xa3":
        at = data.find(b"\x42\x82", 4, 64)  # the DocType, and its length with the highest bit set
        doctype = data[at + 3 : at + 3 + (data[at + 2] & 0x7F)] if 0 < at < len(data) - 2 else b""
        return "WebM" if doctype.rstrip(b"\0") == b"webm" else "Matroska"
    program = data[:4] in (b"\0\0\1\xba", b"\0\0\1\xb3")
    transport = len(data) > 376 and data[0] == data[188] == data[376] == 0x47
    return "MPEG" if program or transport else None


@contextmanager
def container_of(data: Content, name: str) -> Iterator[tuple[Any, Any]]:
    """The container and its first video stream, decoded with alpha where it has one."""
    import av

    try:
        with opened(data) as file, av.open(file, metadata_errors="replace") as container:
            if not container.streams.video or container.streams.video[0].codec_context is None:
                raise InputError("holds no moving picture", file=name, remedy="use a clip with a picture")
            stream = container.streams.video[0]
            check_area(stream.codec_context.width, stream.codec_context.height, name)
            yield container, stream
    except av.error.FFmpegError as broken:
        raise InputError(
            "is damaged, or an unsupported kind of clip",
            file=name,
            remedy="convert it to MP4, MOV, WebM, AVI or MPEG",
        ) from broken


def _has_alpha(stream: Any) -> bool:
    """Whether a second picture carries the alpha of each, as WebM has it."""
    return stream.metadata.get("alpha_mode") == "1" and stream.codec_context.name in ("vp8", "vp9")


def _frames(container: Any, stream: Any) -> Iterator[Any]:
    """Decoded frames in shown order."""
    if not _has_alpha(stream):
        yield from container.decode(stream)
        return
    import av

    # Only this decoder reads the second picture that carries the alpha.
    decoder: Any = av.CodecContext.create(f"libvpx{'-vp9' if stream.codec_context.name == 'vp9' else ''}", "r")
    decoder.extradata = stream.codec_context.extradata
    for packet in container.demux(stream):
        yield from decoder.decode(packet if packet.size else None)


@dataclass(frozen=True)
class Cut:
    """What is taken of a clip: its frames from ``first`` (from 1) to ``last``, of these every ``step``-th."""

    first: int = 1
    last: int | None = None
    step: int = 1


WHOLE = Cut()


@dataclass(frozen=True)
class Survey:
    """What a clip holds, told by its packets and its first picture."""

    count: int
    width: int
    height: int
    """Of a frame as it comes out, turned and with square pixels."""
    duration: int
    """In flicks."""
    rate: Fraction | None
    """Frames a second, on the average."""


def survey(data: Content, name: str) -> Survey:
    """Look through a clip. Raises ``InputError``."""
    with container_of(data, name) as (container, stream):
        rate, tick = stream.average_rate, stream.time_base
        stamps = _stamps(container, stream, name)
    first = next(pictures(data, name), None)
    if not stamps or first is None:
        raise InputError("holds no pictures", file=name, remedy="use an undamaged copy")
    return Survey(len(stamps), first.shape[1], first.shape[0], sum(_lengths(stamps, rate, tick)), rate)


def durations(data: Content, name: str, most: int, cut: Cut = WHOLE) -> tuple[int, ...]:
    """How long each frame that is taken is shown, in flicks, from the time stamps.

    The clip's last frame is shown as long as the one before it. Raises ``InputError`` when more than ``most``
    are taken, or none.
    """
    with container_of(data, name) as (container, stream):
        rate, tick = stream.average_rate, stream.time_base
        stamps = _stamps(container, stream, name)
    lengths = _lengths(stamps, rate, tick)
    taken = range(cut.first - 1, min(cut.last or len(lengths), len(lengths)), cut.step)
    if len(taken) > most:
        raise InputError(
            f"would add {len(taken)} frames; the limit is {most}",
            file=name,
            remedy="take a part of it, or every second frame",
        )
    if not taken and lengths:
        raise InputError(
            f"has {len(lengths)} frames, none from {cut.first} on", file=name, remedy="start earlier"
        )
    return tuple(sum(lengths[at : min(at + cut.step, taken.stop)]) for at in taken)


def _stamps(container: Any, stream: Any, name: str) -> list[Fraction]:
    """When each frame is shown, in seconds, in shown order."""
    stamps: list[int] = []
    for packet in container.demux(stream):
        if packet.size and packet.pts is not None:
            stamps.append(packet.pts)
            if len(stamps) > MOST_FRAMES:
                raise InputError(
                    f"holds more than {MOST_FRAMES:,} frames", file=name, remedy="split it into parts first"
                )
    return [stamp * stream.time_base for stamp in sorted(stamps)]


def _lengths(stamps: list[Fraction], rate: Fraction | None, tick: Fraction) -> list[int]:
    """How long each frame is shown, in flicks.

    A clip of a constant rate whose stamps are rounded, as to milliseconds in WebM, plays at that rate.
    """
    if rate and all(abs(stamp - stamps[0] - at / rate) <= tick for at, stamp in enumerate(stamps)):
        times = [round(at * SECOND / rate) for at in range(len(stamps) + 1)]
        return [after - before for before, after in itertools.pairwise(times)]
    times = [round((stamp - stamps[0]) * SECOND) for stamp in stamps]
    lengths = [after - before for before, after in itertools.pairwise(times)]
    last = lengths[-1] if lengths else round(SECOND / rate) if rate else SECOND // 25
    return [*lengths, last] if stamps else []


def pictures(data: Content, name: str, cut: Cut = WHOLE) -> Iterator[NDArray[np.uint8]]:
    """Each frame that is taken as straight RGBA, shape (height, width, 4), turned and with square pixels."""
    for number, frame, shape in _numbered(data, name, cut.first):
        if cut.last is not None and number > cut.last:
            return
        if (number - cut.first) % cut.step == 0:
            yield _picture(frame, shape)


def _numbered(data: Content, name: str, first: int) -> Iterator[tuple[int, Any, Fraction | None]]:
    """Decoded frames from the ``first`` on with their numbers, and the shape of their pixels.

    What lies long before the first is leapt over where the clip can be entered in its middle.
    """
    if first > 1:
        with container_of(data, name) as (container, stream):
            stamps = _stamps(container, stream, name)
        if first > len(stamps):
            return
        with container_of(data, name) as (container, stream):
            shape = stream.sample_aspect_ratio or stream.codec_context.sample_aspect_ratio
            if not _has_alpha(stream) and _enter(container, stream, stamps[first - 1]):
                decoded = container.decode(stream)
                found = _found(decoded, stamps[first - 1], stream.time_base)
                if found is not None:
                    yield first, found, shape
                    for number, frame in enumerate(decoded, first + 1):
                        yield number, frame, shape
                    return
    with container_of(data, name) as (container, stream):
        shape = stream.sample_aspect_ratio or stream.codec_context.sample_aspect_ratio
        for number, frame in enumerate(_frames(container, stream), 1):
            if number >= first:
                yield number, frame, shape


def _found(decoded: Iterator[Any], stamp: Fraction, base: Fraction) -> Any | None:
    """The frame that is shown at a time, if decoding comes by it after a key frame.

    What comes before one may lean on pictures that were leapt over.
    """
    whole = False
    for frame in decoded:
        whole = whole or bool(frame.key_frame)
        if frame.pts is None or frame.pts * base > stamp:
            return None
        if whole and frame.pts * base == stamp:
            return frame
    return None


def _enter(container: Any, stream: Any, stamp: Fraction) -> bool:
    """Go to the key frame before a time; whether that can be relied on."""
    if not container.format.name.startswith(_INDEXED):
        return False  # without an index, times after a leap are guessed
    import av

    try:
        container.seek(int(stamp / stream.time_base), stream=stream)
    except av.error.FFmpegError:
        return False
    return True


def _picture(frame: Any, shape: Fraction | None) -> NDArray[np.uint8]:
    space = int(frame.colorspace)
    if space in (_UNSPECIFIED, 0):
        space = _BT709 if frame.height >= 720 else _BT601
    picture: NDArray[np.uint8] = reformatted(frame, "rgba", src_colorspace=space).to_ndarray()
    if shape and shape != 1:
        # The pixels of a frame are stretched across, never squeezed down: no line of it is lost.
        width, height = frame.width, frame.height
        if shape > 1:
            width = max(1, round(width * shape))
        else:
            height = max(1, round(height / shape))
        picture = np.array(Image.fromarray(picture).resize((width, height), Image.Resampling.LANCZOS))
    turns = round(getattr(frame, "rotation", 0) / 90) % 4
    return np.ascontiguousarray(np.rot90(picture, turns)) if turns else picture
