"""What options say, read strictly."""

import argparse
import re
from pathlib import Path

from pydantic import ValidationError

from ..core.errors import InputError
from ..core.pictures.clip import Cut
from ..core.sequence.files import read_file
from ..core.typed import read_colours, read_number


def add_clip(command: argparse.ArgumentParser) -> None:
    """The option for what is taken of a clip."""
    command.add_argument("--clip", default="1-", help="frames taken of a clip, every n-th: 25-72, 25-, 1-300/3")


def cut(text: str) -> Cut:
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


def decimal(text: str) -> float:
    """A number as an option's value, with a decimal point or comma."""
    try:
        return float(read_number(text))
    except InputError as error:
        raise argparse.ArgumentTypeError(str(error)) from error


def colours(text: str) -> list[str]:
    """Colours as listed, in the argument or in the file that it names, or those that a picture shows."""
    try:
        path = Path(text)
        if not path.suffix or not path.is_file():
            return read_colours(text)
        from ..core.sequence.colours import Brought, colours_brought  # most commands need no decoder

        for found in colours_brought(read_file(path), path.name):
            if isinstance(found, Brought):
                return list(found.colours)
            raise found.error
        return []
    except InputError as error:
        raise argparse.ArgumentTypeError(str(error)) from error


def size_in_bytes(text: str) -> int:
    match = re.fullmatch(r"(\d{1,12})([KkMm]?)", text)
    if match is None:
        raise InputError(f"--max-bytes {text!r} is not a size", remedy="use bytes, or 1024K, or 5M")
    return int(match[1]) * {"": 1, "k": 1024, "m": 1024 * 1024}[match[2].lower()]


def first_error(error: ValidationError, options: argparse.Namespace | None = None) -> str:
    """What is wrong first, and where: in the recipe, or with one of the options."""
    first = error.errors()[0]
    message = str(first["msg"])
    if first["type"] == "value_error":  # says by itself what it is about
        return message.removeprefix("Value error, ")
    where = ".".join(str(part) for part in first["loc"])
    names = {"width": "size", "height": "size", "amount": "dither_amount", "frame": "still", "at": "place"}
    for part in reversed(first["loc"]):  # what comes last may only say which of several forms was tried
        option = names.get(str(part), str(part))
        if options is not None and getattr(options, option, None) is not None:
            where = "--" + option.replace("_", "-")
            break
    return f"{where}: {message}" if where else message
