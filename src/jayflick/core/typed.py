"""Numbers, colours and orders as people type them, read one way everywhere.

The web client reads them the same way (``web/src/typed.ts``); ``tests/core/typed.json`` holds both to it.
"""

import re
from fractions import Fraction

from .errors import InputError

MOST_LISTED = 20_000
"""The most numbers that an order may have."""
_NUMBER = re.compile(r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)")
_GROUPED = re.compile(r"[+-]?\d{1,3}(?:([,.' ])\d{3})(?:\1\d{3})*(?:[.,]\d+)?")
_SPACES = re.compile("[\u00a0\u2009\u202f']")
_SHORT = re.compile(r"#?([0-9a-f]{3}|[0-9a-f]{6})", re.IGNORECASE)
_RUN = re.compile(r"(\d{1,5}(?:-\d{1,5})*)(?:x(\d{1,5}))?")


def read_number(text: str, *, whole: bool = False) -> Fraction:
    """A number with a decimal point or comma, its thousands apart by spaces or marks: ``12,5``, ``1 000``,
    ``1,234.5``.

    ``whole``: it can only be a whole one. Raises ``InputError`` for what is none, and for what may as well be
    thousands as decimals: ``1,000``.
    """
    plain = _SPACES.sub(" ", text.strip()).replace("\u2212", "-")
    if is_ambiguous(plain, whole=whole):
        digits = re.sub(r"\D", "", plain)
        raise InputError(
            f"{text!r} may be {digits} or {_shortest(plain)}", remedy=f"type {digits}, or {_shortest(plain)}"
        )
    grouped = _GROUPED.fullmatch(plain)
    if grouped is not None:
        mark = grouped[1]
        once = plain.count(mark) == 1
        if mark == " " or not once or (mark in ",." and ("." if mark == "," else ",") in plain):
            plain = plain.replace(mark, "")
    if _NUMBER.fullmatch(plain) is None:
        raise InputError(f"{text!r} is not a number", remedy="use digits, such as 12 or 12.5")
    number = Fraction(plain.replace(",", ".").rstrip("."))
    if whole and number.denominator != 1:
        raise InputError(f"{text!r} is not a whole number", remedy="use digits only, such as 12")
    return number


def is_ambiguous(text: str, *, whole: bool = False) -> bool:
    """Whether one mark before three digits may separate thousands as well as decimals.

    A point does so only where no decimals can be meant.
    """
    marks = "[,.]" if whole else ","
    return re.fullmatch(rf"[+-]?[1-9]\d{{0,2}}{marks}\d{{3}}", text.strip()) is not None


def _shortest(text: str) -> str:
    """The text as a decimal number, without zeros at its end."""
    return text.replace(",", ".").rstrip("0").rstrip(".")


def read_colour(text: str) -> str:
    """A colour as six hexadecimal digits: ``#FF8800``, ``f80`` and ``#f80`` are ``#ff8800``."""
    match = _SHORT.fullmatch(text.strip())
    if match is None:
        raise InputError(f"{text!r} is not a colour", remedy="use hexadecimal digits, such as #262a2e or #f80")
    digits = match[1].lower()
    return "#" + (digits if len(digits) == 6 else "".join(2 * digit for digit in digits))


def read_colours(text: str) -> list[str]:
    """Colours apart by commas or spaces."""
    return [read_colour(one) for one in text.replace(",", " ").split()]


def read_order(text: str, frames: int) -> tuple[int, ...]:
    """Frames in the order they are typed: numbers, runs, and runs by a step, apart by commas or spaces.

    ``1-8, 12, 18-9`` and ``1-18 by 2``; three or more numbers drawn together are the frames themselves:
    ``1-2-3-2``. 0 is a blank one. Raises ``InputError`` for what is none of these or beyond ``frames``.
    """
    plain = re.sub(r"\s*(?:\.\.|[-\u2013\u2014]|\bto\b)\s*", "-", text.strip().lower())
    plain = re.sub(r"\s*\b(?:by|step)\b\s*", "x", plain)
    order: list[int] = []
    for word in re.split(r"[\s,;]+", plain):
        if not word:
            continue
        match = _RUN.fullmatch(word)
        if match is None:
            raise InputError(f"{word!r} is not an order", remedy="use one such as 1-8, 12, 18-9 or 1-18 by 2")
        numbers = [int(number) for number in match[1].split("-")]
        if max(numbers) > frames:
            raise InputError(
                f"there is no frame {max(numbers)}: there are {frames}", remedy="use those there are"
            )
        if len(numbers) == 2:
            first, last, by = *numbers, int(match[2] or 1)
            if min(first, last, by) < 1:
                raise InputError(f"{word!r} is not a run of frames", remedy="use one such as 1-18 by 2")
            way = 1 if last >= first else -1
            order += range(first, last + way, by * way)
        elif match[2] is None:
            order += numbers
        else:
            raise InputError(f"{word!r} has a step but is no run", remedy="use one such as 1-18 by 2")
        if len(order) > MOST_LISTED:
            raise InputError(f"an order has at most {MOST_LISTED} frames", remedy="use fewer")
    if not order:
        raise InputError("the order is empty", remedy="use one such as 1-8, 12, 18-9")
    return tuple(order)
