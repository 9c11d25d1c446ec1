"""What APNG, WebP, AVIF, TIFF, clips and stills really hold, told from their own bytes.

Sources: PNG third edition, 11.3.6 (APNG); WebP container specification (ANMF); and decoders where a container
does not say.
"""

import struct
from dataclasses import dataclass
from fractions import Fraction
from io import BytesIO
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..pictures import clip, png
from ..pictures.apng import FrameControl
from ..pictures.kinds import kind_of, read_picture
from ..timing.flicks import SECOND
from .video import decoded
from .webp import chunks as webp_chunks

Frame = dict[str, Any]
"""As it is printed, but for ``delay_ms``, which is exact."""


@dataclass(frozen=True)
class Held:
    """What a file holds, with exact times."""

    family: str
    """What people call the kind of file, whatever its name says: ``"Matroska"``."""
    form: str
    """``"still"``, ``"video"``, or a moving picture's format."""
    width: int
    height: int
    frames: list[Frame]
    repeat: int
    transparent: bool
    codec: str | None = None

    @property
    def duration_ms(self) -> Fraction:
        return sum((frame["delay_ms"] for frame in self.frames), Fraction(0))

    def document(self, size: int) -> dict[str, Any]:
        """As ``info`` prints it."""
        frames = [{**frame, "delay_ms": _tidy(frame["delay_ms"])} for frame in self.frames]
        return {
            "format": self.form,
            "width": self.width,
            "height": self.height,
            "count": len(frames),
            "repeat": self.repeat,
            "duration_ms": _tidy(self.duration_ms),
            "bytes": size,
            "colours": None,
            "transparent": self.transparent,
            "frames": frames,
            **({} if self.codec is None else {"codec": self.codec}),
        }


def held_by(data: bytes, name: str) -> Held:
    """``InputError`` when the file is damaged or of no known kind."""
    clips = clip.family(data)
    if clips is not None:
        return _clip(data, name, clips)
    kind = kind_of(data, name)
    family = kind.family(data)
    head = kind.header(data, name)
    if png.knows(data, name):
        frames, repeat = _apng_frames(data, name)
    elif data[:4] == b"RIFF":
        frames, repeat = _webp_frames(data)
    elif head.count > 1:
        frames, repeat = _pillow_frames(data)
    else:
        frames, repeat = [], 1
    if not frames:
        clear = _clear(read_picture(data, name=name))
        return Held(family, "still", head.width, head.height, [_frame(0, Fraction(0), len(data))], 1, clear)
    form = {"PNG": "apng"}.get(family, family.lower())
    return Held(family, form, head.width, head.height, frames, repeat, _clear_moving(data))


def _tidy(number: Fraction) -> float | int:
    return int(number) if number == int(number) else round(float(number), 3)


def _frame(
    index: int,
    delay_ms: Fraction,
    size: int | None = None,
    box: list[int] | None = None,
    disposal: int | None = None,
) -> Frame:
    return {
        "index": index,
        "delay_ms": delay_ms,
        "bytes": size,
        "box": box,
        "disposal": disposal,
        "palette": None,
        "colours": None,
    }


def _apng_frames(data: bytes, name: str) -> tuple[list[Frame], int]:
    frames: list[Frame] = []
    repeat = 1
    for tag, body in png.chunks(data, name):
        if tag == b"acTL" and len(body) == 8:
            repeat = struct.unpack_from(">I", body, 4)[0]
        elif tag == b"fcTL" and len(body) == 26:
            control = FrameControl.parse(body)
            delay = Fraction(1000 * control.delay)
            frames.append(_frame(len(frames), delay, 38, list(control.box), control.dispose))
        elif tag in (b"IDAT", b"fdAT") and frames:
            frames[-1]["bytes"] += len(body) + 12
    return frames, repeat


def _webp_frames(data: bytes) -> tuple[list[Frame], int]:
    frames: list[Frame] = []
    repeat = 1
    for tag, at, size in webp_chunks(data):
        if tag == b"ANIM":
            repeat = struct.unpack_from("<H", data, at + 4)[0]
        elif tag == b"ANMF" and size >= 16:
            left, top, width, height, delay = (
                int.from_bytes(data[at + n : at + n + 3], "little") for n in (0, 3, 6, 9, 12)
            )
            box = [left * 2, top * 2, width + 1, height + 1]
            frames.append(_frame(len(frames), Fraction(delay), size + 8, box, data[at + 15] & 1))
    return frames, repeat


def _pillow_frames(data: bytes) -> tuple[list[Frame], int]:
    with Image.open(BytesIO(data)) as image:
        frames = []
        for index in range(getattr(image, "n_frames", 1)):
            image.seek(index)
            image.load()
            frames.append(_frame(index, Fraction(image.info.get("duration", 0))))
        return frames, int(image.info.get("loop", 0))


def _clear(picture: NDArray[np.uint8]) -> bool:
    return bool((picture[:, :, 3] < 255).any())


def _clear_moving(data: bytes) -> bool:
    with Image.open(BytesIO(data)) as image:
        for index in range(getattr(image, "n_frames", 1)):
            image.seek(index)
            if _clear(np.array(image.convert("RGBA"))):
                return True
    return False


def _clip(data: bytes, name: str, family: str) -> Held:
    times = clip.durations(data, name, clip.MOST_FRAMES)
    with clip.container_of(data, name) as (_, stream):
        width, height = stream.codec_context.width, stream.codec_context.height
        codec = stream.codec_context.name
        clear = any(_clear(picture) for picture in decoded(data))
    frames = [_frame(index, Fraction(1000 * length, SECOND)) for index, length in enumerate(times)]
    return Held(family, "video", width, height, frames, 1, clear, codec)
