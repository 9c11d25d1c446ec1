"""The same exact durations as each file format can hold them."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from .conform import GIF_FLOOR, conform
from .flicks import HUNDREDTH, MILLISECOND, SECOND

BROWSER_FLOOR = 11
"""The shortest duration of a WebP or APNG frame, in ms, that Chromium plays as written; shorter ones take 100
(no published source; measured in ``tests/e2e/test_delays.py``)."""
FASTEST_VIDEO = 240
"""Frames a second up to which a clip takes a rate at which every delay is a whole number of frames."""
USUAL_VIDEO = Fraction(60)


@dataclass(frozen=True)
class Held:
    """Durations brought to a format. ``units`` are whole numbers of ``unit``, a part of a second."""

    format: str
    units: list[int]
    unit: Fraction

    @property
    def seconds(self) -> Fraction:
        return sum(self.units) * self.unit


def gif(durations: Sequence[int]) -> Held:
    """Hundredths (GIF89a, section 23)."""
    return Held("GIF", conform(durations, HUNDREDTH, floor=GIF_FLOOR), Fraction(1, 100))


def webp(durations: Sequence[int]) -> Held:
    """Milliseconds (WebP container specification, ANMF chunk)."""
    return Held("WebP", conform(durations, MILLISECOND, floor=BROWSER_FLOOR), Fraction(1, 1000))


def apng(durations: Sequence[int]) -> Held:
    """One denominator for all delays: numerator and denominator have 16 bits (PNG third edition, fcTL chunk).

    Exact where a part of a second that all delays are whole numbers of fits; the finest that fits otherwise.
    None is shorter than browsers play as written.
    """
    unit = Fraction(1, Fraction(math.gcd(*durations), SECOND).denominator)
    finest = min(65535, 65534 * SECOND // max(durations))  # one is left for rounding
    least = Fraction(BROWSER_FLOOR, 1000)
    if min(durations) < least * SECOND:  # what is lengthened should not be by more than it must
        unit = Fraction(0)
    unit = max(unit, Fraction(1, max(finest, 1)))
    floor = math.ceil(least / unit)
    return Held("APNG", conform(durations, unit * SECOND, floor=floor), unit)


def video(durations: Sequence[int]) -> Held:
    """Repeated frames at one rate: one at which every delay is a whole number of frames, if there is."""
    unit = Fraction(math.gcd(*durations), SECOND)
    if unit < Fraction(1, FASTEST_VIDEO):
        unit = 1 / USUAL_VIDEO
    return Held("Video", conform(durations, int(unit * SECOND), floor=0), unit)
