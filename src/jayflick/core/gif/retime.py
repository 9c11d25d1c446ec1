"""Giving a GIF its delays and its repeat without touching a pixel."""

import struct
from collections.abc import Sequence

from .reader import Gif
from .writer import repeat_block


def retime(gif: Gif, delays: Sequence[int], repeat: int) -> bytes:
    """The file ``gif`` was read from with new delays, in hundredths of a second, and a new repeat.

    Only the delay bytes of each control block (GIF89a, section 23) and the repeat block change. Every frame
    must have a control block, as those this package writes do.
    """
    if len(delays) != len(gif.frames):
        raise ValueError(f"{len(delays)} delays for {len(gif.frames)} frames")
    result = bytearray(gif.file)
    for frame, delay in zip(gif.frames, delays, strict=True):
        if frame.delay_at is None:
            raise ValueError("a frame has no control block to hold its delay")
        struct.pack_into("<H", result, frame.delay_at, delay)
    start, stop = gif.repeat_at
    result[start:stop] = repeat_block(repeat) if len(gif.frames) > 1 else b""
    return bytes(result)
