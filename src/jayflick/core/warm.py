"""Running every compiled loop once, so that its compiled form is on disk and in memory before it is needed."""

from pathlib import Path

import numpy as np

from .framing.alpha import settle
from .gif.encoder import encode_gif, share_palette
from .gif.reader import describe, read_gif
from .recipe import Alpha


def compiled_before() -> bool:
    """Whether compiled loops were left on disk by an earlier run, where each process finds them by itself."""
    return any(Path(__file__).parent.rglob("*.nbi"))


def warm() -> None:
    """Compile, or load from disk, all loops by coding a few tiny frames. Takes half a minute the first time."""
    x, y = np.meshgrid(np.arange(32), np.arange(32))
    frames = []
    for shift in range(3):
        frame = np.stack([x * 8, y * 8, (x + y + shift) * 4, np.where(x > y, 255, 90)], axis=2).astype(np.uint8)
        frames.append(settle(frame, Alpha()))
    shared = share_palette(frames, 16)
    for amount in (0, 60):
        data = encode_gif(frames, shared, amount=amount)
    describe(read_gif(data), len(data))
