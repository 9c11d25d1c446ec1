"""GIF as an output: alpha settled into one bit, one palette for all frames, time written last."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...dither.choose import suits_dither
from ...dither.kinds import Choice, Dither, Matrix
from ...errors import InputError
from ...framing.alpha import rgb
from ...framing.frames import PlayedFrames
from ...framing.settled import Settled
from ...palette.choose import Colour
from ...palette.histogram import Counted
from ...recipe import GifOutput
from ...recipe.outputs import Palette
from ...stages import cache_key
from ...store import Store
from ...timing import held as held_as
from ...timing.conform import GIF_CEILING
from ...timing.held import FormatTiming
from ...timing.plan import Plan
from ..format import Coded, File, Json, Timed, Tools
from .encoder import encode_gif
from .own_tables import OwnTables
from .reader import describe, read_gif
from .retime import TimePlaces, retime, time_places, with_time
from .runs import Runs
from .shared import ALL_PLACES, MOST_COLOURS, SharedPalette, count_colours, palette_of
from .writer import repeat_block

PALETTE_VERSION = 4
DITHER_VERSION = 1
MEDIA_TYPE = "image/gif"


@dataclass(frozen=True)
class _Settings:
    """What of an output's settings can alter a pixel."""

    alpha: tuple[Any, ...]
    """How soft edges are settled; nothing where there are none."""
    colours: int
    amount: int
    dither: Choice
    matrix: Matrix
    sparing: bool
    reach: int
    loss: int
    locked: tuple[Colour, ...]
    """Colours that are in the palette as they are."""
    palette: Palette
    over: Colour | None
    """The page colour, if soft edges are laid over it: it has to meet the page without a seam."""

    @property
    def coding(self) -> tuple[Any, ...]:
        """What the coded pictures depend on beside their palette."""
        dithering: tuple[Any, ...] = ()
        if self.amount and self.dither != "diffusion":
            dithering = self.dither, self.matrix if self.dither == "ordered" else 0
        if self.amount and self.sparing:
            dithering = *dithering, "sparing"
        return (
            self.alpha,
            self.amount,
            self.reach,
            *((self.loss, *self.locked) if self.loss else ()),
            *dithering,
            *self.by_frame,
        )

    @property
    def by_frame(self) -> tuple[Any, ...]:
        """What the frames' own palettes depend on, if they have any."""
        return () if self.palette == "shared" else (self.palette, self.colours, self.locked, self.over)

    @property
    def choosing(self) -> tuple[Any, ...]:
        """What the palette depends on: with loss, colours count by how much an error shows in them."""
        return (self.alpha, self.colours, *(("weighed",) if self.loss else ()), *self.locked)

    @classmethod
    def of(cls, frames: PlayedFrames, output: GifOutput) -> "_Settings":
        tuning = output.tuning
        amount = 0 if tuning.dither == "none" else tuning.amount
        reach, loss = tuning.tolerance // 2, tuning.loss
        alpha: tuple[Any, ...] = ()
        if not frames.opaque:
            edges = output.alpha.edges
            depends = {"cutoff": output.alpha.cutoff, "dither": None}
            alpha = edges, depends.get(edges, output.alpha.matte)
            if frames.empty and edges != "fill":
                alpha = ()  # there are no edges
        if frames.empty:
            amount = reach = loss = 0  # all of one colour, or of none
        opaque = frames.opaque or output.alpha.edges == "fill"
        colours = min(tuning.colours, ALL_PLACES if opaque and not (reach or loss) else MOST_COLOURS)
        locked = () if frames.empty else tuple(rgb(colour) for colour in tuning.locked)
        palette: Palette = "shared" if frames.empty or len(frames) == 1 else tuning.palette
        over = rgb(output.alpha.matte) if alpha and output.alpha.over_page else None
        return cls(
            alpha=alpha,
            colours=colours,
            amount=amount,
            dither=tuning.dither,
            matrix=tuning.matrix,
            sparing=tuning.sparing,
            reach=reach,
            loss=loss,
            locked=locked,
            palette=palette,
            over=over,
        )

    @property
    def exact(self) -> tuple[Colour, ...]:
        return self.locked if self.over is None else (*self.locked, self.over)

    @property
    def own(self) -> OwnTables | None:
        if self.palette == "shared":
            return None
        return OwnTables(self.colours, self.over, self.locked, where_they_pay=self.palette == "auto")


