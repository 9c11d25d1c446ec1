"""Animated WebP, coded by Pillow; its time is written last.

Source: WebP container specification (RIFF, VP8X, ANIM and ANMF chunks).
"""

import struct
from collections.abc import Iterator, Sequence
from contextlib import closing
from io import BytesIO
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..framing.frames import PlayedFrames
from ..framing.settled import LaidOver
from ..pictures.moving import open_moving
from ..recipe import WebpOutput
from ..store import Store
from ..timing import held as held_as
from ..timing.held import FormatTiming
from ..timing.plan import Plan
from .format import Coded, File, Json, Timed, Tools
from .played import Played

MEDIA_TYPE = "image/webp"
LONGEST = (1 << 24) - 1
"""The longest duration of a frame, in ms: it is kept in 24 bits (ANMF chunk)."""
_STEP = 100
"""What each frame lasts while it is coded: of equal neighbours the coder makes one that lasts as long."""


class WebpFormat:
    version = 1
    effort = 8

    def hold(self, plan: Plan, output: WebpOutput) -> FormatTiming:
        held = held_as.webp(plan.durations, plan.repeat)
        if sum(held.units) > LONGEST:
            raise InputError(
                f"it lasts {sum(held.units) / 1000:.0f} s; this WebP holds at most {LONGEST / 1000:.0f}",
                remedy="make it shorter, or a clip",
            )
        return held

    def inputs(self, frames: PlayedFrames, output: WebpOutput, held: FormatTiming) -> Json:
        soft = not frames.opaque and output.over is None
        over = None if frames.opaque else output.over
        spent = None if output.lossless else (output.quality, output.alpha_quality if soft else None)
        return over, spent, output.effort

    def encode(
        self, frames: PlayedFrames, output: WebpOutput, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
        laid = LaidOver(frames, output.over)
        soft = laid.soft() is not None
        on_frame = tools.begin("encoding", len(frames))
        out = BytesIO()
        with closing(Played(laid, soft=soft, on_frame=on_frame)) as played:
            played.save(
                out,
                "WEBP",
                save_all=True,
                duration=_STEP,
                loop=0,
                lossless=output.lossless,
                quality=75 if output.lossless else output.quality,
                alpha_quality=output.alpha_quality,
                method=output.effort,
            )
        data = out.getvalue()
        parts = list(chunks(data))
        frames_at = [(at, size) for tag, at, size in parts if tag == b"ANMF"]
        loop_at = next((at for tag, at, _ in parts if tag == b"ANIM"), None)
        # How many steps each picture of the file stands for.
        steps = [int.from_bytes(data[at + 12 : at + 15], "little") // _STEP for at, _ in frames_at]
        if not frames_at:
            steps = [len(frames)]
        costs: list[int] = []
        sizes = [size for _, size in frames_at] or [len(data)]
        for count, size in zip(steps, sizes, strict=True):
            costs += [size + 8, *[0] * (count - 1)]
        ends = list(accumulate(steps))
        at = [number for number, count in enumerate(steps) for _ in range(count)]
        if ends[-1] != len(frames):
            raise ValueError(f"{ends[-1]} steps were coded of {len(frames)}")
        width, height = frames.canvas
        info = {"width": width, "height": height, "colours": None, "transparent": soft}
        time = {"loop": loop_at, "frames": [at for at, _ in frames_at]}
        return Coded(key, (tools.keep(data, MEDIA_TYPE),), info, tuple(costs), tuple(at), time)

    def timed(self, coded: Coded, held: FormatTiming, output: WebpOutput, store: Store) -> Timed:
        (file,) = coded.files
        count = max(coded.at) + 1
        repeat = held.repeat if count > 1 else 1
        lengths = [0] * count
        for number, units in zip(coded.at, held.units, strict=True):
            lengths[number] += units

        def read() -> bytes:
            data = bytearray(store.read(file.sha256))
            if coded.time["loop"] is not None:
                struct.pack_into("<H", data, coded.time["loop"] + 4, min(repeat, 65535))
            for at, units in zip(coded.time["frames"], lengths, strict=False):
                data[at + 12 : at + 15] = units.to_bytes(3, "little")
            return bytes(data)

        made = File(output.file_name, MEDIA_TYPE, file.size, read)
        return Timed((made,), coded.at, held.seconds, count, repeat)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        return open_moving(files[0], "file.webp").pictures


def chunks(data: bytes) -> Iterator[tuple[bytes, int, int]]:
    """Each chunk's tag, where its body begins, and the size of that."""
    at = 12
    while at + 8 <= len(data):
        tag, size = data[at : at + 4], struct.unpack_from("<I", data, at + 4)[0]
        yield tag, at + 8, size
        at += 8 + size + (size & 1)
