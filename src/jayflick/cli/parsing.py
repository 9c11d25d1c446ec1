"""What options say, read strictly."""

import argparse
import re

from pydantic import ValidationError

from ..core.errors import InputError
from ..core.pictures.clip import WHOLE, Cut
from ..core.plain import in_words


def cut(text: str | None) -> Cut:
    if text is None:
        return WHOLE
    match = re.fullmatch(r"([1-9]\d{0,6})-([1-9]\d{0,6})?(?:/([1-9]\d{0,3}))?", text)
    if match is None or (match[2] and int(match[2]) < int(match[1])):
        raise InputError(
            f"--clip {text!r} is not a part of a clip", remedy="use one such as 25-72, 25- or 1-300/3"
        )
    return Cut(int(match[1]), int(match[2]) if match[2] else None, int(match[3] or 1))


def sides_of(option: str, text: str) -> dict[str, int | None]:
    """A width, a height or both, as options give them: ``580x``, ``580px``, ``x351``, ``580x351``."""
    match = re.fullmatch(r"(\d{1,6})?(?:px)?\s*[x×]\s*(\d{1,6})?(?:px)?|(\d{1,6})px", text.strip())
    width, height = (match[1] or match[3], match[2]) if match is not None else (None, None)
    if not (width or height):
        raise InputError(f"{option} {text!r} is not a size", remedy="use 580x, x351 or 580x351")
    return {"width": int(width) if width else None, "height": int(height) if height else None}


def size_in_bytes(text: str) -> int:
    match = re.fullmatch(r"(\d{1,12})([KkMm]?)", text)
    if match is None:
        raise InputError(f"--max-bytes {text!r} is not a size", remedy="use bytes, or 1024K, or 5M")
    return int(match[1]) * {"": 1, "k": 1024, "m": 1024 * 1024}[match[2].lower()]


_CALLED = {
    "width": ("size", "canvas"),
    "height": ("size", "canvas"),
    "first": ("range",),
    "last": ("range",),
    "amount": ("dither_amount",),
    "matrix": ("dither_matrix",),
    "locked": ("lock",),
    "frame": ("still",),
    "at": ("place",),
    "to": ("match_tone",),
    "count": ("between",),
    "over": ("matte",),
}
"""Options by the fields of the recipe that are called otherwise."""


def first_error(error: ValidationError, options: argparse.Namespace | None = None) -> str:
    """What is wrong first, and where: in the recipe, or with one of the options."""
    first = error.errors()[0]
    message = in_words(first)
    if first["type"] == "value_error":  # says by itself what it is about
        return message
    where = ".".join(str(part) for part in first["loc"])
    for part in reversed(first["loc"]):  # what comes last may only say which of several forms was tried
        called = _CALLED.get(str(part), (str(part),))
        typed = [name for name in called if options is not None and getattr(options, name, None) is not None]
        # Of several it is the one that was typed so.
        typed.sort(key=lambda name: str(first["input"]) not in str(getattr(options, name)))
        if typed:
            where = "--" + typed[0].replace("_", "-")
            break
    return f"{where}: {message}" if where else message
