"""The one way from a recipe and its frames to the bytes of an output."""

import hashlib
import itertools
import json
import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import astuple, dataclass, field
from functools import cached_property
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from .errors import InputError
from .framing.alpha import rgb, settle, unmatte
from .framing.mix import mix
from .framing.scale import frame_picture, placement
from .framing.size import Placement
from .gif.encoder import MOST_COLOURS, SharedPalette, encode_gif, share_palette
from .gif.reader import describe, read_gif
from .gif.retime import TimePlaces, time_places, with_time
from .pictures.kinds import decoders
from .recipe import Alpha, Framing, Gather, Output, Recipe, Size
from .stages import Stages, cache_key
from .timing.conform import GIF_CEILING, GIF_FLOOR, conform
from .timing.flicks import HUNDREDTH, MILLISECOND
from .timing.plan import Plan, plan_rhythm
from .timing.shots import EMPTY, Shot

FRAMING_VERSION = 4
PALETTE_VERSION = 3
ENCODING_VERSION = 4
MEASURE_VERSION = 3
READERS = 2
"""Frames decoded side by side."""


class SourceFrame(Protocol):
    """An untouched frame as it came."""

    @property
    def name(self) -> str: ...
    @property
    def sha256(self) -> str: ...
    @property
    def missing_after(self) -> int:
        """How many numbers are missing between it and the next of its sequence."""
        ...

    @property
    def width(self) -> int: ...
    @property
    def height(self) -> int: ...
    @property
    def transparent(self) -> bool:
        """Whether its file can hold pixels that are not opaque."""
        ...

    def read(self) -> NDArray[np.uint8]:
        """Decode to straight RGBA, shape (height, width, 4)."""
        ...


@dataclass(frozen=True)
class Progress:
    """How far a render is: which stage, and how much of it."""

    stage: str
    done: int
    total: int


OnProgress = Callable[[Progress], None]
"""Told how far the work is; raises :class:`..errors.Cancelled` to stop it."""


@dataclass(frozen=True)
class Rendered:
    """The bytes of an output and what was measured on them."""

    data: bytes
    untimed: bytes
    """The same file with every delay 0: what results that differ only in time have in common."""
    info: dict[str, Any]
    """What :func:`.gif.reader.describe` says of the file, without its frames one by one."""
    delays: list[int]
    """How long each frame lasts, in hundredths of a second."""
    costs: list[int]
    """How many bytes of the file each frame takes."""
    pixels: str
    """The cache key of the file's pictures without their time: equal for two results that differ only in it."""
    sources: str
    """Names what the played steps show before alpha is settled and colours are chosen."""
    plan: Plan
    seconds: dict[str, float]
    notes: list[str] = field(default_factory=list)
    """What a person should know, such as delays the format cannot hold."""


class PlayedFrames:
    """Frames cropped, scaled and with settled alpha, fetched one at a time in played order."""

    def __init__(self, framed: "Framed", shots: Sequence[Shot], alpha: Alpha, stages: Stages) -> None:
        self._shots = shots
        self._framed = framed
        self._alpha = alpha
        self._stages = stages
        positions = {position for shot in shots for position, _ in shot.parts if position != EMPTY}
        self._like = min(positions, default=1)
        self._positions = sorted(positions)

    def __len__(self) -> int:
        return len(self._shots)

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        return settle(self._framed.shot(self._shots[index], like=self._like), self._alpha)

    @cached_property
    def names(self) -> list[str]:
        """What each picture is made of, in played order: equal names, equal pictures."""
        name = {position: self._framed.name(position) for position in self._positions}
        name[EMPTY] = "empty {} {}".format(*self._framed.canvas(self._like))
        return ["+".join([f"{name[p]}x{w}" for p, w in shot.parts]) for shot in self._shots]

    @cached_property
    def firsts(self) -> list[int]:
        """For each picture the index of the first that is equal to it."""
        seen: dict[str, int] = {}
        return [seen.setdefault(name, index) for index, name in enumerate(self.names)]

    @property
    def empty(self) -> bool:
        """Whether there is nothing on any picture."""
        return not self._positions

    @property
    def opaque(self) -> bool:
        """Whether every pixel of every picture is sure to be opaque."""
        every = all(self._framed.opaque(position) for position in self._positions)
        return every and not any(EMPTY in dict(shot.parts) for shot in self._shots)

    @property
    def in_order_of_name(self) -> "PlayedFrames":
        """The same pictures in an order that does not depend on the one they are played in."""
        order = sorted(range(len(self)), key=self.names.__getitem__)
        return PlayedFrames(self._framed, [self._shots[i] for i in order], self._alpha, self._stages)

    @property
    def pixels(self) -> int:
        """How many pixels making them goes through: their own, and those of sources not framed yet."""
        width, height = self._framed.canvas(self._like)
        own = len(self) * width * height
        if not self._positions or self._stages.has("framing", self._framed.key(self._positions[0])):
            return own
        # Reading and scaling one takes about as long as coding three.
        return own + 3 * sum(self._framed.source_pixels(position) for position in self._positions)

    def prepare(self, on_progress: OnProgress) -> None:
        """Decode and frame all pictures that are not there yet, side by side."""
        wanted = [p for p in self._positions if not self._stages.has("framing", self._framed.key(p))]
        with ThreadPoolExecutor(READERS) as pool:
            try:
                for done, _ in enumerate(pool.map(self._prepare_one, wanted), 1):
                    on_progress(Progress("framing", done, len(wanted)))
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise

    def _prepare_one(self, position: int) -> None:
        self._framed.frame(position)