class GifFormat:
    version = 7
    effort = 1

    def hold(self, plan: Plan, output: GifOutput) -> FormatTiming:
        held = held_as.gif(plan.durations, plan.repeat)
        longest = max(held.units)
        if longest > GIF_CEILING:
            raise InputError(
                f"frame {held.units.index(longest) + 1} lasts {longest / 100:.0f} s; a GIF frame lasts at most "
                f"{GIF_CEILING / 100:.0f}",
                remedy="make it shorter, or play it several times",
            )
        return held

    def inputs(self, frames: PlayedFrames, output: GifOutput, held: FormatTiming) -> Json:
        how = _Settings.of(frames, output)
        return PALETTE_VERSION, *how.choosing, *how.coding[1:]

    def encode(
        self, frames: PlayedFrames, output: GifOutput, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
        """Coded pictures are kept under the palette they really got: art of 40 colours is coded once, whether
        64 or 128 are allowed."""
        how = _Settings.of(frames, output)
        shared = self._palette(frames, output, how, tools)
        entries = [shared.colours.tobytes().hex(), shared.lossless, shared.transparent, shared.few]
        if shared.lossless:
            how = replace(how, amount=0, palette="shared")
        dither = self._dither(frames, output, how, tools)
        how = replace(how, dither=dither, amount=0 if dither == "none" else how.amount)
        key = cache_key("encoding", self.version, frames.names, how.alpha, entries, *how.coding[1:])
        # That a lossy file is also coded exactly, to see whether it is smaller, takes no time worth counting.
        passes = 1 + (how.palette == "auto")
        on_frame = tools.begin("encoding", len(Runs.of(frames.firsts)) * passes)

        def make() -> Coded:
            data = encode_gif(
                Settled(frames, output.alpha),
                shared,
                amount=how.amount,
                dither=dither,
                matrix=how.matrix,
                sparing=how.sparing,
                reach=how.reach,
                loss=how.loss,
                exact=how.exact,
                own=how.own,
                firsts=frames.firsts,
                on_frame=on_frame,
                on_coded=tools.on_coded,
            )
            tools.begin("measure", 1)
            return _measured(key, data, dither, tools)

        return tools.coded("encoding", key, make)

    def _palette(self, frames: PlayedFrames, output: GifOutput, how: _Settings, tools: Tools) -> SharedPalette:
        """The palette: how often each frame is played matters to it, their order does not."""

        def choose() -> bytes:
            kept = how.colours == ALL_PLACES
            shared = palette_of(counted(), how.colours, how.over, how.locked, kept=kept)
            return bytes([shared.lossless, shared.transparent, shared.few]) + shared.colours.tobytes()

        def count() -> bytes:
            on_frame = tools.begin("tuning", len(frames))
            settled = Settled(frames.in_order_of_name, output.alpha)
            return count_colours(settled, weighed=how.loss > 0, on_frame=on_frame).dump()

        def counted() -> Counted:
            key = cache_key("colours", PALETTE_VERSION, sorted(frames.names), how.alpha, how.loss > 0)
            return Counted.parse(tools.stages.obtain("colours", key, count))

        tools.begin("tuning", len(frames))
        key = cache_key("palette", PALETTE_VERSION, sorted(frames.names), *how.choosing)
        data = tools.stages.obtain("palette", key, choose)
        colours = np.frombuffer(data[3:], np.uint8).reshape(-1, 3)
        return SharedPalette(colours, bool(data[0]), bool(data[1]), bool(data[2]))

    def _dither(self, frames: PlayedFrames, output: GifOutput, how: _Settings, tools: Tools) -> Dither:
        """The dither that is asked for, or the one that suits the pixels to be coded."""
        if how.amount == 0:
            return "none"
        if how.dither != "auto":
            return how.dither
        sample = frames.sample
        colours = 1 << (how.colours - 1).bit_length()  # not to be tried again for every step of a slider

        def choose() -> bytes:
            pictures = Settled(sample, output.alpha)
            suits = suits_dither([pictures[i] for i in range(len(pictures))], colours, how.amount)
            return b"diffusion" if suits else b"none"

        key = cache_key("dither", DITHER_VERSION, sample.names, how.alpha, colours, how.amount)
        return "diffusion" if tools.stages.obtain("dither", key, choose) == b"diffusion" else "none"

    def timed(self, coded: Coded, held: FormatTiming, output: GifOutput, store: Store) -> Timed:
        (file,) = coded.files
        size = file.size
        delays = _delays(held.units, coded.at)
        count = len(delays)
        repeat = held.repeat if count > 1 else 1
        places: TimePlaces | None = None
        if coded.time is not None:
            places = TimePlaces(coded.time["delays"], tuple(coded.time["repeat"]), coded.time["cleared"])
            there = places.repeat[1] - places.repeat[0]
            size += (len(repeat_block(repeat)) if count > 1 else 0) - there

        def read() -> bytes:
            data = store.read(file.sha256)
            if places is None:  # a file that was recorded without
                return retime(read_gif(data), delays, repeat)
            return with_time(data, places, delays, repeat)

        made = File(output.file_name, MEDIA_TYPE, size if places is not None else len(read()), read)
        return Timed((made,), coded.at, Fraction(sum(delays), 100), count, repeat)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        return read_gif(files[0]).pictures()


def _delays(units: Sequence[int], at: Sequence[int]) -> list[int]:
    """How long each frame of the file lasts; ``at``: the frame that shows each step."""
    delays = [0] * (max(at) + 1)
    for frame, duration in zip(at, units, strict=True):
        delays[frame] += duration
    longest = max(delays)
    if longest > GIF_CEILING:
        step = at.index(delays.index(longest))
        raise InputError(
            f"frame {step + 1} and those after it that look the same last {longest / 100:.0f} s; a GIF frame "
            f"lasts at most {GIF_CEILING / 100:.0f}",
            remedy="make them shorter, or play it several times",
        )
    return delays


def _measured(key: str, data: bytes, dither: Dither, tools: Tools) -> Coded:
    """What the coded pictures hold, and where their time is to be written."""
    gif = read_gif(data)
    places = time_places(gif)
    described = describe(gif, len(data))
    info = {name: described[name] for name in ("width", "height", "count", "colours", "transparent")}
    info["dither"] = dither
    at = tuple(number for number, frame in enumerate(gif.frames) for _ in range(frame.delay))
    costs = tuple(
        described["frames"][frame]["bytes"] if step == 0 or at[step - 1] != frame else 0
        for step, frame in enumerate(at)
    )
    time = {"delays": places.delays, "repeat": places.repeat, "cleared": places.cleared_at}
    return Coded(key, (tools.keep(data, MEDIA_TYPE),), info, costs, at, time)
