"""The exact unit of time and the ways people write a rate or a delay.

A flick is 1/705,600,000 s, a published open unit in which a frame of every usual rate (24, 25, 30, 50, 60, 90,
100, 120 and their 1000/1001 variants) and every audio sample period is a whole number. So is every
millisecond (705,600) and every hundredth (7,056,000).
"""

import itertools
import re
from collections.abc import Iterable, Sequence
from fractions import Fraction

from ..errors import InputError
from ..typed import read_number

SECOND = 705_600_000
HUNDREDTH = SECOND // 100
MILLISECOND = SECOND // 1000

MAX_RATE = 1000
LONGEST = 3600 * SECOND
"""The longest delay of one frame: an hour."""

_DELAY = re.compile(r"(\d[\d.,' ]*?)\s*(?:(ms|cs|s)|f\s*@\s*(.+))")
_UNITS = {"ms": MILLISECOND, "cs": HUNDREDTH, "s": SECOND}


def parse_rate(text: str) -> Fraction:
    """Frames a second as an exact fraction, from ``24``, ``12.5``, ``12,5`` or ``24000/1001``."""
    try:
        rate = Fraction(text.strip()) if "/" in text else read_number(text)
    except (ValueError, ZeroDivisionError, InputError):
        rate = Fraction(0)
    if not 0 < rate <= MAX_RATE:
        raise InputError(
            f"{text!r} is not a rate",
            remedy=f"use frames per second, over 0 up to {MAX_RATE}, such as 24, 12.5 or 24000/1001",
        )
    return rate


def written_rate(text: str) -> str:
    """A rate as recipes hold it: with a decimal point, or as a fraction."""
    rate = parse_rate(text)
    if "/" in text or (rate * 10**6).denominator != 1:
        return f"{rate.numerator}/{rate.denominator}"
    return f"{float(rate):.6f}".rstrip("0").rstrip(".")


def parse_delay(text: str) -> int:
    """Flicks from ``40ms``, ``4cs`` (hundredths), ``0.04s`` or ``2f@30`` (frames of a rate)."""
    match = _DELAY.fullmatch(text.strip().lower())
    flicks = 0
    if match:
        unit = SECOND / parse_rate(match[3]) if match[3] else _UNITS[match[2]]
        flicks = round(read_number(match[1]) * unit)
    if not 0 < flicks <= LONGEST:
        raise InputError(
            f"{text!r} is not a delay",
            remedy="use a time over 0 with its unit, up to an hour, such as 40ms, 4cs, 0.04s or 2f@30",
        )
    return flicks


def whole(times: Iterable[Fraction | int]) -> list[int]:
    """Exact times in whole flicks: ends are rounded, so that the remainder is spread. None is less than 1."""
    ends = [0, *(round(end) for end in itertools.accumulate(times))]
    return [max(1, end - start) for start, end in itertools.pairwise(ends)]


def even_durations(count: int, rate: Fraction) -> list[int]:
    """``count`` frames at a rate, in flicks; where a frame is no whole number, the remainder is spread."""
    return whole([SECOND / rate] * count)


def milliseconds(durations: Sequence[int]) -> float:
    """The sum of durations in flicks, in milliseconds."""
    return sum(durations) / MILLISECOND
