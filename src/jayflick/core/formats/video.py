"""A silent clip at a constant rate, coded by PyAV: MP4 with H.264, WebM with VP9, MOV for the next program.

Sources: ITU-R BT.709 (matrix and limited range); ITU-T H.273, table 2 to 4 (code points 1, 1, 1 for it);
ISO/IEC 14496-12 (the index stands before the pictures: "fast start").
"""

import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from fractions import Fraction
from importlib.metadata import version
from io import BytesIO
from itertools import accumulate, pairwise
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..framing.bleed import bled
from ..framing.frames import PlayedFrames
from ..framing.settled import LaidOver
from ..pictures.reformat import reformatted
from ..recipe import VideoOutput
from ..store import Store
from ..timing import held as held_as
from ..timing.flicks import SECOND
from ..timing.held import FormatTiming
from ..timing.plan import Plan
from .ahead import ahead
from .format import Coded, File, Json, Timed, Tools

MEDIA_TYPES = {".mp4": "video/mp4", ".webm": "video/webm", ".mov": "video/quicktime"}
MOST_FRAMES = 100_000
KEY_FRAME = 48
"""Frames from one that stands by itself to the next, at most: a player can begin there."""
TRIES = 6
"""How many qualities are tried to meet a size."""


class _Coder(NamedTuple):
    """How pictures are coded."""

    name: str
    opaque: str
    """The pixels it takes (FFmpeg's name)."""
    soft: str | None
    """With alpha; ``None``: it has none."""
    even: bool
    """Whether sides must be even."""
    lossy: bool
    options: Callable[[int], dict[str, str]]
    """Its own settings for a quality of 0 to 100."""

    def pixels(self, soft: bool) -> str:
        return self.soft if soft and self.soft else self.opaque


def _h264(quality: int) -> dict[str, str]:
    spent = {"crf": str(round(46 - quality * 0.35)), "preset": "slow", "g": str(KEY_FRAME), "threads": "2"}
    # Otherwise the same pictures now and then give other bytes, also on the same machine.
    return {**spent, "x264-params": "cpu-independent=1"}


def _vp9(quality: int) -> dict[str, str]:
    spent = {"crf": str(round(58 - quality * 0.5)), "b": "0", "g": str(KEY_FRAME), "auto-alt-ref": "0"}
    return {**spent, "deadline": "good", "cpu-used": "3", "lag-in-frames": "8", "row-mt": "1", "threads": "2"}


CODERS = {
    "h264": _Coder("libx264", "yuv420p", None, True, True, _h264),
    "vp9": _Coder("libvpx-vp9", "yuv420p", "yuva420p", False, True, _vp9),
    "prores": _Coder("prores_ks", "yuv444p10le", "yuva444p10le", False, True, lambda _: {"profile": "4"}),
    "png": _Coder("png", "rgb24", "rgba", False, False, lambda _: {}),
    "qtrle": _Coder("qtrle", "rgb24", "argb", False, False, lambda _: {}),
}
_SHARED = ("h264", "vp9")
"""What quality is chosen for; the others keep all they are given."""


