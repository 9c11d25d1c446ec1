"""The recipe's rhythm worked out: which frames are played, in what order, each for how long.

Works on positions only; no picture is read for it.
"""

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


def plan_rhythm(gather: Gather, rhythm: Rhythm, count: int) -> Plan:
    """Work out ``rhythm`` for a sequence of ``count`` frames, those left out by ``gather`` skipped."""
    if count == 0:
        raise InputError("there are no frames to play", remedy="add frames")
    first = rhythm.first or 1
    last = rhythm.last or count
    if not 1 <= first <= last <= count:
        raise InputError(
            f"the range {first}-{last} does not lie in the {count} frames",
            remedy=f"choose a first and a last frame from 1 to {count}",
        )
    used = [position for position in range(first, last + 1) if position not in gather.left_out]
    if not used:
        raise InputError("all frames of the range are left out", remedy="use at least one of them")
    positions = used[:: rhythm.step]
    if rhythm.direction == "reverse":
        positions.reverse()
    elif rhythm.direction == "there-and-back":
        positions += positions[-2:0:-1]  # neither end twice: 2N - 2 frames
    if rhythm.delay is not None:
        durations = [rhythm.delay] * len(positions)
    else:
        durations = even_durations(len(positions), parse_rate(rhythm.rate))
    durations = [
        rhythm.holds.get(position, length) for position, length in zip(positions, durations, strict=True)
    ]
    return Plan(tuple(positions), tuple(durations), rhythm.repeat)
