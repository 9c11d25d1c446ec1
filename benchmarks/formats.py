"""Other formats at 1920 × 1080 with alpha against the same library called directly, in one run.

Directly is what anybody would write: frames at hand, converted and coded one after the other, with the same
settings. Ours is what a render takes once the frames are framed, clear pixels bled and cancel heeded.
"""

import os
import statistics
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from io import BytesIO
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image

from jayflick.core.formats.video import CODERS
from jayflick.core.recipe import Recipe
from jayflick.core.render import render
from jayflick.core.sequence.files import look_at
from jayflick.core.stages import Stages
from jayflick.core.warm import warm

from .clips import Clip, soft

COUNT = 12
SIZE = (1920, 1080)
ROUNDS = 3
OUTPUTS: dict[str, dict[str, Any]] = {
    "WebM": {"format": "video", "codec": "vp9", "file_name": "a.webm"},
    "MP4": {"format": "video", "codec": "h264", "file_name": "a.mp4", "over": "#000000"},
    "ProRes": {"format": "video", "codec": "prores", "file_name": "a.mov"},
    "AVIF": {"format": "avif", "file_name": "a.avif"},
    "WebP": {"format": "webp", "file_name": "a.webp"},
    "PNG set": {"format": "frames", "file_name": "a.zip", "names": "a_####"},
}


def art() -> Clip:
    """The lamp under a soft vignette that is clear in its corners."""
    y, x = np.mgrid[: SIZE[1], : SIZE[0]]
    alpha = np.clip(1.5 - np.hypot((x - SIZE[0] / 2) / 700, (y - SIZE[1] / 2) / 400), 0, 1) * 255
    frames = []
    for frame in soft("dusk_lamp")[:COUNT]:
        large = np.array(Image.fromarray(frame).resize(SIZE, Image.Resampling.LANCZOS))
        large[..., 3] = alpha
        frames.append(large)
    return frames


def video(frames: Clip, codec: str, ending: str) -> int:
    """By PyAV."""
    coder = CODERS[codec]
    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / f"a{ending}"
        with av.open(str(path), "w") as container:
            stream: Any = container.add_stream(coder.name, rate=24, options=coder.options(75))
            stream.width, stream.height = SIZE
            stream.pix_fmt = coder.soft or coder.opaque
            for frame in frames:
                picture = av.VideoFrame.from_ndarray(frame, "rgba").reformat(format=stream.pix_fmt)
                container.mux(stream.encode(picture))
            container.mux(stream.encode(None))
        return path.stat().st_size


def moving(frames: Clip, kind: str, **options: Any) -> int:
    """By Pillow."""
    out = BytesIO()
    first, *others = [Image.fromarray(frame) for frame in frames]
    first.save(out, kind, save_all=True, append_images=others, duration=40, **options)
    return len(out.getvalue())


def pngs(frames: Clip) -> int:
    """By Pillow, two side by side."""

    def one(frame: np.ndarray[Any, np.dtype[np.uint8]]) -> int:
        out = BytesIO()
        Image.fromarray(frame).save(out, "PNG")
        return len(out.getvalue())

    with ThreadPoolExecutor(2) as pool:
        return sum(pool.map(one, frames))


DIRECTLY: dict[str, Callable[[Clip], int]] = {
    "WebM": lambda frames: video(frames, "vp9", ".webm"),
    "MP4": lambda frames: video(frames, "h264", ".mp4"),
    "ProRes": lambda frames: video(frames, "prores", ".mov"),
    "AVIF": lambda frames: moving(frames, "AVIF", quality=70, speed=6, max_threads=2),
    "WebP": lambda frames: moving(frames, "WEBP", quality=80, method=4),
    "PNG set": pngs,
}


def main() -> None:
    warm()
    frames = art()
    print("| format | ours s | directly s | time | KB | directly KB | whole ÷ longest part |")
    print("| --- | ---: | ---: | ---: | ---: | ---: | ---: |")
    with tempfile.TemporaryDirectory(dir=os.environ.get("TMPDIR")) as scratch:
        folder = Path(scratch)
        paths = [folder / f"in_{number}.png" for number in range(1, COUNT + 1)]
        for path, frame in zip(paths, frames, strict=True):
            Image.fromarray(frame).save(path, compress_level=1)
        found = list(look_at(paths, folder)[1].values())
        for name, output in OUTPUTS.items():
            recipe = Recipe.model_validate({"outputs": [{"id": "a", "name": "a", **output}]})
            ours, directly, whole, sizes = [], [], [], (0, 0)
            for number in range(ROUNDS):
                made = render(recipe, found, "a", Stages(folder / f"{name} {number}"))
                parts = [made.seconds["framing"], made.seconds["tuning"] + made.seconds["encoding"]]
                ours.append(parts[1])
                whole.append(sum(parts) / max(parts))
                begun = time.perf_counter()
                sizes = made.info["bytes"], DIRECTLY[name](frames)
                directly.append(time.perf_counter() - begun)
            a, b = statistics.median(ours), statistics.median(directly)
            kilobytes = [round(size / 1024) for size in sizes]
            print(
                f"| {name} | {a:.2f} | {b:.2f} | {a / b:.2f} | {kilobytes[0]} | {kilobytes[1]} "
                f"| {statistics.median(whole):.2f} |",
                flush=True,
            )


if __name__ == "__main__":
    main()
