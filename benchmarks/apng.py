"""Animated PNG against Pillow's ``save_all``: seconds and bytes, in one run. Both are without loss."""

import statistics
import time
from io import BytesIO

import numpy as np
from PIL import Image

from jayflick.core.formats.apng import encode_apng
from jayflick.core.warm import warm

from .clips import Clip, film, soft
from .encode import mean
from .encoders import Encoder

ROUNDS = 3
EFFORT = 6
"""That of a new output."""


def ours(frames: Clip) -> Encoder:
    return lambda: encode_apng(frames, EFFORT).data


def pillow(frames: Clip) -> Encoder:
    opaque = all(bool((frame[:, :, 3] == 255).all()) for frame in frames)
    pictures = [Image.fromarray(np.ascontiguousarray(frame[:, :, :3]) if opaque else frame) for frame in frames]

    def encode() -> bytes:
        out = BytesIO()
        pictures[0].save(out, "PNG", save_all=True, append_images=pictures[1:], duration=40, loop=0)
        return out.getvalue()

    return encode


def main() -> None:
    warm()
    clips = {
        "film 580×326": film(24),
        **{name: soft(folder) for name, folder in (("lamp", "dusk_lamp"), ("pier", "pier"), ("tern", "tern"))},
    }
    print("| clip | ours KB | Pillow KB | bytes | ours s | Pillow s | time |")
    print("| --- | ---: | ---: | ---: | ---: | ---: | ---: |")
    sizes, times = [], []
    for name, frames in clips.items():
        coders = {"ours": ours(frames), "Pillow": pillow(frames)}
        seconds: dict[str, list[float]] = {coder: [] for coder in coders}
        files: dict[str, int] = {}
        for _ in range(ROUNDS):
            for coder, encode in coders.items():
                begun = time.perf_counter()
                files[coder] = len(encode())
                seconds[coder].append(time.perf_counter() - begun)
        a, b = (statistics.median(seconds[coder]) for coder in coders)
        sizes.append(files["ours"] / files["Pillow"])
        times.append(a / b)
        kilobytes = [round(files[coder] / 1024) for coder in coders]
        print(
            f"| {name} | {kilobytes[0]} | {kilobytes[1]} | {sizes[-1]:.3f} "
            f"| {a:.2f} | {b:.2f} | {times[-1]:.2f} |"
        )
    print(f"| geometric mean | | | {mean(sizes):.3f} | | | {mean(times):.2f} |")


if __name__ == "__main__":
    main()
