"""The one way from a recipe and its frames to the bytes of an output."""

import hashlib
import itertools
import json
import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from .errors import InputError
from .framing.alpha import settle, taken_out
from .framing.mix import mix
from .framing.scale import frame_picture, placement
from .gif.encoder import SharedPalette, encode_gif, share_palette
from .gif.reader import describe, read_gif
from .gif.retime import TimePlaces, time_places, with_time
from .recipe import Framing, Gather, Output, Recipe, Size
from .stages import Stages, stage_key
from .timing.conform import GIF_CEILING, GIF_FLOOR, conform
from .timing.flicks import HUNDREDTH, MILLISECOND
from .timing.plan import Plan, plan_rhythm
from .timing.shots import EMPTY, Shot

FRAMING_VERSION = 3
PALETTE_VERSION = 2
ENCODING_VERSION = 3
MEASURE_VERSION = 2
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
    """Names the pictures of the file without their time: equal for two results that differ only in delays."""
    plan: Plan
    seconds: dict[str, float]
    notes: list[str] = field(default_factory=list)
    """What a person should know, such as delays the format cannot hold."""


class PlayedFrames:
    """Frames cropped, scaled and with settled alpha, fetched one at a time in played order."""

    def __init__(
        self,
        frames: Sequence[SourceFrame],
        shots: Sequence[Shot],
        framing: Framing,
        output: Output,
        stages: Stages,
        gather: Gather,
    ) -> None:
        self._shots = shots
        self._framed = Framed(frames, framing, output.size, stages, gather)
        self._alpha = output.alpha
        self._stages = stages
        positions = {position for shot in shots for position, _ in shot.parts if position != EMPTY}
        self._like = min(positions, default=1)
        self._positions = sorted(positions)

    def __len__(self) -> int:
        return len(self._shots)

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        return settle(self._framed.shot(self._shots[index], like=self._like), self._alpha)

    @property
    def wish(self) -> str:
        """What becomes of all frames alike."""
        return self._framed.wish

    @property
    def names(self) -> list[str]:
        """What names the pictures in played order; together with ``wish`` it says what they look like."""
        name = {position: self._framed.name(position) for position in self._positions}
        return ["+".join([f"{name.get(p, EMPTY)}x{w}" for p, w in shot.parts]) for shot in self._shots]

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
        wish = framing.model_dump(mode="json"), size.model_dump(mode="json"), gather.over
        self.wish = stage_key("framing", FRAMING_VERSION, *wish)
        """Names what becomes of all frames alike."""

    def name(self, position: int) -> str:
        """What names a framed picture among those that share a wish."""
        frame = self._frames[position - 1]
        if self._usual is None or self._usual == (frame.width, frame.height):
            return frame.sha256
        return f"{frame.sha256} on {self._usual}"

    def key(self, position: int) -> str:
        """The stage key of a framed picture."""
        return hashlib.sha256(f"{self.wish} {self.name(position)}".encode()).hexdigest()

    def frame(self, position: int) -> NDArray[np.uint8]:
        """One frame, shape (height, width, 4)."""
        frame, usual = self._frames[position - 1], self._usual

        def make() -> bytes:
            picture = frame.read()
            if self._over is not None:
                picture = taken_out(picture, self._over)
            if usual is not None and usual != (frame.width, frame.height):
                picture = frame_picture(picture, Framing(), Size(width=usual[0], height=usual[1]))
            return frame_picture(picture, self._framing, self._size).tobytes()

        data = self._stages.obtain("framing", self.key(position), make)
        # Writable, as other frames are: loops are compiled for each kind of array apart.
        return np.frombuffer(bytearray(data), np.uint8).reshape(*self._shape(position), 4)

    def shot(self, shot: Shot, *, like: int = 1) -> NDArray[np.uint8]:
        """What a shot shows, shape (height, width, 4). An empty one is as large as the frame ``like``."""
        if len(shot.parts) == 1 and shot.position != EMPTY:
            return self.frame(shot.position)
        shown = [(self.frame(position), weight) for position, weight in shot.parts if position != EMPTY]
        height, width = shown[0][0].shape[:2] if shown else self._shape(like)
        return mix(shown, height, width)

    def _shape(self, position: int) -> tuple[int, int]:
        frame = self._frames[position - 1]
        canvas = placement(self._framing, self._size, *(self._usual or (frame.width, frame.height))).canvas
        return canvas[1], canvas[0]


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
    if not stages.has("encoding", work.key):
        work.framed.prepare(on_progress)
    clock.lap("framing")
    return _rendered(work, stages, clock, on_progress)


