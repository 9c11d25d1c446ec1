"""Animated AVIF, coded by Pillow with its time: another time is coded anew."""

from collections.abc import Iterator, Sequence
from contextlib import closing
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

from ..framing.frames import PlayedFrames
from ..framing.settled import LaidOver
from ..pictures.moving import open_moving
from ..recipe import AvifOutput
from ..store import Store
from ..timing import held as held_as
from ..timing.held import FormatTiming
from ..timing.plan import Plan
from .format import Coded, File, Json, Timed, Tools
from .played import Played

MEDIA_TYPE = "image/avif"


class AvifFormat:
    version = 1
    effort = 20

    def hold(self, plan: Plan, output: AvifOutput) -> FormatTiming:
        held = held_as.avif(plan.durations)
        if plan.repeat == 0:
            return held
        note = "plays for ever: an AVIF is written without a repeat; use APNG, WebP or GIF for one"
        return FormatTiming(held.format, held.units, held.unit, 0, (*held.notes, note))

    def inputs(self, frames: PlayedFrames, output: AvifOutput, held: FormatTiming) -> Json:
        return None if frames.opaque else output.over, output.quality, output.speed, held.units

    def encode(
        self, frames: PlayedFrames, output: AvifOutput, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
        laid = LaidOver(frames, output.over)
        soft = laid.soft() is not None
        on_frame = tools.begin("encoding", len(frames))
        out = BytesIO()
        with closing(Played(laid, soft=soft, bleed=True, on_frame=on_frame)) as played:
            played.save(
                out,
                "AVIF",
                save_all=True,
                duration=list(held.units),
                quality=output.quality,
                speed=output.speed,
                max_threads=2,  # what is coded must not depend on the machine
            )
        width, height = frames.canvas
        info = {"width": width, "height": height, "colours": None, "transparent": soft}
        kept = tools.keep(_undated(out.getvalue()), MEDIA_TYPE)
        return Coded(key, (kept,), info, (), tuple(range(len(frames))))

    def timed(self, coded: Coded, held: FormatTiming, output: AvifOutput, store: Store) -> Timed:
        (file,) = coded.files
        count = len(held.units)
        made = File(output.file_name, MEDIA_TYPE, file.size, lambda: store.read(file.sha256))
        return Timed((made,), coded.at, held.seconds, count, held.repeat if count > 1 else 1)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        return open_moving(files[0], "file.avif").pictures


_DATED = (b"mvhd", b"tkhd", b"mdhd")


def _undated(data: bytes) -> bytes:
    """The file without the times it was made at, so that the same pictures give the same bytes.

    Source: ISO/IEC 14496-12, sections 8.2.2, 8.3.2 and 8.4.2.
    """
    result = bytearray(data)
    head = result.find(b"mdat")  # what describes the file stands before its pictures
    for tag in _DATED:
        at = result.find(tag, 0, head if head > 0 else len(result))
        while at >= 0:
            wide = result[at + 4] == 1
            times = slice(at + 8, at + (24 if wide else 16))
            result[times] = bytes(times.stop - times.start)
            at = result.find(tag, at + 4, head if head > 0 else len(result))
    return bytes(result)