def usual_size(frames: Sequence[SourceFrame], gather: Gather) -> tuple[int, int] | None:
    """The size that frames of another are scaled to, if that is wished: one of its own or that of most."""
    if gather.sizes == "same" or not frames:
        return None
    if gather.size is not None:
        return gather.size
    sizes = Counter((frame.width, frame.height) for frame in frames)
    return max(sizes, key=lambda size: sizes[size])


class Framed:
    """Source frames cropped and scaled, straight RGBA, their soft alpha kept; each kept as a stage result."""

    def __init__(
        self,
        frames: Sequence[SourceFrame],
        framing: Framing,
        size: Size,
        stages: Stages,
        gather: Gather,
    ) -> None:
        """Frames of another size than most are first brought onto a canvas of it, if ``gather`` says so."""
        self._frames = frames
        self._framing = framing
        self._size = size
        self._stages = stages
        self._usual = usual_size(frames, gather)
        self._over = gather.over
        self._ways: dict[tuple[int, int, bool], str] = {}

    def _placed(self, width: int, height: int) -> Placement:
        return placement(self._framing, self._size, *(self._usual or (width, height)))

    def name(self, position: int) -> str:
        """What a framed picture is made of: its source and everything that is done to it, as it turns out.

        Settings that come to the same have the same name.
        """
        frame = self._frames[position - 1]
        kind = frame.width, frame.height, frame.transparent
        if kind not in self._ways:
            own = frame.width, frame.height
            scaled = self._usual if self._usual not in (None, own) else None
            over = self._over if frame.transparent else None
            crop = self._framing.crop or (0, 0, *(self._usual or own))
            self._ways[kind] = cache_key(
                "framing", FRAMING_VERSION, decoders(), over, scaled, crop, astuple(self._placed(*own))
            )
        return f"{frame.sha256} {self._ways[kind]}"

    def key(self, position: int) -> str:
        """The stage key of a framed picture."""
        return hashlib.sha256(self.name(position).encode()).hexdigest()

    def canvas(self, position: int) -> tuple[int, int]:
        """Width and height of a framed picture."""
        frame = self._frames[position - 1]
        return self._placed(frame.width, frame.height).canvas

    def source_pixels(self, position: int) -> int:
        """How many pixels a frame has before it is framed."""
        frame = self._frames[position - 1]
        return frame.width * frame.height

    def opaque(self, position: int) -> bool:
        """Whether a framed picture is opaque throughout: its source is, and it covers the canvas."""
        frame = self._frames[position - 1]
        if self._usual is not None and self._usual != (frame.width, frame.height):
            return False  # it may lie on a canvas of another shape
        return not frame.transparent and self._placed(frame.width, frame.height).covers

    def frame(self, position: int) -> NDArray[np.uint8]:
        """One frame, shape (height, width, 4)."""
        frame, usual = self._frames[position - 1], self._usual

        def make() -> bytes:
            picture = frame.read()
            if self._over is not None:
                picture = unmatte(picture, self._over)
            if usual is not None and usual != (frame.width, frame.height):
                picture = frame_picture(picture, Framing(), Size(width=usual[0], height=usual[1]))
            return frame_picture(picture, self._framing, self._size).tobytes()

        data = self._stages.obtain("framing", self.key(position), make)
        # Writable, as other frames are: loops are compiled for each kind of array apart.
        width, height = self.canvas(position)
        return np.frombuffer(bytearray(data), np.uint8).reshape(height, width, 4)

    def shot(self, shot: Shot, *, like: int = 1) -> NDArray[np.uint8]:
        """What a shot shows, shape (height, width, 4). An empty one is as large as the frame ``like``."""
        if len(shot.parts) == 1 and shot.position != EMPTY:
            return self.frame(shot.position)
        shown = [(self.frame(position), weight) for position, weight in shot.parts if position != EMPTY]
        width, height = self.canvas(like)
        if shown:
            height, width = shown[0][0].shape[:2]
        return mix(shown, height, width)


