"""How far a piece of work is, and a way to stop it."""

import time
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


def now_and_then(seconds: float, look: OnProgress) -> OnProgress:
    """Have ``look`` told only when so many seconds have gone by since it last was, or since now."""
    due = time.monotonic() + seconds

    def told(progress: Progress) -> None:
        nonlocal due
        if time.monotonic() < due:
            return
        due = time.monotonic() + seconds
        look(progress)

    return told
