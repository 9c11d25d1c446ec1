"""Running every compiled loop once, so that its compiled form is on disk and in memory before it is needed."""

import contextlib
import hashlib
from importlib.metadata import version
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import Image

from .formats.apng import encode_apng
from .formats.gif.encoder import encode_gif
from .formats.gif.reader import describe, read_gif
from .formats.gif.shared import share_palette
from .formats.sheet.layout import Space
from .formats.sheet.packed import packed
from .formats.sheet.pixels import DITHERS, THRESHOLDS, reduced
from .framing.alpha import settle
from .framing.art import art_of
from .framing.bleed import bled
from .framing.moves import Warp, common
from .framing.resample import resample
from .framing.tone import Levels, toned
from .palette.with_alpha import indices
from .pictures.kinds import read_picture
from .quality.likeness import likeness
from .recipe import Alpha

_RUN_CODED = bytes([0, 0, 10, 0, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 1, 0, 24, 32, 129, 1, 2, 3])
"""A TGA of 2 × 1 pixels in one run."""
_MARK = Path(__file__).parent / "__pycache__" / "compiled"


def _sources() -> str:
    """A hash over the core's source, which is what compiled forms on disk depend on."""
    digest = hashlib.sha256(version("numba").encode())
    for file in sorted(Path(__file__).parent.rglob("*.py")):
        digest.update(file.read_bytes())
    return digest.hexdigest()


def compiled_before() -> bool:
    """Whether this very source was compiled to disk by an earlier run, where each process finds it."""
    return _MARK.exists() and _MARK.read_text() == _sources()


def warm() -> None:
    """Compile, or load from disk, all loops by coding small frames. Takes half a minute the first time."""
    x, y = np.meshgrid(np.arange(128), np.arange(128))
    for soft in (True, False):  # of few colours and partly clear; of more than are counted one by one
        frames = []
        for shift in range(3):
            red, green, alpha = (
                (x & 15, y & 15, (x > y) * 255) if soft else (x * 2, y * 2, np.full_like(x, 255))
            )
            frame = np.stack([red, green, (x * y + shift) & 255, alpha], axis=2).astype(np.uint8)
            frames.append(settle(frame, Alpha()))
        art_of(frames[0])
        bled(frames[0])
        resample(frames[0], 50, 50, "area")
        toned(frames[0], Levels.of(frames[0]).matched(Levels.of(frames[1]), "levels"), 0)
        shared = share_palette(frames, 16)
        for amount in (0, 60):
            data = encode_gif(frames, shared, amount=amount)
        encode_gif(frames, share_palette(frames, 16, weighed=True), loss=20)
        encode_gif(frames, shared, amount=60, dither="noise")
        rgb = np.ascontiguousarray(frames[0][:, :, :3])
        likeness(rgb, rgb, (rgb, rgb))
        describe(read_gif(data), len(data))
        encode_apng(frames, 1)
    for turning in (False, True):
        packed([(5, 3), (2, 2), (4, 1)], Space(), turning=turning)
    for dither in DITHERS:
        reduced(frames[0], "4444", dither)
        indices(frames[0], np.eye(4, dtype=np.uint8), THRESHOLDS, diffuse=dither == "diffusion")
    common([Warp(1, 0.1, 0, -0.1, 1, 0)], 64, 64)
    read_picture(_RUN_CODED, name="two.tga")
    plain = BytesIO()
    Image.new("RGB", (2, 2)).save(plain, "PNG")
    read_picture(plain.getvalue(), name="plain.png")
    with contextlib.suppress(OSError):  # an installation that cannot be written to compiles elsewhere
        _MARK.parent.mkdir(exist_ok=True)
        _MARK.write_text(_sources())
