"""The same exact durations as each file format can hold them."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from .conform import GIF_FLOOR, conform
from .flicks import SECOND
from .listed import Listed

BROWSER_FLOOR = 11
"""The shortest duration of a WebP or APNG frame, in ms, that Chromium plays as written; shorter ones take 100
(no published source; measured in ``tests/e2e/test_delays.py``)."""
FASTEST_VIDEO = 240
"""Frames a second up to which a clip takes a rate at which every delay is a whole number of frames."""
USUAL_VIDEO = Fraction(60)


@dataclass(frozen=True)
class FormatTiming:
    """Durations brought to a format."""

    format: str
    units: list[int]
    """How long each played step lasts, in whole numbers of ``unit``."""
    unit: Fraction
    """A part of a second."""
    repeat: int = 0
    """How often it plays: 0 for ever."""
    notes: tuple[str, ...] = ()
    """What a person should know of it."""
    listed: Listed | None = None
    """What the steps are called, where the files say so."""

    @property
    def milliseconds(self) -> list[float]:
        """How long each step lasts."""
        return [float(units * self.unit * 1000) for units in self.units]

    @property
    def seconds(self) -> Fraction:
        return sum(self.units) * self.unit


def _held(
    format: str, durations: Sequence[int], unit: Fraction, floor: int, repeat: int, why: str
) -> FormatTiming:
    """Durations brought to a unit, with a note if they had to become longer; ``why``: for which reason."""
    units = conform(durations, unit * SECOND, floor=floor)
    lasts, wanted = sum(units) * unit, Fraction(sum(durations), SECOND)
    notes = []
    if abs(lasts - wanted) > unit:
        notes.append(
            f"lasts {round(lasts * 1000)} ms instead of {round(wanted * 1000)}: {why}; play every second "
            "frame, or slower"
        )
    return FormatTiming(format, units, unit, repeat, tuple(notes))


def gif(durations: Sequence[int], repeat: int = 0) -> FormatTiming:
    """Hundredths (GIF89a, section 23)."""
    why = f"a GIF frame shorter than {GIF_FLOOR} hundredths would be played at about 10"
    return _held("GIF", durations, Fraction(1, 100), GIF_FLOOR, repeat, why)


def webp(durations: Sequence[int], repeat: int = 0) -> FormatTiming:
    """Milliseconds (WebP container specification, ANMF chunk)."""
    return _held("WebP", durations, Fraction(1, 1000), BROWSER_FLOOR, repeat, _browsers("WebP"))


def avif(durations: Sequence[int], repeat: int = 0) -> FormatTiming:
    """Milliseconds, the time scale this is written with (ISO/IEC 14496-12, media header)."""
    return _held("AVIF", durations, Fraction(1, 1000), BROWSER_FLOOR, repeat, _browsers("AVIF"))


def _browsers(format: str) -> str:
    return f"browsers play {format} frames shorter than {BROWSER_FLOOR} ms as 100"


def apng(durations: Sequence[int], repeat: int = 0) -> FormatTiming:
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
    return _held("APNG", durations, unit, floor, repeat, _browsers("APNG"))


def video(times: Sequence[Fraction | int], rate: str | None = None) -> FormatTiming:
    """Repeated frames at one rate: one at which every delay, in flicks, exact, is a whole number of frames, if
    there is.

    ``rate``: that at which the steps were taken, if they were; then it is that one, however long they are held.
    """
    unit = _shared_part(times) / SECOND
    if rate is not None and (unit * Fraction(rate)).denominator == 1:
        unit = 1 / Fraction(rate)
    if unit >= Fraction(1, FASTEST_VIDEO):
        units = [int(time / (unit * SECOND)) for time in times]
        return FormatTiming("Video", units, 1 / _holdable(1 / unit))
    if len(set(times)) == 1:  # too fast, but even: every second one, or third …, and so it stays
        unit *= math.ceil(1 / (unit * FASTEST_VIDEO))
    else:
        unit = 1 / USUAL_VIDEO
    units = conform(times, unit * SECOND, floor=0)
    notes: tuple[str, ...] = ()
    if sum(units) == 0:
        units[0] = 1
        notes = (f"lasts {float(unit * 1000):.0f} ms: a clip has at least one frame",)
    return FormatTiming("Video", units, unit, notes=notes)


def _shared_part(times: Sequence[Fraction | int]) -> Fraction:
    """The longest time that all of them are whole numbers of."""
    exact = [Fraction(time) for time in times]
    below = math.lcm(*(time.denominator for time in exact))
    return Fraction(math.gcd(*(int(time * below) for time in exact)), below)


def _holdable(rate: Fraction) -> Fraction:
    """A rate in numbers that files have room for, as good as equal to the one asked for."""
    most = 1 << 24
    if rate.numerator <= most:
        return rate
    return rate.limit_denominator(max(1, most // math.ceil(rate)))
