"""Damaged files by the thousand, taken apart as the service does: ``python -m tests.mutations --count 2000``.

Each is one of a small file of every kind with bits flipped, its end cut off, or its head put before the body of
another. Prints what became of them, the slowest, and the most memory a process took; ends with 1 if one took
longer than ten seconds or more than 1 GiB, or ended its process.
"""

import argparse
import io
import random
import sys
import tarfile
import time
import zipfile
from collections import Counter
from dataclasses import dataclass, field
from fractions import Fraction
from io import BytesIO
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image

from jayflick.core.sequence.pieces import Refused
from jayflick.service.decoding import Decoders
from jayflick.service.settings import Settings
from tests.conftest import moving_square

STILLS = {
    "PNG": ".png",
    "BMP": ".bmp",
    "TGA": ".tga",
    "JPEG": ".jpg",
    "TIFF": ".tif",
    "WEBP": ".webp",
    "AVIF": ".avif",
}
MOVING = {"PNG": ".apng", "GIF": ".gif", "WEBP": ".webp", "TIFF": ".tiff"}
CLIPS = {
    "mp4": ("libx264", "yuv420p"),
    "mov": ("qtrle", "argb"),
    "webm": ("libvpx-vp9", "yuv420p"),
    "avi": ("mpeg4", "yuv420p"),
    "mpeg": ("mpeg2video", "yuv420p"),
}


def samples() -> dict[str, bytes]:
    """A small whole file of every kind that is read, by name."""
    frames = [Image.fromarray(frame) for frame in moving_square(4, 64, 48)]
    found: dict[str, bytes] = {}
    for kind, ending in STILLS.items():
        out = BytesIO()
        picture = frames[0].convert("RGB") if kind in ("JPEG", "BMP") else frames[0]
        picture.save(out, kind, **({"compression": "tga_rle"} if kind == "TGA" else {}))
        found[f"still{ending}"] = out.getvalue()
    for kind, ending in MOVING.items():
        out = BytesIO()
        frames[0].save(
            out, kind, save_all=True, append_images=frames[1:], **({} if kind == "TIFF" else {"duration": 50})
        )
        found[f"moving{ending}"] = out.getvalue()
    for kind, (codec, pixels) in CLIPS.items():
        out = BytesIO()
        with av.open(out, "w", format=kind) as container:
            stream: Any = container.add_stream(codec, rate=25)
            stream.width, stream.height, stream.pix_fmt = 64, 48, pixels
            for index, picture in enumerate(frames):
                rgb = np.array(picture.convert("RGB"))
                frame = av.VideoFrame.from_ndarray(rgb, format="rgb24").reformat(format=pixels)
                frame.pts, frame.time_base = index, Fraction(1, 25)
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
        found[f"clip.{kind}"] = out.getvalue()
    packed = BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a/1.png", found["still.png"])
        archive.writestr("a/2.bmp", found["still.bmp"])
    found["pack.zip"] = packed.getvalue()
    packed = BytesIO()
    with tarfile.open(fileobj=packed, mode="w:gz") as tar:
        entry = tarfile.TarInfo("a/1.png")
        entry.size = len(found["still.png"])
        tar.addfile(entry, io.BytesIO(found["still.png"]))
    found["pack.tar.gz"] = packed.getvalue()
    return found


def mutated(count: int, seed: int) -> list[tuple[str, bytes]]:
    """That many damaged files, the same for the same seed."""
    dice = random.Random(seed)
    whole = samples()
    names = sorted(whole)
    result = []
    for number in range(count):
        name = names[number % len(names)]
        data = bytearray(whole[name])
        way = dice.choice(["flip", "flip", "flip head", "cut", "splice"])
        if way == "cut":
            data = data[: dice.randrange(len(data))]
        elif way == "splice":
            other = whole[dice.choice(names)]
            data = data[: dice.randrange(1, min(len(data), 200))] + other[dice.randrange(len(other)) :]
        else:
            reach = min(len(data), 64) if way == "flip head" else len(data)
            for _ in range(dice.choice([1, 2, 8, 40])):
                data[dice.randrange(reach)] ^= 1 << dice.randrange(8)
        result.append((f"{number}-{way.replace(' ', '-')}-{name}", bytes(data)))
    return result


@dataclass
class Outcome:
    """What became of the files."""

    whole: int = 0
    in_part: int = 0
    refused: int = 0
    died: list[str] = field(default_factory=list)
    slowest: tuple[float, str] = (0.0, "")
    most_memory: int = 0
    """Of a process that took files apart, in MiB."""
    reasons: Counter[str] = field(default_factory=Counter)


def gather(files: list[tuple[str, bytes]]) -> Outcome:
    """Take each file apart in a bounded process."""
    settings = Settings()
    decoders = Decoders(1, settings.decode_bytes, settings.decode_seconds)
    list(decoders.pieces(b"", "nothing"))  # bring the process up
    outcome = Outcome()
    for name, data in files:
        begun = time.monotonic()
        found = list(decoders.pieces(data, name))
        outcome.slowest = max(outcome.slowest, (time.monotonic() - begun, name))
        errors = [piece.error for piece in found if isinstance(piece, Refused)]
        frames = len(found) - len(errors)
        outcome.whole += not errors and frames > 0
        outcome.in_part += bool(errors) and frames > 0
        outcome.refused += frames == 0
        for error in errors:
            assert all((error.message, error.remedy, error.file)), f"{name}: says too little"
            outcome.reasons[error.message] += 1
            if "in a crash" in error.message:
                outcome.died.append(name)
        outcome.most_memory = max(outcome.most_memory, *(_peak(pid) for pid in decoders.pids()), 0)
    decoders.stop()
    return outcome


def _peak(pid: int) -> int:
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return next((int(line.split()[1]) // 1024 for line in lines if line.startswith("VmHWM")), 0)


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m tests.mutations")
    parser.add_argument("--count", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    begun = time.monotonic()
    outcome = gather(mutated(options.count, options.seed))
    print(f"{options.count} damaged files (seed {options.seed}) in {time.monotonic() - begun:.0f} s:")
    print(f"{outcome.whole} read all the same, {outcome.in_part} in part, {outcome.refused} refused")
    print(f"slowest {outcome.slowest[0]:.2f} s ({outcome.slowest[1]}), most memory {outcome.most_memory} MiB")
    print(f"ended their process: {', '.join(outcome.died) or 'none'}")
    for reason, times in outcome.reasons.most_common(12):
        print(f"{times:6}  {reason}")
    return int(bool(outcome.died) or outcome.slowest[0] > 10 or outcome.most_memory > 1024)


if __name__ == "__main__":
    sys.exit(main())