class VideoFormat:
    version = 2
    effort = 12

    def hold(self, plan: Plan, output: VideoOutput) -> FormatTiming:
        held = held_as.video(plan.times)
        count = _total(held, output)
        if count > MOST_FRAMES:
            raise InputError(
                f"the clip would have {count} frames; the most are {MOST_FRAMES}",
                remedy="make it shorter, or set a rate for this output",
            )
        notes = list(held.notes)
        if output.length is not None and count % sum(held.units):
            notes.append("the length cuts the loop: the clip does not end where it begins")
        return FormatTiming("Video", held.units, held.unit, 1, tuple(notes))

    def inputs(self, frames: PlayedFrames, output: VideoOutput, held: FormatTiming) -> Json:
        over = None if frames.opaque else output.over
        spent = (output.quality, output.most_bytes) if output.codec in _SHARED else None
        return version("av"), over, output.codec, spent, held.units, str(held.unit), _total(held, output)

    def encode(
        self, frames: PlayedFrames, output: VideoOutput, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
        coder = CODERS[output.codec]
        laid = LaidOver(frames, output.over)
        if coder.soft is None:
            laid.require_opaque("MP4", "lay it over a page colour, or use WebM or MOV")
        soft = laid.soft() is not None
        total = _total(held, output)
        shown = _shown(held)
        width, height = frames.canvas
        if coder.even:
            width, height = max(width // 2 * 2, 2), max(height // 2 * 2, 2)

        def picture(step: int) -> NDArray[np.uint8]:
            fitted = _fit(laid[step], width, height)
            return bled(fitted) if soft and coder.lossy else fitted

        def made(quality: int) -> bytes:
            on_frame = tools.begin("encoding", total)
            steps = (shown[number % len(shown)] for number in range(total))
            pictures = ahead(lambda step: _prepared(picture(step), coder, soft), steps)
            with closing(pictures):
                return _written(
                    pictures, (width, height), coder, soft, 1 / held.unit, output, quality, on_frame
                )

        data = made(output.quality)
        if output.most_bytes is not None and output.codec in _SHARED and len(data) > output.most_bytes:
            data = _met(made, output.most_bytes, output.quality, data)
        info = {"width": width, "height": height, "colours": None, "transparent": soft}
        kept = tools.keep(data, MEDIA_TYPES[output.endings[0]])
        costs = _costs(data, held) if total == len(shown) else ()
        starts = [0, *accumulate(held.units)][:-1]
        at = tuple(min(start, total - 1) for start in starts)
        time = {"total": total, "trimmed": (width, height) != frames.canvas}
        return Coded(key, (kept,), info, costs, at, time)

    def timed(self, coded: Coded, held: FormatTiming, output: VideoOutput, store: Store) -> Timed:
        (file,) = coded.files
        total = coded.time["total"]
        made = File(output.file_name, file.media_type, file.size, lambda: store.read(file.sha256))
        notes: tuple[str, ...] = ()
        if coded.time["trimmed"]:
            notes = ("a row or column of pixels was trimmed: the sides of an H.264 clip are even",)
        if output.most_bytes is not None and output.codec in _SHARED and file.size > output.most_bytes:
            notes += (f"is larger than {output.most_bytes} bytes even at the lowest quality: make it smaller",)
        return Timed((made,), coded.at, total * held.unit, total, 1, notes)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        return decoded(files[0])


def _total(held: FormatTiming, output: VideoOutput) -> int:
    """How many frames the clip has."""
    if output.length is not None:
        return max(1, round(Fraction(output.length, SECOND) / held.unit))
    return sum(held.units) * output.plays


def _shown(held: FormatTiming) -> list[int]:
    """Which played step each frame of one round shows."""
    return [step for step, count in enumerate(held.units) for _ in range(count)]


def _fit(frame: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    """The frame on sides that a coder takes: what is too much is trimmed, what lacks is as the edge is."""
    part = frame[:height, :width]
    lacking = (0, height - part.shape[0]), (0, width - part.shape[1]), (0, 0)
    return np.pad(part, lacking, mode="edge") if any(more for _, more in lacking) else part


def _prepared(picture: NDArray[np.uint8], coder: _Coder, soft: bool) -> Any:
    """A picture as its coder takes it."""
    from av.video.frame import VideoFrame
    from av.video.reformatter import ColorRange, Colorspace

    pixels = coder.pixels(soft)
    plain = picture if soft else picture[:, :, :3]
    frame = VideoFrame.from_ndarray(np.ascontiguousarray(plain), "rgba" if soft else "rgb24")
    if pixels.startswith("yuv"):
        frame = reformatted(
            frame,
            pixels,
            src_colorspace=Colorspace.ITU709,
            dst_colorspace=Colorspace.ITU709,
            src_color_range=ColorRange.JPEG,
            dst_color_range=ColorRange.MPEG,
        )
        frame.colorspace, frame.color_range = Colorspace.ITU709, ColorRange.MPEG
    elif frame.format.name != pixels:
        frame = reformatted(frame, pixels)
    return frame


def _written(
    pictures: Iterator[Any],
    size: tuple[int, int],
    coder: _Coder,
    soft: bool,
    rate: Fraction,
    output: VideoOutput,
    quality: int,
    on_frame: Callable[[], None],
) -> bytes:
    """A whole file."""
    import av
    from av.video.reformatter import ColorPrimaries, ColorRange, Colorspace, ColorTrc

    ending = output.endings[0]
    pixels = coder.pixels(soft)
    with tempfile.TemporaryDirectory(prefix="jayflick-") as scratch:
        path = Path(scratch) / f"clip{ending}"
        options = {"fflags": "+bitexact"}
        if ending != ".webm":
            options["movflags"] = "+faststart+write_colr"
        with av.open(str(path), "w", options=options) as container:
            stream: Any = container.add_stream(coder.name, rate=rate, options=coder.options(quality))
            stream.width, stream.height = size
            stream.pix_fmt = pixels
            stream.time_base = 1 / rate
            context = stream.codec_context
            context.flags |= av.codec.context.Flags.bitexact
            if pixels.startswith("yuv"):
                context.color_primaries, context.color_trc = ColorPrimaries.BT709, ColorTrc.BT709
                context.colorspace, context.color_range = Colorspace.ITU709, ColorRange.MPEG
            for number, frame in enumerate(pictures):
                frame.pts, frame.time_base = number, 1 / rate
                container.mux(stream.encode(frame))
                on_frame()
            container.mux(stream.encode(None))
        return path.read_bytes()


def _met(made: Callable[[int], bytes], most: int, quality: int, data: bytes) -> bytes:
    """The file of the best quality that has at most so many bytes; the smallest there is if none has."""
    low, high = 0, quality
    smallest, best = data, None
    for _ in range(TRIES):
        if low >= high:
            break
        middle = (low + high) // 2
        tried = made(middle)
        smallest = min(smallest, tried, key=len)
        if len(tried) <= most:
            best, low = tried, middle + 1
        else:
            high = middle
    return best if best is not None else smallest


def _costs(data: bytes, held: FormatTiming) -> tuple[int, ...]:
    """The bytes of each played step: of all its frames."""
    import av

    with av.open(BytesIO(data)) as container:
        packets = [packet for packet in container.demux(video=0) if packet.size]  # type: ignore[union-attr]
        sizes = [packet.size for packet in sorted(packets, key=lambda packet: packet.pts or 0)]
    ends = [0, *accumulate(held.units)]
    return tuple(sum(sizes[start:stop]) for start, stop in pairwise(ends))


def decoded(data: bytes) -> Iterator[NDArray[np.uint8]]:
    """The pictures of a clip, straight RGBA. The alpha of VP9 is read by the library's own decoder."""
    import av
    from av.video.reformatter import ColorRange, Colorspace

    with av.open(BytesIO(data)) as container:
        assert isinstance(container, av.container.InputContainer)
        stream = container.streams.video[0]
        codec: Any = stream.codec_context
        if codec.name == "vp9" or codec.codec.name == "vp9":
            alpha: Any = av.CodecContext.create("libvpx-vp9", "r")
            alpha.extradata = codec.extradata
            codec = alpha
        for packet in container.demux(stream):
            for frame in codec.decode(packet if packet.size else None):
                yield reformatted(
                    frame,
                    "rgba",
                    src_colorspace=Colorspace.ITU709 if "yuv" in frame.format.name else None,
                    dst_color_range=ColorRange.JPEG,
                ).to_ndarray()
