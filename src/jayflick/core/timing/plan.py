"""The recipe's rhythm worked out: which frames are played, in what order, each for how long.

Works on positions only; no picture is read for it.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import InputError
from ..recipe import Gather, Rhythm
from .flicks import even_durations, parse_rate


@dataclass(frozen=True)
class Plan:
    """The played order. ``positions`` count from 1 in the gathered sequence; ``durations`` are in flicks."""

    positions: tuple[int, ...]
    durations: tuple[int, ...]
    repeat: int


MOST_HELD = 1000
"""Missing numbers that one frame is held for at most: past that, a gap is a leap in the numbering."""


def plan_rhythm(gather: Gather, rhythm: Rhythm, numbers: Sequence[int | None]) -> Plan:
    """Work out ``rhythm`` for a sequence whose frames have these ``numbers`` in their names.

    Frames that ``gather`` leaves out are skipped; one before folded frames, or before a gap that is held, lasts
    as many frames longer.
    """
    count = len(numbers)
    if count == 0:
        raise InputError("there are no frames to play", remedy="add frames")
    first = rhythm.first or 1
    last = rhythm.last or count
    if not 1 <= first <= last <= count:
        raise InputError(
            f"the range {first}-{last} does not lie in the {count} frames",
            remedy=f"choose a first and a last frame from 1 to {count}",
        )
    used: list[int] = []
    turns: dict[int, int] = {}  # how many frames' time each is shown for
    for position in range(first, last + 1):
        if position in gather.left_out:
            continue
        if used and position in gather.folded:
            turns[used[-1]] += 1
        else:
            used.append(position)
            turns[position] = 1
        if gather.gaps == "hold" and position < last:
            turns[used[-1]] += _missing_after(numbers, position)
    if not used:
        raise InputError("all frames of the range are left out", remedy="use at least one of them")
    positions = used[:: rhythm.step]
    if rhythm.direction == "reverse":
        positions.reverse()
    elif rhythm.direction == "there-and-back":
        positions += positions[-2:0:-1]  # neither end twice: 2N - 2 frames
    if rhythm.delay is not None:
        durations = [rhythm.delay * turns[position] for position in positions]
    else:
        each = iter(even_durations(sum(turns[position] for position in positions), parse_rate(rhythm.rate)))
        durations = [sum(itertools.islice(each, turns[position])) for position in positions]
    durations = [
        rhythm.holds.get(position, length) for position, length in zip(positions, durations, strict=True)
    ]
    return Plan(tuple(positions), tuple(durations), rhythm.repeat)


def _missing_after(numbers: Sequence[int | None], position: int) -> int:
    """How many numbers are missing between the frame at ``position`` and the next."""
    here, following = numbers[position - 1], numbers[position]
    gap = following - here - 1 if here is not None and following is not None else 0
    return gap if 0 < gap <= MOST_HELD else 0