def render_at_once(
    recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages
) -> Rendered | None:
    """Like :func:`render`, but only if no pixel need be touched, all pictures being coded already."""
    clock = _Clock()
    work = _Work.of(recipe, frames, output_id, stages)
    clock.lap("rhythm")
    if not (stages.has("encoding", work.key) and stages.has("measure", work.measure_key)):
        return None
    return _rendered(work, stages, clock, lambda progress: None)


@dataclass(frozen=True)
class _Work:
    """What is to be made, before a pixel is touched."""

    output: Output
    plan: Plan
    framed: PlayedFrames
    key: str
    """The stage key of the coded pictures."""

    @property
    def measure_key(self) -> str:
        """The stage key of what was measured on them."""
        return stage_key("measure", MEASURE_VERSION, self.key)

    @classmethod
    def of(cls, recipe: Recipe, frames: Sequence[SourceFrame], output_id: str, stages: Stages) -> "_Work":
        output = recipe.output(output_id)
        gaps = [frame.missing_after for frame in frames]
        plan = plan_rhythm(recipe.gather, recipe.rhythm, gaps, output.take)
        if recipe.gather.sizes == "same":
            _require_one_size(frames, plan)
        framed = PlayedFrames(frames, plan.shots, recipe.framing, output, stages, recipe.gather)
        alpha, tuning = output.alpha.model_dump(mode="json"), output.tuning.model_dump(mode="json")
        pictures = framed.wish, framed.names
        key = stage_key("encoding", ENCODING_VERSION, *pictures, alpha, tuning, plan.repeat == 1)
        return cls(output, plan, framed, key)


def _rendered(work: _Work, stages: Stages, clock: "_Clock", on_progress: OnProgress) -> Rendered:
    untimed = stages.obtain("encoding", work.key, lambda: _encode(work, stages, clock, on_progress))
    clock.lap("encoding")
    measured = json.loads(stages.obtain("measure", work.measure_key, lambda: _measure(untimed)))
    places = TimePlaces(measured["delays_at"], tuple(measured["repeat_at"]))
    delays = _gif_delays(work.plan)
    data = with_time(untimed, places, delays, work.plan.repeat)
    time = {
        "repeat": work.plan.repeat if len(delays) > 1 else 1,
        "duration_ms": sum(delays) * 10,
        "bytes": len(data),
    }
    info = {**measured["described"], **time}
    clock.lap("measure")
    notes = _notes(work.plan, delays, work.output, info)
    return Rendered(data, untimed, info, delays, measured["costs"], work.key, work.plan, clock.seconds, notes)


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
    }
    return json.dumps(document).encode()


def _shared_palette(
    frames: PlayedFrames, output: Output, stages: Stages, on_progress: OnProgress
) -> SharedPalette:
    # The order of frames does not matter to a palette; how often each is played does.
    key = stage_key(
        "palette",
        PALETTE_VERSION,
        frames.wish,
        sorted(frames.names),
        output.alpha.model_dump(mode="json"),
        output.tuning.colours,
    )

    def choose() -> bytes:
        shared = share_palette(
            frames, output.tuning.colours, on_frame=_counted("tuning", len(frames), on_progress)
        )
        return bytes([shared.lossless, shared.transparent, shared.few]) + shared.colours.tobytes()

    data = stages.obtain("palette", key, choose)
    colours = np.frombuffer(data[3:], np.uint8).reshape(-1, 3)
    return SharedPalette(colours, bool(data[0]), bool(data[1]), bool(data[2]))


def _encode(work: _Work, stages: Stages, clock: "_Clock", on_progress: OnProgress) -> bytes:
    frames, tuning = work.framed, work.output.tuning
    shared = _shared_palette(frames, work.output, stages, on_progress)
    clock.lap("tuning")
    return encode_gif(
        frames,
        shared,
        amount=0 if tuning.dither == "none" else tuning.amount,
        reach=tuning.tolerance // 2,
        rests=work.plan.repeat == 1,
        on_frame=_counted("encoding", len(frames), on_progress),
    )


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
