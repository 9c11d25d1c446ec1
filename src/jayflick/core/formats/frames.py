"""A numbered set of pictures for the next program; each is coded and kept by itself."""

import json
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict
from fractions import Fraction
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from ..broadcast.cover import opaque_share
from ..errors import InputError
from ..framing.frames import PlayedFrames
from ..framing.settled import LaidOver, Settled
from ..pictures.kinds import read_picture
from ..recipe import MAX_PLACES, Alpha, FramesOutput
from ..stages import cache_key
from ..store import Store
from ..timing import held as held_as
from ..timing.flicks import SECOND
from ..timing.held import Held
from ..timing.plan import Plan
from .format import Coded, CodedFile, File, Json, Timed, Tools
from .gif.encoder import SharedPalette, share_palette
from .indexed import indexed_png
from .picture import ENDINGS, MEDIA_TYPES, with_pixels, write_picture

THREADS = 2


class FramesFormat:
    version = 2
    effort = 3

    def hold(self, plan: Plan, output: FramesOutput) -> Held:
        if output.held == "once":
            return Held("Frames", list(plan.durations), Fraction(1, SECOND), plan.repeat)
        held = held_as.video(plan.durations)
        if sum(held.units) > MAX_PLACES:
            raise InputError(
                f"{sum(held.units)} pictures would be written; the most are {MAX_PLACES}",
                remedy="write held frames once, or set a rate for this output",
            )
        return Held("Frames", held.units, held.unit, plan.repeat, held.notes)

    def inputs(self, frames: PlayedFrames, output: FramesOutput, held: Held) -> Json:
        quality = output.quality if output.picture == "jpeg" else None
        over = None if frames.opaque else output.over
        return over, output.picture, output.pixels, output.rle and output.picture == "tga", quality

    def encode(self, frames: PlayedFrames, output: FramesOutput, held: Held, key: str, tools: Tools) -> Coded:
        laid = LaidOver(frames, output.over)
        if output.pixels not in output.ALPHA:
            remedy = "lay it over a page colour, or keep the alpha (RGBA)"
            laid.require_opaque(f"{output.picture.upper()} of {output.pixels.upper()}", remedy)
        shared: SharedPalette | None = None
        inputs = self.inputs(frames, output, held)
        if output.pixels == "palette":
            settled = Settled(frames.in_order_of_name, _alpha(output))
            shared = share_palette(settled, 255, on_frame=tools.begin("tuning", len(frames)))
            inputs = inputs, shared.colours.tobytes().hex()
        on_frame = tools.begin("encoding", len(frames))

        def one(index: int) -> tuple[CodedFile, float]:
            def make() -> bytes:
                if shared is not None:
                    frame = Settled(frames, _alpha(output))[index]
                    data, _ = indexed_png(frame, shared)
                else:
                    frame = laid[index]
                    data = write_picture(
                        with_pixels(frame, output.pixels),
                        output.picture,
                        quality=output.quality,
                        rle=output.rle,
                    )
                kept = asdict(tools.keep(data, MEDIA_TYPES[output.picture]))
                return json.dumps([kept, opaque_share(frame)]).encode()

            stage = cache_key("frame", self.version, names[index], inputs)
            file, opaque = json.loads(tools.stages.obtain("frame", stage, make))
            if not tools.store.keep(file["sha256"]):  # it was cleared away since
                tools.stages.drop("frame", stage)
                file, opaque = json.loads(tools.stages.obtain("frame", stage, make))
            on_frame()
            return CodedFile(**file), opaque

        names, firsts = frames.names, frames.firsts
        with ThreadPoolExecutor(THREADS) as pool:
            try:
                made = dict(zip(set(firsts), pool.map(one, set(firsts)), strict=True))
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        width, height = frames.canvas
        opaque = [made[first][1] for first in firsts]
        info = {
            "width": width,
            "height": height,
            "colours": len(shared.colours) if shared else None,
            "transparent": min(opaque) < 1,
            "opaque": opaque,
        }
        files = tuple(made[first][0] for first in firsts)
        return Coded(key, files, info, tuple(file.size for file in files))

    def timed(self, coded: Coded, held: Held, output: FramesOutput, store: Store) -> Timed:
        """Only lists the pictures, those that are held as often as they are wished."""
        times = held.units if output.held == "repeated" else [1] * len(held.units)
        listed = [file for file, count in zip(coded.files, times, strict=True) for _ in range(count)]
        last = output.first_number + len(listed) - 1
        hashes = output.names.count("#")
        before, after = output.names.split("#" * hashes)
        digits = max(hashes, len(str(last)))
        ending = ENDINGS[output.picture]

        def made(number: int, file: CodedFile) -> File:
            name = f"{before}{number:0{digits}}{after}{ending}"
            return File(name, file.media_type, file.size, lambda: store.read(file.sha256))

        files = tuple(made(number, file) for number, file in enumerate(listed, output.first_number))
        starts = [0, *accumulate(times)][:-1]
        at = tuple(min(start, len(listed) - 1) for start in starts)
        return Timed(files, at, held.seconds, len(listed), held.repeat)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        return (read_picture(file, name="frame") for file in files)


def _alpha(output: FramesOutput) -> Alpha:
    """How edges become the one bit of alpha that a palette has here."""
    return Alpha() if output.over is None else Alpha(edges="fill", matte=output.over)
