"""Helpers that more than one layer of tests needs."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import settings
from numpy.typing import NDArray
from PIL import Image

settings.register_profile("untimed", deadline=None)  # no test may fail because the machine is slow
settings.load_profile("untimed")

Pictures = list[NDArray[np.uint8]]


def moving_square(count: int = 6, width: int = 48, height: int = 32, *, soft: bool = False) -> Pictures:
    """A square that crosses a gradient or, ``soft``, nothing at all, its edges half there. RGBA."""
    frames = []
    for index in range(count):
        frame = np.zeros((height, width, 4), np.uint8)
        if not soft:
            frame[:, :, 0] = np.linspace(0, 255, width, dtype=np.uint8)
            frame[:, :, 1] = np.linspace(40, 200, height, dtype=np.uint8)[:, None]
            frame[:, :, 3] = 255
        left = 2 + index * (width - 16) // max(count - 1, 1)
        frame[7:19, left - 1 : left + 13] = (250, 240, 90, 120 if soft else 255)
        frame[8:18, left : left + 12] = (220, 60, 30, 255)
        frames.append(frame)
    return frames


def save_frames(folder: Path, frames: Pictures, name: str = "square_{}.png", first: int = 1) -> list[Path]:
    """Frames as PNG files with unpadded numbers."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = [folder / name.format(number) for number in range(first, first + len(frames))]
    for path, frame in zip(paths, frames, strict=True):
        Image.fromarray(frame).save(path)
    return paths


@pytest.fixture(scope="session", autouse=True)
def compiled_loops() -> None:
    """Compile once, so that no test's own time limit meets the compiler."""
    from jayflick.core.warm import warm

    warm()
