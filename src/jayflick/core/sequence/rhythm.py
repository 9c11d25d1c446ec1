"""The rhythm that frames bring along when the file they came from had one."""

import itertools
from collections import Counter
from collections.abc import Iterator, Sequence
from fractions import Fraction

from ..recipe import Rhythm
from ..timing.flicks import HUNDREDTH, MAX_RATE, MILLISECOND, SECOND
from .gather import Found

_SLACK = 2 * MILLISECOND
"""Time stamps are rounded to as much as a millisecond; durations nearer to a rate than this are that rate."""
_USUAL = tuple(
    [Fraction(rate) for rate in (12, 15, 24, 25, 30, 48, 50, 60, 90, 100, 120)]
    + [Fraction(rate * 1000, 1001) for rate in (24, 30, 60, 120)]
)


def own_rhythm(files: Sequence[Found]) -> Rhythm:
    """The rhythm of frames that know how long they are shown; the usual one for frames that do not.

    Even durations become a rate, and so do those of an even rate whose remainder was spread over the units of a
    format (24 frames a second in hundredths: 4 4 4 4 4 5 …). Others become a delay with holds where frames
    differ from it.
    """
    durations = [found.duration for found in files]
    known = [max(duration, 1) for duration in durations if duration is not None]
    if not known or len(known) < len(durations):
        return Rhythm()
    repeat = files[0].repeat or 0
    mean = Fraction(sum(known), len(known))
    rate = SECOND / mean
    near = min(_USUAL, key=lambda usual: abs(usual - rate))
    if max(known) - min(known) <= _SLACK and 0 < rate <= MAX_RATE:
        if abs(near / rate - 1) < Fraction(1, 500):
            rate = near
        if max(known) == min(known) or rate == near:
            text = str(rate) if rate.denominator == 1 or rate.denominator < 10**9 else f"{float(rate):.6f}"
            return Rhythm(rate=text, repeat=repeat)
    for spread in _spread_rates(known):
        return Rhythm(rate=str(spread), repeat=repeat)
    usual = Counter(known).most_common(1)[0][0]
    holds = {position: length for position, length in enumerate(known, 1) if length != usual}
    return Rhythm(delay=usual, holds=holds, repeat=repeat)


def _spread_rates(durations: Sequence[int]) -> Iterator[Fraction]:
    """Rates whose even frames, brought to hundredths or milliseconds, may well last as long as these do.

    Whatever way the remainder was spread, no frame then begins a whole unit too early or too late.
    """
    ends = list(itertools.accumulate(durations))
    mean = SECOND * Fraction(len(durations), ends[-1])
    rates = {*_USUAL, *(Fraction(int(mean) + more) for more in (0, 1))} - {0}
    for unit in (HUNDREDTH, MILLISECOND):
        if any(duration % unit for duration in durations):
            continue
        for rate in sorted(rates, key=lambda one: (one not in _USUAL, abs(one - mean))):
            if all(abs(end - number * SECOND / rate) < unit for number, end in enumerate(ends, 1)):
                yield rate
