"""Exact durations brought to the whole units of a file format, so that the total does not drift."""

from collections.abc import Sequence
from fractions import Fraction
from itertools import accumulate

GIF_FLOOR = 2
"""The shortest delay, in hundredths, that viewers play as written; they replace 0 and 1 by about 10
(common practice, no published source)."""

GIF_CEILING = 65535
"""The longest delay, in hundredths: it is kept in 16 bits (GIF89a, section 23)."""


def conform(durations: Sequence[int | Fraction], unit: int | Fraction, *, floor: int = 1) -> list[int]:
    """Whole numbers of ``unit`` (in flicks) for each of the positive durations (in flicks).

    Frame boundaries are rounded down, not frames, so the remainder is spread (24 frames a second in hundredths:
    4 4 4 4 4 5 …); the total is the true total rounded to the nearest unit. No frame gets less than
    ``floor`` units: what a short frame gains is taken from its later neighbours, then from earlier ones; only
    when all are at the floor does the total grow.
    """
    total = sum(durations)
    if total == 0:
        return []
    units = int((2 * total + unit) // (2 * unit))
    ends = [int(end // unit) for end in accumulate(durations)]
    ends[-1] = units
    result = [end - start for start, end in zip([0, *ends], ends, strict=False)]
    if min(result) >= floor:
        return result
    debt = 0
    for index, length in enumerate(result):
        if length < floor:
            debt += floor - length
            result[index] = floor
        else:
            given = min(debt, length - floor)
            result[index] -= given
            debt -= given
    for index in reversed(range(len(result))):
        given = min(debt, result[index] - floor)
        result[index] -= given
        debt -= given
    return result
