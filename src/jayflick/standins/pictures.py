"""Reading what comes in, with Pillow, within bounds."""

import re
import warnings
from collections.abc import Sequence
from itertools import chain, islice, pairwise
from pathlib import Path

from PIL import Image, ImageChops, ImageStat, UnidentifiedImageError

from .errors import Refusal

MOST_PIXELS = 64_000_000
ENDINGS = frozenset({".png", ".tga", ".bmp", ".jpg", ".jpeg"})


def opened(path: Path) -> Image.Image:
    """A picture whose header is read; ``Refusal`` names a file that is none, or too large."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)  # the bound is here
            picture = Image.open(path)
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, ValueError, SyntaxError):
        raise Refusal("cannot be read as a picture", file=path.name, remedy="export it again") from None
    if picture.width * picture.height > MOST_PIXELS:
        picture.close()
        said = f"has more than {MOST_PIXELS // 1_000_000} million pixels"
        raise Refusal(said, file=path.name, remedy="scale it down")
    return picture


def read(path: Path) -> Image.Image:
    """The first picture of a file, straight RGBA; ``Refusal`` names a file that is broken."""
    with opened(path) as picture:
        try:
            picture.load()
        except (OSError, ValueError, SyntaxError, EOFError, IndexError):
            raise Refusal("is cut short or damaged", file=path.name, remedy="send it again") from None
        return picture.convert("RGBA") if picture.mode != "RGBA" else picture.copy()


def has_alpha(picture: Image.Image) -> bool:
    """Whether a file holds an alpha channel, or a transparent colour."""
    return picture.mode in ("RGBA", "LA", "PA") or "transparency" in picture.info


def premultiplied(pictures: Sequence[Image.Image]) -> bool:
    """Whether the alpha of straight RGBA pictures has been multiplied into their colours.

    Then no soft pixel is brighter than its alpha, however bright the solid art is. Dark art tells nothing.
    """
    soft_pixels, solid_light, solid_pixels = 0, 0.0, 0
    for picture in pictures:
        red, green, blue, alpha = picture.split()
        soft = alpha.point([0, 0, *([255] * 252), 0, 0])
        count = soft.histogram()[255]
        if count:
            soft_pixels += count
            bare = alpha.point([min(level + 1, 255) for level in range(256)])
            for channel in (red, green, blue):
                over = _above(channel, bare, soft)
                if over:
                    return False
        solid = alpha.point([*([0] * 255), 255])
        if solid.histogram()[255]:
            solid_pixels += solid.histogram()[255]
            solid_light += sum(ImageStat.Stat(one, solid).sum[0] for one in (red, green, blue)) / 3
    return soft_pixels >= 64 and solid_pixels > 0 and solid_light / solid_pixels > 70


def _above(channel: Image.Image, alpha: Image.Image, where: Image.Image) -> bool:
    over = ImageChops.subtract(channel, alpha)
    return bool(ImageChops.multiply(over.point([0, *([255] * 255)]), where).getbbox())


def numbered(names: Sequence[str], first: str) -> list[str]:
    """The files of the numbered set that begins with ``first``, in order of their numbers.

    ``Refusal`` when its name has no number, or a number is missing before the last.
    """
    match = re.fullmatch(r"(.*?)(\d+)(\.\w+)", first)
    if match is None or first not in names:
        raise Refusal("is not the first file of a numbered set", file=first, remedy="choose its first file")
    stem, _, ending = match.groups()
    found: dict[int, str] = {}
    for name in names:
        one = re.fullmatch(re.escape(stem) + r"(\d+)" + re.escape(ending), name)
        if one is not None:
            found[int(one[1])] = name
    numbers = sorted(found)
    begin = int(match[2])
    before = [number for number in numbers if number < begin]
    if before:
        raise Refusal(f"the set begins before it, at {before[0]}", file=first, remedy="choose its first file")
    gaps = (range(one + 1, other) for one, other in pairwise(numbers))  # they may be of any length
    missing = list(islice(chain.from_iterable(gaps), 6))
    if missing:
        some = ", ".join(map(str, missing[:5])) + (" …" if len(missing) > 5 else "")
        raise Refusal(
            f"the set has a gap: {some} {'is' if len(missing) == 1 else 'are'} missing",
            file=first,
            remedy="render what is missing, or hold the frame before it",
        )
    return [found[number] for number in numbers]


def smaller(picture: Image.Image, size: tuple[int, int]) -> Image.Image:
    """A straight RGBA picture scaled down by averaging what it shows: colours count by their alpha."""
    if picture.size == size:
        return picture
    return picture.convert("RGBa").resize(size, Image.Resampling.BOX).convert("RGBA")
