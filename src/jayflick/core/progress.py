"""How far a piece of work is, and a way to stop it."""

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Progress:
    """How far a render is: which stage, and how much of it."""

    stage: str
    done: int
    total: int


OnProgress = Callable[[Progress], None]
"""Told how far the work is; raises :class:`.errors.Cancelled` to stop it."""
