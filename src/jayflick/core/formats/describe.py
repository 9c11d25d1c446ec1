"""What files really hold, told from their own bytes: of every format that is written, and of numbered sets.

Sources: PNG third edition, 11.3.6 (APNG); WebP container specification (ANMF); and decoders where a container
does not say.
"""

import struct
from collections.abc import Sequence
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..broadcast.cover import Cover, opaque_share
from ..errors import InputError
from ..pictures import clip, gif, png
from ..pictures.apng import FrameControl
from ..pictures.kinds import kind_of, read_picture
from ..pictures.unset import read_set
from ..recipe import Kind
from ..sequence.names import by_number
from ..targets.check import Facts
from ..timing.flicks import SECOND
from .gif.reader import describe, read_gif
from .video import decoded
from .webp import chunks as webp_chunks

Frame = dict[str, Any]


def describe_file(data: bytes, name: str) -> dict[str, Any]:
    """The document that ``info`` prints. ``InputError`` when the file is damaged or of no known kind.

    Of a GIF see :func:`.gif.reader.describe`. Elsewhere ``colours`` is ``None`` (not counted), and a frame's
    ``bytes``, ``box`` and ``disposal`` are ``None`` where the format does not say.
    """
    if gif.knows(data, name):
        return describe(read_gif(data, name=name), len(data), name=name)
    if clip.knows(data, name):
        return _clip(data, name)
    kind = kind_of(data, name)
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
        frames, clear = [_frame(0, 0, len(data))], _clear(read_picture(data, name=name))
        return _document("still", head.width, head.height, frames, 1, data, clear)
    form = {b"\x89PNG": "apng", b"RIFF": "webp"}.get(data[:4], "avif")
    return _document(form, head.width, head.height, frames, repeat, data, _clear_moving(data))


def _document(
    form: str, width: int, height: int, frames: list[Frame], repeat: int, data: bytes, clear: bool
) -> dict[str, Any]:
    duration = sum(frame["delay_ms"] for frame in frames)
    return {
        "format": form,
        "width": width,
        "height": height,
        "count": len(frames),
        "repeat": repeat,
        "duration_ms": _tidy(duration),
        "bytes": len(data),
        "colours": None,
        "transparent": clear,
        "frames": frames,
    }


def _tidy(number: float) -> float | int:
    return int(number) if number == int(number) else round(number, 3)


def _frame(
    index: int,
    delay_ms: float,
    size: int | None = None,
    box: list[int] | None = None,
    disposal: int | None = None,
) -> Frame:
    return {
        "index": index,
        "delay_ms": _tidy(delay_ms),
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
            delay = float(1000 * control.delay)
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
            frames.append(_frame(len(frames), delay, size + 8, box, data[at + 15] & 1))
    return frames, repeat


def _pillow_frames(data: bytes) -> tuple[list[Frame], int]:
    with Image.open(BytesIO(data)) as image:
        frames = []
        for index in range(getattr(image, "n_frames", 1)):
            image.seek(index)
            image.load()
            frames.append(_frame(index, image.info.get("duration", 0)))
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


def _clip(data: bytes, name: str) -> dict[str, Any]:
    times = clip.durations(data, name, clip.MOST_FRAMES)
    with clip.container_of(data, name) as (_, stream):
        width, height = stream.codec_context.width, stream.codec_context.height
        codec = stream.codec_context.name
        clear = any(_clear(picture) for picture in decoded(data))
    frames = [_frame(index, 1000 * length / SECOND) for index, length in enumerate(times)]
    return {**_document("video", width, height, frames, 1, data, clear), "codec": codec}


_KINDS: dict[str, Kind] = {"gif": "gif", "apng": "apng", "webp": "webp", "avif": "avif", "still": "still"}
_CLIPS: dict[str, Kind] = {".mp4": "mp4", ".webm": "webm", ".mov": "mov"}


def facts_of_file(data: bytes, name: str) -> Facts:
    """What the rules check looks at in a file."""
    found = describe_file(data, name)
    kind = _KINDS.get(found["format"]) or _CLIPS.get(Path(name).suffix.lower(), "mp4")
    delays = [frame["delay_ms"] for frame in found["frames"]] if kind != "still" else []
    moving = bool(delays)
    return Facts(
        kind,
        (name,),
        found["bytes"],
        found["width"],
        found["height"],
        found["count"],
        found["transparent"],
        found["duration_ms"] if moving else None,
        min(delays) if moving else None,
        found["repeat"] if moving else None,
    )


def facts_of_set(files: Sequence[tuple[str, bytes]], folder: str) -> Facts:
    """What the rules check looks at in a numbered set; ``InputError`` when its files do not belong together."""
    if not files:
        raise InputError("holds no pictures", file=folder, remedy="check the folder")
    place = {name: at for at, name in enumerate(by_number([name for name, _ in files]))}
    files = sorted(files, key=lambda file: place[file[0]])
    sizes, total = set(), 0
    opaque: list[float] = []
    endings = {Path(name).suffix.lower() for name, _ in files}
    for (name, data), picture in zip(files, read_set(files), strict=True):
        sizes.add((picture.shape[1], picture.shape[0]))
        if len(sizes) > 1:
            raise InputError("is of another size than the first", file=name, remedy="render it again")
        opaque.append(opaque_share(picture))
        total += len(data)
    ending = endings.pop() if len(endings) == 1 else ""
    kinds: dict[str, Kind] = {
        ".tga": "tga-frames",
        ".bmp": "bmp-frames",
        ".jpg": "jpeg-frames",
        ".jpeg": "jpeg-frames",
    }
    width, height = sizes.pop()
    names = tuple(name for name, _ in files)
    kind = kinds.get(ending, "png-frames")
    clear, cover = min(opaque) < 1, Cover(tuple(opaque))
    return Facts(kind, names, total, width, height, len(files), clear, cover=cover)
