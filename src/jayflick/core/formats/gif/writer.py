"""Laying out the blocks of a GIF89a file."""

import struct
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...errors import InputError

DO_NOT_DISPOSE, RESTORE_TO_BACKGROUND = 1, 2
"""Disposal methods (section 23): leave the frame in place; restore its box to the background."""
MOST_STEPS = 65535
"""They are noted where the delay goes, of two bytes (section 23)."""
SMALLEST = 19
"""Bytes of a frame besides its data and table: its control block, its descriptor, its code size."""

Box = tuple[int, int, int, int]
"""Left, top, width, height in pixels of the canvas."""


@dataclass(frozen=True)
class FrameBlock:
    """One frame ready to be written: LZW bytes for ``box``."""

    box: Box
    disposal: int
    data: NDArray[np.uint8]
    palette: NDArray[np.uint8] | None = None
    """Its own colours, shape (n, 3), if it has a local table; index n then marks what does not change."""
    steps: int = 1
    """How many of the frames that were to be coded it shows: equal neighbours are one that lasts longer."""

    def lasting(self, steps: int) -> "FrameBlock":
        """The same for so many frames. ``InputError`` when that is more than can be noted of one."""
        if steps > MOST_STEPS:
            raise InputError(
                f"more than {MOST_STEPS} frames in a row show the same picture", remedy="let one last longer"
            )
        return replace(self, steps=steps)


def colour_table_bits(entries: int) -> int:
    """How many bits index a colour table that holds ``entries`` (2 to 256) colours."""
    return max(1, (entries - 1).bit_length())


def sub_blocks(data: bytes) -> bytes:
    """Data cut into sub-blocks of at most 255 bytes and closed by the empty one (sections 15 and 16)."""
    parts = []
    for start in range(0, len(data), 255):
        part = data[start : start + 255]
        parts += [bytes([len(part)]), part]
    return b"".join([*parts, b"\0"])


def repeat_block(repeat: int) -> bytes:
    """How often to play: 0 for ever, 1 once (no block at all), n times.

    The application extension (section 26) that every decoder reads; its count is of further rounds after the
    first (common practice, no published source).
    """
    if repeat == 1:
        return b""
    return b"\x21\xff\x0bNETSCAPE2.0\x03\x01" + struct.pack("<H", min(max(repeat - 1, 0), 65535)) + b"\0"


def _table(palette: NDArray[np.uint8], bits: int) -> bytes:
    table = np.zeros((1 << bits, 3), np.uint8)
    table[: len(palette)] = palette
    return table.tobytes()


TRAILER = b"\x3b"
"""Section 27."""


@dataclass(frozen=True)
class Layout:
    """What the blocks of a file have in common, and how each is written."""

    width: int
    height: int
    palette: NDArray[np.uint8] | None
    """Shape (n, 3), the colours of indices 0 to n - 1 of frames that have none of their own; ``None`` where all
    have."""
    transparent: int | None
    """An index from 0 to n in such a frame."""

    @property
    def _bits(self) -> int:
        if self.palette is None:
            return 0
        return colour_table_bits(len(self.palette) + (1 if self.transparent == len(self.palette) else 0))

    def head(self) -> bytes:
        """All that goes before the frames."""
        flags = 0x70 if self.palette is None else 0x80 | 0x70 | (self._bits - 1)
        screen = struct.pack("<HHBBB", self.width, self.height, flags, 0, 0)  # section 18
        table = b"" if self.palette is None else _table(self.palette, self._bits)  # section 19
        return b"GIF89a" + screen + table  # section 17

    def frame(self, frame: FrameBlock) -> bytes:
        """A frame, its delay its ``steps``; :mod:`..retime` gives a file its time."""
        own = frame.palette
        bits = self._bits if own is None else colour_table_bits(len(own) + 1)
        unchanged = self.transparent if own is None else len(own)
        flags = (frame.disposal << 2) | (1 if unchanged is not None else 0)
        parts = [
            b"\x21\xf9\x04" + struct.pack("<BHBB", flags, frame.steps, unchanged or 0, 0),  # section 23
            # section 20, and 21: a local table
            b"\x2c" + struct.pack("<HHHHB", *frame.box, 0 if own is None else 0x80 | (bits - 1)),
            b"" if own is None else _table(own, bits),
            bytes([max(2, bits)]),  # section 22
            sub_blocks(frame.data.tobytes()),
        ]
        return b"".join(parts)

    def file(self, frames: Iterable[FrameBlock]) -> bytes:
        """A whole file without its time: no repeat block, and delays that are not any."""
        return b"".join([self.head(), *map(self.frame, frames), TRAILER])
