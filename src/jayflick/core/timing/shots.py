"""What one played step shows: a frame, nothing, or frames blended into each other."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import Self

WHOLE = 256
"""The weights of a shot's parts add up to this."""
EMPTY = 0
"""The position that stands for an empty picture."""

_PART = re.compile(r"(\d{1,9})(?:x(\d{1,3}))?")
_MOST_PARTS = 16


@dataclass(frozen=True)
class Shot:
    """``parts``: positions from 1 in the gathered sequence (0: empty), each with its weight of 256."""

    parts: tuple[tuple[int, int], ...]
    motion: bool = False
    """Of two frames: what moves is between the two, instead of both showing through each other."""

    @staticmethod
    @lru_cache(maxsize=1 << 15)
    def still(position: int) -> "Shot":
        """One frame as it is."""
        return Shot(((position, WHOLE),))

    @classmethod
    def parse(cls, text: str) -> Self:
        """What :meth:`__str__` writes; ``ValueError`` when it is no such thing."""
        motion = "~" in text
        parts = text.split("~" if motion else "+")
        found = [_PART.fullmatch(part) for part in parts[: _MOST_PARTS + 1]]
        weights = [(int(match[1]), int(match[2] or WHOLE)) for match in found if match]
        weights = [(position, weight) for position, weight in weights if weight]
        fits = len(weights) == len(parts) and sum(weight for _, weight in weights) == WHOLE
        if not fits or (motion and (len(parts) != 2 or EMPTY in dict(weights))):
            raise ValueError(f"{text[:80]!r} is not a frame or a blend of frames")
        return cls(tuple(weights), motion)

    def __str__(self) -> str:
        """``12`` for a frame, ``12x64+13x192`` for a blend of two, ``12x64~13x192`` for what moves between."""
        parts = [str(p) if weight == WHOLE else f"{p}x{weight}" for p, weight in self.parts]
        return ("~" if self.motion else "+").join(parts)

    @property
    def position(self) -> int:
        """The frame it shows most of; of equals the first."""
        if len(self.parts) == 1:
            return self.parts[0][0]
        return max(self.parts, key=lambda part: part[1])[0]


def blend(a: Shot, b: Shot, share: float) -> Shot:
    """``a`` with ``share`` of ``b`` (0: all ``a``, 1: all ``b``), in whole 256ths."""
    of_b = round(share * WHOLE)
    weights: dict[int, int] = {}
    for position, weight in [*_scaled(a, WHOLE - of_b), *_scaled(b, of_b)]:
        weights[position] = weights.get(position, 0) + weight
    return Shot(tuple(sorted((position, weight) for position, weight in weights.items() if weight)))


def in_between(a: Shot, b: Shot, share: float, by: str) -> Shot:
    """What lies between two shots: a blend, or, by ``motion``, two frames moved part of the way."""
    mixed = blend(a, b, share)
    moves = by == "motion" and len(a.parts) == len(b.parts) == 1 and len(mixed.parts) == 2
    return Shot(mixed.parts, motion=True) if moves and EMPTY not in dict(mixed.parts) else mixed


def _scaled(shot: Shot, to: int) -> Iterable[tuple[int, int]]:
    """The parts with weights that add up to ``to``, ends rounded so that nothing is lost."""
    end = before = 0
    for position, weight in shot.parts:
        end += weight
        after = end * to // WHOLE
        yield position, after - before
        before = after
