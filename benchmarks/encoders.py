"""The coders that are compared: ours, Pillow's, and PyAV's palette filters. Frames in memory to GIF bytes."""

from collections.abc import Callable
from fractions import Fraction
from io import BytesIO

import av
import av.filter
import numpy as np
from PIL import Image

from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.formats.gif.runs import steps_of
from jayflick.core.formats.gif.shared import share_palette
from jayflick.core.quality.ssim import ssim

from .clips import Clip

TICK = Fraction(1, 25)
Encoder = Callable[[], bytes]
"""Everything that is not encoding has been done when it is handed out."""


def ours(frames: Clip, amount: int, loss: int = 0) -> Encoder:
    return lambda: encode_gif(frames, share_palette(frames, 256, weighed=loss > 0), amount=amount, loss=loss)


def transparent(frames: Clip) -> bool:
    return any(bool((frame[:, :, 3] == 0).any()) for frame in frames)


def pillow(frames: Clip) -> Encoder:
    clear = transparent(frames)
    pictures = [Image.fromarray(frame if clear else np.ascontiguousarray(frame[:, :, :3])) for frame in frames]

    def encode() -> bytes:
        out = BytesIO()
        pictures[0].save(
            out,
            "GIF",
            save_all=True,
            append_images=pictures[1:],
            duration=40,
            loop=0,
            **({"disposal": 2} if clear else {}),
        )
        return out.getvalue()

    return encode


def palette_filters(frames: Clip, dither: str) -> Encoder:
    """PyAV's palettegen and paletteuse, one palette for all frames, as a filter graph."""
    height, width = frames[0].shape[:2]
    clear = transparent(frames)
    kind = "rgba" if clear else "rgb24"
    pictures = [
        av.VideoFrame.from_ndarray(np.ascontiguousarray(frame if clear else frame[:, :, :3]), format=kind)
        for frame in frames
    ]

    def encode() -> bytes:
        out = BytesIO()
        with av.open(out, "w", format="gif") as container:
            stream = container.add_stream("gif", rate=25)
            stream.width, stream.height, stream.pix_fmt = width, height, "pal8"
            stream.time_base = TICK
            graph = av.filter.Graph()
            source = graph.add_buffer(width=width, height=height, format=av.VideoFormat(kind), time_base=TICK)
            split, generate = graph.add("split"), graph.add("palettegen")
            use, sink = graph.add("paletteuse", f"dither={dither}"), graph.add("buffersink")
            source.link_to(split)
            split.link_to(generate, 0, 0)
            split.link_to(use, 1, 0)
            generate.link_to(use, 0, 1)
            use.link_to(sink)
            graph.configure()
            for index, picture in enumerate(pictures):
                picture.pts, picture.time_base = index, TICK
                source.push(picture)
            source.push(None)
            while True:
                try:
                    made = graph.pull()
                except (av.error.EOFError, av.error.BlockingIOError):
                    break
                if not isinstance(made, av.VideoFrame):
                    continue
                for packet in stream.encode(made):
                    container.mux(packet)
            for packet in stream.encode():
                container.mux(packet)
        return out.getvalue()

    return encode


def pictures(frames: Clip, data: bytes) -> Clip:
    """What a file shows of each frame; of ours, without their time, a picture may stand for several."""
    gif = read_gif(data)
    return list(gif.pictures() if len(gif.frames) == len(frames) else steps_of(gif))


def likeness(frames: Clip, data: bytes) -> tuple[float, float]:
    """PSNR in dB over all pixels that are there, and the mean SSIM of the pictures as seen.

    For SSIM what is not there is grey on both sides.
    """
    total, count = 0, 0
    similar = []
    seen = pictures(frames, data)
    if len(seen) != len(frames):
        raise ValueError(f"{len(seen)} frames came back of {len(frames)}")
    for wanted, shown in zip(frames, seen, strict=True):
        there = wanted[:, :, 3] > 0
        difference = wanted[:, :, :3][there].astype(np.int64) - shown[:, :, :3][there]
        total += int((difference * difference).sum())
        count += difference.size
        both = [np.where(there[:, :, None], one[:, :, :3], 128).astype(np.uint8) for one in (wanted, shown)]
        similar.append(ssim(*both))
    return float(10 * np.log10(255**2 * count / max(total, 1))), float(np.mean(similar))
