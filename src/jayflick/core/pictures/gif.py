"""GIF files as frames: the first picture as it is seen on the canvas.

Source: GIF89a, sections 18 and 20.
"""

import numpy as np
from numpy.typing import NDArray

from ..formats.gif.reader import read_gif
from .header import Header, check_area


def knows(data: bytes, name: str) -> bool:
    return data.startswith((b"GIF87a", b"GIF89a"))


def header(data: bytes, name: str) -> Header:
    """What the file holds; ``InputError`` when it is damaged or holds no picture."""
    gif = read_gif(data, name=name)
    check_area(gif.width, gif.height, name)
    first = gif.frames[0]
    covers = first.box[:2] == (0, 0) and first.box[2] >= gif.width and first.box[3] >= gif.height
    clear = not covers or any(frame.transparent is not None for frame in gif.frames)
    return Header(gif.width, gif.height, "GIF, palette", clear, len(gif.frames))


def decode(data: bytes, name: str) -> NDArray[np.uint8]:
    """The first picture as straight RGBA; the canvas around an image that is smaller stays transparent."""
    return next(read_gif(data, name=name).pictures(name=name))
