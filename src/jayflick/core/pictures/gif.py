"""GIF files as frames: the first picture as it is seen on the canvas.

Files that browsers show are read as they show them, damaged ones as far as they go.
Source: GIF89a, sections 18 and 20.
"""

import struct
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..formats.gif.reader import Gif, read_gif
from .header import Header, check_area


def knows(data: bytes, name: str) -> bool:
    return data.startswith((b"GIF87a", b"GIF89a"))


def family(data: bytes) -> str:
    return "GIF"


def header(data: bytes, name: str) -> Header:
    """What the file holds; ``InputError`` when it holds no picture."""
    gif = read_gif(data, name=name, forgiving=True)
    check_area(gif.width, gif.height, name)
    first = gif.frames[0]
    covers = first.box[:2] == (0, 0) and first.box[2] >= gif.width and first.box[3] >= gif.height
    clear = not covers or any(frame.transparent is not None for frame in gif.frames)
    return Header(gif.width, gif.height, "GIF, palette", clear, len(gif.frames), tuple(_remarks(gif)))


def _remarks(gif: Gif) -> Iterator[str]:
    """What is wrong with a file that is read all the same."""
    if gif.broken:
        yield f"{gif.broken}: what comes before is taken"
    said = struct.unpack_from("<HH", gif.file, 6)
    if said != (gif.width, gif.height):
        yield f"its canvas is given as {said[0]} × {said[1]}: the size of its first frame is used"
    empty = [number for number, frame in enumerate(gif.frames, 1) if not frame.box[2] * frame.box[3]]
    if empty:
        yield f"frame {empty[0]} has no area and draws nothing"
    if len(gif.frames) == 1:  # of several it is seen while they are taken apart
        list(gif.pictures())
        yield from gif.remarks


def decode(data: bytes, name: str) -> NDArray[np.uint8]:
    """The first picture as straight RGBA; the canvas around an image that is smaller stays transparent."""
    return next(read_gif(data, name=name, forgiving=True).pictures(name=name))