def render(
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_id: str,
    stages: Stages,
    *,
    on_progress: OnProgress = lambda progress: None,
) -> Rendered:
    """Carry out the recipe for one output.

    A pure function: the same recipe and frames give the same bytes; ``stages`` only saves work. Raises
    ``InputError`` when the recipe does not fit the frames, and whatever ``on_progress`` raises.
    """
    clock = _Clock()
    work = _Work.of(recipe, frames, output_id, stages)
    clock.lap("rhythm")
    coded = _coded_before(work, stages)
    if coded is None:
        work.framed.prepare(on_progress)
        clock.lap("framing")
        coded = _code(work, stages, clock, on_progress)
    clock.lap("encoding")
    return _rendered(work, coded, stages, clock)


def render_at_once(
    recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages
) -> Rendered | None:
    """Like :func:`render`, but only if no pixel need be touched, all pictures being coded already."""
    clock = _Clock()
    work = _Work.of(recipe, frames, output_id, stages)
    clock.lap("rhythm")
    coded = _coded_before(work, stages)
    if coded is None or not stages.has("measure", _measure_key(coded.key)):
        return None
    return _rendered(work, coded, stages, clock)


class Pending(NamedTuple):
    """Pictures that are to be made."""

    pictures: str
    """Names what they are made of: recipes that differ only in time share it."""
    pixels: int
    """How many are to be gone through, roughly: how long it will take is in proportion to them."""


def pending(recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages) -> Pending:
    """What is to be made for an output. Raises ``InputError`` when the recipe does not fit the frames."""
    work = _Work.of(recipe, frames, output_id, stages)
    return Pending(work.key, work.framed.pixels)


@dataclass(frozen=True)
class _Work:
    """What is to be made, before a pixel is touched."""

    output: Output
    plan: Plan
    framed: PlayedFrames
    alpha: tuple[Any, ...]
    """All that pictures depend on of how soft edges are settled; nothing where there are none."""
    amount: int
    reach: int

    @cached_property
    def key(self) -> str:
        """Names everything that the coded pictures depend on."""
        colours = min(self.output.tuning.colours, MOST_COLOURS)
        how = self.alpha, colours, self.amount, self.reach
        return cache_key("pictures", ENCODING_VERSION, PALETTE_VERSION, self.framed.names, *how)

    @cached_property
    def palette_key(self) -> str:
        """The stage key of the palette: how often each frame is played matters to it, their order does not."""
        colours = min(self.output.tuning.colours, MOST_COLOURS)
        return cache_key("palette", PALETTE_VERSION, sorted(self.framed.names), self.alpha, colours)

    @classmethod
    def of(cls, recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages) -> "_Work":
        output = recipe.output(output_id)
        gaps = [frame.missing_after for frame in frames]
        plan = plan_rhythm(recipe.gather, recipe.rhythm, gaps, output.take)
        if recipe.gather.sizes == "same":
            _require_one_size(frames, plan)
        framed = Framed(frames, recipe.framing, output.size, stages, recipe.gather)
        played = PlayedFrames(framed, plan.shots, output.alpha, stages)
        tuning = output.tuning
        amount = 0 if tuning.dither == "none" else tuning.amount
        alpha: tuple[Any, ...] = ()
        if not played.opaque:
            edges = output.alpha.edges
            alpha = edges, output.alpha.cutoff if edges == "cutoff" else output.alpha.matte
            if played.empty and edges != "fill":
                alpha = ()  # there are no edges
        reach = tuning.tolerance // 2
        if played.empty:
            amount = reach = 0  # all of one colour, or of none
        return cls(output, plan, played, alpha, amount, reach)


class _Coded(NamedTuple):
    """Coded pictures without their time, and their stage key."""

    key: str
    data: bytes


def _coded_before(work: _Work, stages: Stages) -> _Coded | None:
    """The coded pictures, if they are there."""
    key = stages.get("pictures", work.key)
    data = stages.get("encoding", key.decode()) if key is not None else None
    return _Coded(key.decode(), data) if key is not None and data is not None else None


def _code(work: _Work, stages: Stages, clock: "_Clock", on_progress: OnProgress) -> _Coded:
    """Code the pictures, or find them coded already with the very same palette."""
    shared = _shared_palette(work, stages, on_progress)
    clock.lap("tuning")
    amount = 0 if shared.lossless else work.amount
    entries = [shared.colours.tobytes().hex(), shared.lossless, shared.transparent, shared.few]
    inputs = work.framed.names, work.alpha, entries, amount, work.reach
    key = cache_key("encoding", ENCODING_VERSION, *inputs)
    data = stages.obtain("encoding", key, lambda: _encode(work, shared, on_progress))
    stages.obtain("pictures", work.key, key.encode)
    return _Coded(key, data)


