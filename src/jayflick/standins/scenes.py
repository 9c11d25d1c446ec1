"""Moving pictures that the stand-ins draw: two cameras of the ferry line, a transition, a bug, a backdrop."""

import math
from collections.abc import Callable
from functools import lru_cache

from PIL import Image, ImageDraw, ImageFilter

Size = tuple[int, int]
Drawer = Callable[[int, Size], Image.Image]
"""A frame, from 0, at a size: opaque or straight RGBA."""

HALF = (960, 540)


def over(colours: tuple[str, str], size: Size) -> Image.Image:
    """One colour above running into the other below."""
    ramp = Image.linear_gradient("L").resize(size, Image.Resampling.BILINEAR)
    return Image.composite(Image.new("RGB", size, colours[1]), Image.new("RGB", size, colours[0]), ramp)


def _scaled(
    points: list[tuple[float, float]], at: tuple[float, float], size: Size
) -> list[tuple[float, float]]:
    unit = size[0] / 960
    return [((at[0] + x) * unit, (at[1] + y) * unit) for x, y in points]


@lru_cache(8)
def _pier_still(size: Size) -> Image.Image:
    """Morning: sky, sea, and the pier's posts."""
    width, height = size
    picture = over(("#7fb4d6", "#f3e3c3"), size)
    sea = over(("#6fa0aa", "#235a68"), (width, height - height * 11 // 20))
    picture.paste(sea, (0, height * 11 // 20))
    pen = ImageDraw.Draw(picture)
    for post in range(5):
        x = 40 + post * 74
        pen.polygon(_scaled([(0, 300), (14, 300), (18, 470), (-4, 470)], (x, 0), size), fill="#4b3a31")
    pen.polygon(_scaled([(0, 286), (400, 300), (400, 318), (0, 308)], (0, 0), size), fill="#6a5244")
    return picture.convert("RGBA")


def pier_camera(number: int, size: Size) -> Image.Image:
    """The ferry going out past the pier, in the morning."""
    picture = _pier_still(size).copy()
    pen = ImageDraw.Draw(picture)
    along = (number * 1.5) % 1300 - 200
    bob = 3 * math.sin(number / 17)
    for wave in range(12):
        x, y = (wave * 211 + number * (0.6 + wave % 3 * 0.4)) % 1060 - 60, 318 + wave * 18
        pen.polygon(_scaled([(0, 0), (46, -2), (92, 0), (46, 3)], (x, y), size), fill="#8fbcc0")
    at = (along, 300 + bob)
    pen.polygon(_scaled([(0, 0), (190, 0), (168, 34), (22, 34)], at, size), fill="#27384d")
    pen.polygon(_scaled([(26, -30), (150, -30), (158, 0), (20, 0)], at, size), fill="#f4efe4")
    pen.polygon(_scaled([(60, -52), (118, -52), (124, -30), (54, -30)], at, size), fill="#f4efe4")
    pen.polygon(_scaled([(128, -62), (144, -62), (144, -30), (128, -30)], at, size), fill="#c8553d")
    for window in range(5):
        pen.polygon(
            _scaled([(0, 0), (14, 0), (14, 10), (0, 10)], (at[0] + 34 + window * 23, at[1] - 21), size),
            fill="#3c5a73",
        )
    return picture


@lru_cache(8)
def _mole_still(size: Size) -> Image.Image:
    """Night: sea, mole and lighthouse."""
    width, height = size
    picture = over(("#141a3a", "#6d3f63"), size)
    sea = over(("#3b2f57", "#0d1228"), (width, height - height * 3 // 5))
    picture.paste(sea, (0, height * 3 // 5))
    pen = ImageDraw.Draw(picture)
    pen.polygon(_scaled([(520, 330), (960, 296), (960, 540), (700, 400)], (0, 0), size), fill="#0b0d17")
    pen.polygon(_scaled([(716, 120), (756, 120), (772, 330), (700, 330)], (0, 0), size), fill="#d8cfc2")
    for band in (0, 2):
        top = 150 + band * 52
        pen.polygon(
            _scaled([(712, top), (760, top), (765, top + 46), (707, top + 46)], (0, 0), size), fill="#9c3b35"
        )
    pen.polygon(_scaled([(712, 120), (760, 120), (736, 84)], (0, 0), size), fill="#2a2230")
    return picture.convert("RGBA")


def mole_camera(number: int, size: Size) -> Image.Image:
    """The lighthouse on the mole, turning, at night."""
    picture = _mole_still(size).copy()
    pen = ImageDraw.Draw(picture)
    swing = math.cos(number / 40)
    reach = 900 * swing
    pen.polygon(
        _scaled([(736, 104), (736 - reach, 66 - 20 * swing), (736 - reach, 160)], (0, 0), size), fill="#c9a06a"
    )
    pen.ellipse([*_scaled([(722, 92), (750, 120)], (0, 0), size)], fill="#ffe9a8")
    for wave in range(10):
        x, y = (wave * 173 - number * (0.5 + wave % 3 * 0.3)) % 1060 - 60, 352 + wave * 18
        pen.polygon(_scaled([(0, 0), (40, -2), (80, 0), (40, 2)], (x, y), size), fill="#5b4a72")
    return picture


TIDE = 60


def tide(number: int, size: Size) -> Image.Image:
    """A transition of 60 frames: the tide comes in, covers all, and runs out again."""
    width, height = size
    picture = Image.new("RGBA", size, (0, 0, 0, 0))
    part = number / (TIDE - 1)
    level = min(1.0, part / 0.38) if part < 0.5 else min(1.0, (1 - part) / 0.38)
    level = level * level * (3 - 2 * level)
    if level <= 0:
        return picture
    pen = ImageDraw.Draw(picture)
    for layer, colour in enumerate(("#9fc4cc", "#4f8c9a", "#1f5a6b", "#163f52")):
        # The last, highest layer stands a margin above the picture once the tide is in.
        top = height * (1.25 - level * 1.45 + layer * 0.05)
        points = [
            (x, top + height * 0.03 * math.sin(x / width * 9 + number / 6 + layer * 1.7))
            for x in range(0, width + 9, 8)
        ]
        pen.polygon([(0, height), *points, (width, height)], fill=colour)
    return picture


BUG = 50
BUG_BOX = (1560, 60, 300, 120)
"""Left, top, width and height on a raster of 1920 × 1080."""


def bug(number: int, size: Size) -> Image.Image:
    """A bug of 50 frames for the upper right corner: a small sign whose lamp turns."""
    unit = size[0] / BUG_BOX[2]
    picture = Image.new("RGBA", size, (0, 0, 0, 0))
    pen = ImageDraw.Draw(picture)
    pen.rounded_rectangle((0, 0, size[0] - 1, size[1] - 1), 18 * unit, fill="#12253ce6")
    glow = 0.5 + 0.5 * math.cos(2 * math.pi * number / BUG)
    ring = int(120 + 135 * glow)
    pen.ellipse((22 * unit, 22 * unit, 98 * unit, 98 * unit), fill=(ring, int(ring * 0.8), 90, 255))
    for line, length in enumerate((150, 110)):
        top = (38 + line * 30) * unit
        pen.rounded_rectangle(
            (120 * unit, top, (120 + length) * unit, top + 14 * unit), 7 * unit, fill="#f1ede5"
        )
    return picture


@lru_cache(4)
def _evening_still(size: Size) -> Image.Image:
    """An evening of lanterns: dark sky, bright paper, busy stripes; rims show on one or the other."""
    picture = over(("#141b33", "#43506f"), size)
    pen = ImageDraw.Draw(picture)
    for stripe in range(0, 960, 40):  # an awning, the same at both ends
        for colour, offset in (("#b7463c", 0), ("#f1e4c8", 20)):
            band = [(0.0, 440.0), (20.0, 440.0), (20.0, 540.0), (0.0, 540.0)]
            pen.polygon(_scaled(band, (stripe + offset, 0), size), fill=colour)
    for lantern, (x, y, radius) in enumerate(
        ((250, 250, 170), (690, 210, 130), (480, 110, 46), (90, 90, 40), (860, 100, 44), (500, 360, 60))
    ):
        colour = ("#f4e3b4", "#efd08c", "#e58f5b")[lantern % 3]
        pen.line(_scaled([(0, -y), (0, -radius)], (x, y), size), fill="#0c1122", width=max(size[0] // 480, 1))
        pen.ellipse([*_scaled([(-radius, -radius), (radius, radius)], (x, y), size)], fill=colour)
    return picture.filter(ImageFilter.GaussianBlur(size[0] / 480)).convert("RGBA")


def lantern_sky(number: int, size: Size) -> Image.Image:
    """The backdrop of the lantern plane, wandering to the left for ever."""
    width, _ = size
    still = _evening_still(size)
    shift = (number * 2 * width // 960) % width
    picture = Image.new("RGBA", size)
    picture.paste(still, (-shift, 0))
    picture.paste(still, (width - shift, 0))
    return picture
