"""Whole encodes against Pillow and PyAV's palette filters: seconds, bytes and PSNR, in one run."""

import math
import statistics
import time
from dataclasses import dataclass

from jayflick.core.warm import warm

from .clips import clips
from .encoders import Encoder, likeness, ours, palette_filters, pillow

ROUNDS = 3
ENOUGH = 8.0
"""Seconds a clip is measured for, if its three rounds take less: short times vary most."""


@dataclass
class Row:
    clip: str
    coder: str
    seconds: float
    bytes: int
    psnr: float
    ssim: float


def timed(encode: Encoder) -> tuple[float, bytes]:
    begun = time.perf_counter()
    data = encode()
    return time.perf_counter() - begun, data


def mean(ratios: list[float]) -> float:
    """The geometric mean."""
    return math.exp(statistics.fmean(math.log(ratio) for ratio in ratios))


def measure() -> list[Row]:
    """Every coder on every clip, in turn, at least ``ROUNDS`` times: the machine's moods fall on all alike."""
    rows = []
    for name, frames in clips().items():
        coders: dict[str, Encoder] = {
            "ours, no dither": ours(frames, 0),
            "ours, diffusion": ours(frames, 100),
            "ours, loss 20": ours(frames, 0, 20),
            "Pillow save_all": pillow(frames),
            "filters, none": palette_filters(frames, "none"),
            "filters, sierra2_4a": palette_filters(frames, "sierra2_4a"),
        }
        seconds: dict[str, list[float]] = {coder: [] for coder in coders}
        files: dict[str, bytes] = {}
        begun = time.perf_counter()
        while len(seconds["filters, none"]) < ROUNDS or time.perf_counter() - begun < ENOUGH:
            for coder, encode in coders.items():
                spent, files[coder] = timed(encode)
                seconds[coder].append(spent)
        rows += [
            Row(name, coder, statistics.median(seconds[coder]), len(data), *likeness(frames, data))
            for coder, data in files.items()
        ]
    return rows


def times(ratio: float) -> str:
    return f"{ratio:.1f}" if ratio >= 1 else f"1/{1 / ratio:.1f}"


def main() -> None:
    warm()
    rows = measure()
    print("| clip | coder | seconds | KB | PSNR dB | SSIM |")
    print("| --- | --- | ---: | ---: | ---: | ---: |")
    for row in rows:
        figures = f"{row.seconds:.2f} | {row.bytes / 1024:.0f} | {row.psnr:.2f} | {row.ssim:.4f}"
        print(f"| {row.clip} | {row.coder} | {figures} |")
    print()
    print("| ours against | clip | time | bytes | PSNR | SSIM |")
    print("| --- | --- | ---: | ---: | ---: | ---: |")
    pairs = (
        ("ours, no dither", "Pillow save_all"),
        ("ours, diffusion", "Pillow save_all"),
        ("ours, no dither", "filters, none"),
        ("ours, loss 20", "ours, no dither"),
        ("ours, loss 20", "filters, none"),
        ("ours, diffusion", "filters, sierra2_4a"),
    )
    for mine, theirs in pairs:
        ratios, sizes = [], []
        for name in dict.fromkeys(row.clip for row in rows):
            a = next(row for row in rows if row.clip == name and row.coder == mine)
            b = next(row for row in rows if row.clip == name and row.coder == theirs)
            ratios.append(a.seconds / b.seconds)
            sizes.append(a.bytes / b.bytes)
            print(
                f"| {mine} / {theirs} | {name} | {times(a.seconds / b.seconds)} | {a.bytes / b.bytes:.3f} "
                f"| {a.psnr - b.psnr:+.2f} dB | {a.ssim - b.ssim:+.4f} |"
            )
        print(f"| {mine} / {theirs} | geometric mean | {times(mean(ratios))} | {mean(sizes):.3f} | | |")


if __name__ == "__main__":
    main()
