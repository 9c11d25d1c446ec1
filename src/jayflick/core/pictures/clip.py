"""Video clips: their frames as square-pixelled pictures the right way up, and their exact times.

Sources: ISO/IEC 14496-12, section 8.5.2 (track matrix); ITU-R BT.601 and BT.709. A clip that does not say which
colours it has is taken as BT.709 from 720 lines on and as BT.601 below (common practice, no published source).
"""

import itertools
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from io import BytesIO
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import InputError
from ..timing.flicks import SECOND
from .header import check_area

_UNSPECIFIED = 2
_BT709, _BT601 = 1, 5


def knows(data: bytes, name: str) -> bool:
    """Whether a file looks like one of the clips that are read: MP4, MOV, WebM, Matroska, AVI or MPEG."""
    if data[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip"):
        return data[8:12] not in (b"avif", b"avis", b"mif1", b"msf1")
    if data[:4] == b"RIFF":
        return data[8:12] == b"AVI "
    if data[:4] in (b"\x1a\x45\xdf\xa3", b"\0\0\1\xba", b"\0\0\1\xb3"):
        return True
    return len(data) > 376 and data[0] == data[188] == data[376] == 0x47  # an MPEG transport stream


@contextmanager
def _opened(data: bytes, name: str) -> Iterator[tuple[Any, Any]]:
    """The container and its first video stream, decoded with alpha where it has one."""
    try:
        with av.open(BytesIO(data), metadata_errors="replace") as container:
            if not container.streams.video or container.streams.video[0].codec_context is None:
                raise InputError("holds no moving picture", file=name, remedy="bring a clip with a picture")
            stream = container.streams.video[0]
            check_area(stream.codec_context.width, stream.codec_context.height, name)
            yield container, stream
    except av.error.FFmpegError as broken:
        raise InputError(
            "is damaged, or a clip of a kind that is not read here",
            file=name,
            remedy="bring it as MP4, MOV, WebM, AVI or MPEG",
        ) from broken


def _frames(container: Any, stream: Any) -> Iterator[Any]:
    """Decoded frames in shown order."""
    alpha = stream.metadata.get("alpha_mode") == "1" and stream.codec_context.name in ("vp8", "vp9")
    if not alpha:
        yield from container.decode(stream)
        return
    # Only this decoder reads the second picture that carries the alpha.
    decoder: Any = av.CodecContext.create(f"libvpx{'-vp9' if stream.codec_context.name == 'vp9' else ''}", "r")
    decoder.extradata = stream.codec_context.extradata
    for packet in container.demux(stream):
        yield from decoder.decode(packet if packet.size else None)


def durations(data: bytes, name: str, most: int) -> tuple[int, ...]:
    """How long each frame is shown, in flicks, from the time stamps; the last as long as the one before it."""
    with _opened(data, name) as (container, stream):
        base = stream.time_base
        stamps: list[int] = []
        for packet in container.demux(stream):
            if packet.size and packet.pts is not None:
                stamps.append(packet.pts)
                if len(stamps) > most:
                    raise InputError(
                        f"holds more than {most} frames", file=name, remedy="cut it into parts first"
                    )
        rate = stream.average_rate
    stamps.sort()
    times = [round((stamp - stamps[0]) * base * SECOND) for stamp in stamps]
    last = round(SECOND / rate) if rate else SECOND // 25
    lengths = [after - before for before, after in itertools.pairwise(times)]
    return (*lengths, lengths[-1] if lengths else last)


def pictures(data: bytes, name: str) -> Iterator[NDArray[np.uint8]]:
    """Each frame as straight RGBA, shape (height, width, 4), turned and with square pixels."""
    with _opened(data, name) as (container, stream):
        shape = stream.sample_aspect_ratio or stream.codec_context.sample_aspect_ratio
        for frame in _frames(container, stream):
            yield _picture(frame, shape)


def _picture(frame: Any, shape: Fraction | None) -> NDArray[np.uint8]:
    space = int(frame.colorspace)
    if space in (_UNSPECIFIED, 0):
        space = _BT709 if frame.height >= 720 else _BT601
    picture: NDArray[np.uint8] = frame.reformat(format="rgba", src_colorspace=space).to_ndarray()
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
