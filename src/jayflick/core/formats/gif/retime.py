"""Giving a GIF its delays and its repeat without touching a pixel."""

import struct
from collections.abc import Sequence
from dataclasses import dataclass

from .reader import Gif
from .writer import DO_NOT_DISPOSE, RESTORE_TO_BACKGROUND, repeat_block


@dataclass(frozen=True)
class TimePlaces:
    """Where in a file its time is written, in bytes from its beginning."""

    delays: Sequence[int]
    """Of each frame, in its control block (GIF89a, section 23)."""
    repeat: tuple[int, int]
    """Where the repeat block begins and ends; the same place twice when there is none yet."""
    cleared_at: int | None
    """The flags of the last frame, if it is cleared away for the next round to begin."""


def time_places(gif: Gif) -> TimePlaces:
    """Where ``gif`` has its time. Every frame must have a control block, as those this package writes do."""
    delays = [frame.delay_at for frame in gif.frames if frame.delay_at is not None]
    if len(delays) < len(gif.frames):
        raise ValueError("a frame has no control block to hold its delay")
    last = gif.frames[-1]
    return TimePlaces(delays, gif.repeat_at, delays[-1] - 1 if last.disposal == RESTORE_TO_BACKGROUND else None)


def with_time(file: bytes, places: TimePlaces, delays: Sequence[int], repeat: int) -> bytes:
    """A file with new delays, in hundredths of a second, and a new repeat; no picture changes.

    Played once it rests on its last frame, which then must not be cleared away. ``file`` must have been made to
    play on, or without its time, as :mod:`.encoder` writes it.
    """
    if len(delays) != len(places.delays):
        raise ValueError(f"{len(delays)} delays for {len(places.delays)} frames")
    result = bytearray(file)
    for at, delay in zip(places.delays, delays, strict=True):
        struct.pack_into("<H", result, at, delay)
    if repeat == 1 and places.cleared_at is not None:
        result[places.cleared_at] = result[places.cleared_at] & ~(7 << 2) | DO_NOT_DISPOSE << 2  # section 23
    start, stop = places.repeat
    result[start:stop] = repeat_block(repeat) if len(delays) > 1 else b""
    return bytes(result)


def retime(gif: Gif, delays: Sequence[int], repeat: int) -> bytes:
    """The file ``gif`` was read from with new delays, in hundredths of a second, and a new repeat."""
    return with_time(gif.file, time_places(gif), delays, repeat)
