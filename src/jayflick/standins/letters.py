"""Lines of text in a font that ships with the program."""

from functools import cache
from itertools import groupby
from pathlib import Path

from PIL import ImageDraw, ImageFont

_FONTS = Path(__file__).parent / "fonts"
_PARTS = ("latin", "latin-ext")
"""The font comes in parts; each letter is in the first of these that has it."""
_NONE = "\uffff"
"""A noncharacter, which no font has a letter for (Unicode Standard, section 23.7)."""
_TOLD_AT = 24


@cache
def _font(part: str, size: float) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(_FONTS / f"schibsted-grotesk-{part}-wght-normal.woff2"), size)


@cache
def _part_of(letter: str) -> str | None:
    """Which part of the font has a letter; ``None``: none has."""
    for part in _PARTS:
        font = _font(part, _TOLD_AT)
        if letter == " " or bytes(font.getmask(letter)) != bytes(font.getmask(_NONE)):
            return part
    return None


def lacking(text: str) -> list[str]:
    """The letters of a text that the font does not have, each once."""
    return [letter for letter in dict.fromkeys(text) if _part_of(letter) is None]


def write(
    pen: ImageDraw.ImageDraw, at: tuple[float, float], text: str, size: float, fill: tuple[int, int, int, int]
) -> None:
    """Write a line from its left and top, with letters of ``size`` pixels."""
    left, top = at
    for part, run in groupby(text, key=_part_of):
        font, letters = _font(part or _PARTS[0], size), "".join(run)
        pen.text((left, top), letters, font=font, fill=fill)
        left += font.getlength(letters)