def _encode(work: _Work, shared: SharedPalette, on_progress: OnProgress) -> bytes:
    frames = work.framed
    return encode_gif(
        frames,
        shared,
        amount=work.amount,
        reach=work.reach,
        firsts=frames.firsts,
        on_frame=_counted("encoding", len(frames), on_progress),
    )


def _measure_key(key: str) -> str:
    """The stage key of what was measured on coded pictures."""
    return cache_key("measure", MEASURE_VERSION, key)


def _rendered(work: _Work, coded: _Coded, stages: Stages, clock: "_Clock") -> Rendered:
    delays = _gif_delays(work.plan)
    key, untimed = coded
    measured = json.loads(stages.obtain("measure", _measure_key(key), lambda: _measure(untimed)))
    places = TimePlaces(measured["delays_at"], tuple(measured["repeat_at"]), measured["cleared_at"])
    data = with_time(untimed, places, delays, work.plan.repeat)
    time = {
        "repeat": work.plan.repeat if len(delays) > 1 else 1,
        "duration_ms": sum(delays) * 10,
        "bytes": len(data),
    }
    info = {**measured["described"], **time}
    clock.lap("measure")
    notes = _notes(work.plan, delays, work.output, info)
    sources = cache_key("sources", FRAMING_VERSION, work.framed.names)
    return Rendered(
        data, untimed, info, delays, measured["costs"], key, sources, work.plan, clock.seconds, notes
    )


def _measure(untimed: bytes) -> bytes:
    """What the coded pictures hold, and where their time is to be written."""
    gif = read_gif(untimed)
    places = time_places(gif)
    described = describe(gif, len(untimed))
    document = {
        "costs": [frame["bytes"] for frame in described.pop("frames")],
        "described": described,
        "delays_at": places.delays,
        "repeat_at": places.repeat,
        "cleared_at": places.cleared_at,
    }
    return json.dumps(document).encode()


def _shared_palette(work: _Work, stages: Stages, on_progress: OnProgress) -> SharedPalette:
    def choose() -> bytes:
        frames, output = work.framed.in_order_of_name, work.output
        shared = share_palette(
            frames,
            output.tuning.colours,
            matte=rgb(output.alpha.matte) if work.alpha and output.alpha.edges != "cutoff" else None,
            on_frame=_counted("tuning", len(frames), on_progress),
        )
        return bytes([shared.lossless, shared.transparent, shared.few]) + shared.colours.tobytes()

    data = stages.obtain("palette", work.palette_key, choose)
    colours = np.frombuffer(data[3:], np.uint8).reshape(-1, 3)
    return SharedPalette(colours, bool(data[0]), bool(data[1]), bool(data[2]))


def _counted(stage: str, total: int, on_progress: OnProgress) -> Callable[[], None]:
    done = itertools.count(1)
    return lambda: on_progress(Progress(stage, next(done), total))


def _require_one_size(frames: Sequence[SourceFrame], plan: Plan) -> None:
    used = {position for shot in plan.shots for position, _ in shot.parts if position != EMPTY} or {1}
    first = frames[min(used) - 1]
    for position in sorted(used):
        frame = frames[position - 1]
        if (frame.width, frame.height) != (first.width, first.height):
            raise InputError(
                f"is {frame.width} × {frame.height}, the first frame is {first.width} × {first.height}",
                file=frame.name,
                remedy="render it at the size of the others, or leave it out",
            )


def _gif_delays(plan: Plan) -> list[int]:
    delays = conform(plan.durations, HUNDREDTH, floor=GIF_FLOOR)
    if max(delays) > GIF_CEILING:
        raise InputError(
            f"frame {delays.index(max(delays)) + 1} lasts {max(delays) / 100:.0f} s; a GIF frame lasts at most "
            f"{GIF_CEILING / 100:.0f}",
            remedy="make it shorter, or play it several times",
        )
    return delays


def _notes(plan: Plan, delays: list[int], output: Output, info: dict[str, Any]) -> list[str]:
    notes = []
    wanted = sum(plan.durations)
    if abs(sum(delays) * HUNDREDTH - wanted) > HUNDREDTH:
        notes.append(
            f"lasts {sum(delays) * 10} ms instead of {round(wanted / MILLISECOND)}: a GIF frame shorter than "
            f"{GIF_FLOOR} hundredths would be played at about 10; play every second frame, or slower"
        )
    if output.budget is not None and info["bytes"] > output.budget:
        notes.append(f"{info['bytes'] - output.budget} bytes over the budget of {output.budget}")
    return notes


class _Clock:
    def __init__(self) -> None:
        self.seconds = dict.fromkeys(("rhythm", "framing", "tuning", "encoding", "measure"), 0.0)
        self._last = time.perf_counter()

    def lap(self, name: str) -> None:
        now = time.perf_counter()
        self.seconds[name] = now - self._last
        self._last = now
