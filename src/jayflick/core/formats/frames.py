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
from ..broadcast.covering import backed, strength
from ..errors import InputError
from ..framing.art_box import Box, box_of, union
from ..framing.frames import PlayedFrames
from ..framing.settled import LaidOver, Settled
from ..pictures.kinds import read_picture
from ..recipe import MAX_PLACES, Alpha, Backing, FramesOutput
from ..stages import cache_key
from ..store import Store
from ..timing import held as held_as
from ..timing.flicks import SECOND
from ..timing.held import FormatTiming
from ..timing.plan import Plan
from .format import Coded, CodedFile, File, Json, Timed, Tools
from .gif.shared import SharedPalette, share_palette
from .indexed import indexed_png
from .picture import ENDINGS, MEDIA_TYPES, with_pixels, write_picture

THREADS = 2


class FramesFormat:
    version = 4
    effort = 3

    def hold(self, plan: Plan, output: FramesOutput) -> FormatTiming:
        if output.held == "once":
            return FormatTiming("Frames", list(plan.durations), Fraction(1, SECOND), plan.repeat)
        held = held_as.video(plan.times, output.take.rate)
        if sum(held.units) > MAX_PLACES:
            raise InputError(
                f"{sum(held.units)} pictures would be written; the most are {MAX_PLACES}",
                remedy="write held frames once, or set a rate for this output",
            )
        return FormatTiming("Frames", held.units, held.unit, plan.repeat, held.notes)

    def inputs(self, frames: PlayedFrames, output: FramesOutput, held: FormatTiming) -> Json:
        quality = output.quality if output.picture == "jpeg" else None
        over = None if frames.opaque else output.over
        inputs = over, output.picture, output.pixels, output.rle and output.picture == "tga", quality
        backing = _backing(frames, output)
        return inputs if backing is None else (*inputs, backing.model_dump())

    def encode(
        self, frames: PlayedFrames, output: FramesOutput, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
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
        # Each picture is kept by what is on it: whatever lies behind others is nothing to it.
        plain = self.inputs(frames, output.model_copy(update={"backing": None}), held)
        if shared is not None:
            plain = inputs
        backing = _backing(frames, output)
        levels = [0 if backing is None else strength(backing, step) for step in range(1, len(frames) + 1)]
        wanted = list(zip(frames.firsts, levels, strict=True))
        on_frame = tools.begin("encoding", len(frames))

        def one(which: tuple[int, int]) -> tuple[CodedFile, float, Box]:
            index, level = which

            def make() -> bytes:
                if shared is not None:
                    frame = Settled(frames, _alpha(output))[index]
                    data, _ = indexed_png(frame, shared)
                else:
                    frame = laid[index]
                    if backing is not None:
                        frame = backed(frame, backing.colour, level)
                    data = write_picture(
                        with_pixels(frame, output.pixels),
                        output.picture,
                        quality=output.quality,
                        rle=output.rle,
                        premultiplied=output.pixels == "premultiplied",
                    )
                kept = asdict(tools.keep(data, MEDIA_TYPES[output.picture]))
                return json.dumps([kept, opaque_share(frame), box_of(frame)]).encode()

            behind = (backing.colour, level) if backing is not None and level else ()
            stage = cache_key("frame", self.version, names[index], plain, *behind)
            file, opaque, used = json.loads(tools.stages.obtain("frame", stage, make))
            if not tools.store.keep(file["sha256"]):  # it was cleared away since
                tools.stages.drop("frame", stage)
                file, opaque, used = json.loads(tools.stages.obtain("frame", stage, make))
            on_frame()
            return CodedFile(**file), opaque, Box(*used)

        names = frames.names
        with ThreadPoolExecutor(THREADS) as pool:
            try:
                made = dict(zip(set(wanted), pool.map(one, set(wanted)), strict=True))
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        width, height = frames.canvas
        opaque = [made[one][1] for one in wanted]
        info = {
            "width": width,
            "height": height,
            "colours": len(shared.colours) if shared else None,
            "transparent": min(opaque) < 1,
            "opaque": opaque,
            "used": union(made[one][2] for one in wanted),
        }
        files = tuple(made[one][0] for one in wanted)
        return Coded(key, files, info, tuple(file.size for file in files))

    def timed(self, coded: Coded, held: FormatTiming, output: FramesOutput, store: Store) -> Timed:
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
        steps = tuple(step for step, count in enumerate(times) for _ in range(count))
        return Timed(files, at, held.seconds, len(listed), held.repeat, steps=steps)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        return (read_picture(file, name="frame") for file in files)


def _backing(frames: PlayedFrames, output: FramesOutput) -> Backing | None:
    """The colour behind some frames, where it can show."""
    needless = output.over is not None or output.pixels == "palette" or frames.opaque
    return None if needless else output.backing


def _alpha(output: FramesOutput) -> Alpha:
    """How edges become the one bit of alpha that a palette has here."""
    return Alpha() if output.over is None else Alpha(edges="fill", matte=output.over)
