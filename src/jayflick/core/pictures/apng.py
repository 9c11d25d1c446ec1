"""Animated PNG taken apart: its frames as they are seen, one laid on the other.

Source: PNG third edition, sections 11.3.6 (acTL, fcTL, fdAT) and 12.15 (disposal and blending).
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..formats.png_writer import chunk
from ..timing.flicks import SECOND
from . import png
from .header import check_area

CLEAR, BACK = 1, 2
"""What becomes of a frame before the next (APNG_DISPOSE_OP_BACKGROUND, _PREVIOUS)."""
OVER = 1
"""It is laid over what is there, not put in its place (APNG_BLEND_OP_OVER)."""


@dataclass
class _Frame:
    box: tuple[int, int, int, int]
    """Left, top, width, height."""
    delay: int
    """In flicks."""
    dispose: int
    blend: int
    parts: list[bytes] = field(default_factory=list)
    """Its image data."""


@dataclass(frozen=True)
class Apng:
    """An animation; the still picture before it, when it is not part of it, is left out."""

    name: str
    header: bytes
    """The body of IHDR, whose sides are the canvas'."""
    shared: tuple[tuple[bytes, bytes], ...]
    """Chunks that count for all pictures, such as the palette."""
    repeat: int
    frames: tuple[_Frame, ...]

    @property
    def delays(self) -> tuple[int, ...]:
        """How long each frame is shown, in flicks."""
        return tuple(frame.delay for frame in self.frames)

    def pictures(self) -> Iterator[NDArray[np.uint8]]:
        """The canvas after each frame, straight RGBA, shape (height, width, 4)."""
        width, height = struct.unpack_from(">II", self.header)
        canvas = np.zeros((height, width, 4), np.uint8)
        for number, frame in enumerate(self.frames):
            left, top, across, down = frame.box
            box = np.s_[top : top + down, left : left + across]
            before = canvas[box].copy()
            picture = self._decoded(frame)
            canvas[box] = _over(picture, before) if frame.blend == OVER else picture
            yield canvas.copy()
            if frame.dispose == CLEAR or (frame.dispose == BACK and number == 0):
                canvas[box] = 0
            elif frame.dispose == BACK:
                canvas[box] = before

    def _decoded(self, frame: _Frame) -> NDArray[np.uint8]:
        """A frame's own picture, read as the PNG that it would be alone."""
        size = struct.pack(">II", *frame.box[2:])
        whole = [
            (b"IHDR", size + self.header[8:]),
            *self.shared,
            (b"IDAT", b"".join(frame.parts)),
            (b"IEND", b""),
        ]
        return png.decode(png.SIGNATURE + b"".join(chunk(*one) for one in whole), self.name)


class FrameControl(NamedTuple):
    """An fcTL chunk: where a frame lies on its canvas, how long it stays, what becomes of it (11.3.6.2)."""

    sequence: int
    width: int
    height: int
    left: int
    top: int
    numerator: int
    denominator: int
    dispose: int
    blend: int

    @classmethod
    def parse(cls, body: bytes) -> "FrameControl":
        """``body``: the 26 bytes of the chunk's data."""
        return cls(*struct.unpack(">IIIIIHHBB", body))

    def dump(self) -> bytes:
        return struct.pack(">IIIIIHHBB", *self)

    @property
    def box(self) -> tuple[int, int, int, int]:
        """Left, top, width, height."""
        return self.left, self.top, self.width, self.height

    @property
    def delay(self) -> Fraction:
        """In seconds; a denominator of 0 means 100."""
        return Fraction(self.numerator, self.denominator or 100)


def open_apng(data: bytes, name: str) -> Apng:
    """Take the file apart without decoding it. ``InputError`` when a frame lies outside its canvas."""
    header = b""
    shared: list[tuple[bytes, bytes]] = []
    frames: list[_Frame] = []
    repeat = 0
    begun = False
    for tag, body in png.chunks(data, name):
        if tag == b"IHDR":
            header = body
            width, height = struct.unpack_from(">II", body)
        elif tag == b"acTL" and len(body) == 8:
            repeat = struct.unpack_from(">I", body, 4)[0]
        elif tag == b"fcTL" and len(body) == 26:
            control = FrameControl.parse(body)
            left, top, across, down = control.box
            if not across or not down or left + across > width or top + down > height:
                raise InputError(
                    f"frame {len(frames) + 1} lies outside its canvas", file=name, remedy="save it anew"
                )
            check_area(across, down, name)
            frames.append(_Frame(control.box, int(control.delay * SECOND), control.dispose, control.blend))
        elif tag == b"IDAT":
            begun = True
            if frames:
                frames[0].parts.append(body)
        elif tag == b"fdAT" and frames:
            frames[-1].parts.append(body[4:])
        elif not begun and tag != b"IEND":  # a palette may stand behind the first fcTL as well
            shared.append((tag, body))
    return Apng(name, header, tuple(shared), repeat, tuple(frame for frame in frames if frame.parts))


def _over(picture: NDArray[np.uint8], below: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture over another, both straight RGBA (section 12.15; Porter and Duff, 1984)."""
    alpha = picture[:, :, 3].astype(np.uint32)
    if not ((alpha > 0) & (alpha < 255)).any():  # as most are: there or not
        return np.where(picture[:, :, 3:] > 0, picture, below)
    weight = alpha * 255
    under = below[:, :, 3].astype(np.uint32) * (255 - alpha)
    total = np.maximum(weight + under, 1)[:, :, None]
    colour = picture[:, :, :3] * weight[:, :, None] + below[:, :, :3] * under[:, :, None]
    out = np.empty_like(picture)
    out[:, :, :3] = (colour + total // 2) // total
    out[:, :, 3] = (weight + under + 127) // 255
    return out
