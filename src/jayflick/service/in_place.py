"""Files read where they lie, several at a time."""

import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor

from ..core.errors import InputError, Unfinished
from ..core.roots import Root
from .errors import problem_of
from .intake import TOLD_EVERY, Intake
from .origins import Place
from .schemas.document import Problem
from .schemas.imports import FileTaken

LANES = 4
"""Files of one choice that are read side by side: while two are decoded, others are copied and recorded."""


def take(
    intake: Intake,
    root: Root,
    places: Sequence[Place],
    told: Callable[[int, str | None], None] = lambda done, picture: None,
    *,
    hold_clips: bool = False,
    patient: bool = False,
) -> tuple[list[FileTaken], list[Place]]:
    """Read files where they lie into an import; how each fared, and those that are on their way still.

    ``told``: how many were read, and the picture of the last, now and then. Raises ``Cancelled``.
    """
    done = 0
    last = 0.0

    def one(place: Place) -> FileTaken | Unfinished:
        nonlocal done, last
        intake.wanted.need()
        try:
            taken = intake.take_in_place(root, place, hold_clips=hold_clips, patient=patient)
        except Unfinished as error:
            return error
        except InputError as error:  # not even opened
            return _failed(place, error)
        done += 1
        if time.monotonic() - last > TOLD_EVERY or done == len(places):
            last = time.monotonic()
            told(done, taken.picture)
        return taken

    with ThreadPoolExecutor(LANES) as pool:
        found = list(pool.map(one, places))
    intake.keep()
    waiting = [place for place, one in zip(places, found, strict=True) if isinstance(one, Unfinished)]
    results = [
        _failed(place, one) if isinstance(one, Unfinished) else one
        for place, one in zip(places, found, strict=True)
    ]
    return results, waiting


def _failed(place: Place, error: InputError) -> FileTaken:
    named = InputError(error.message, file=place.name, remedy=error.remedy)
    return FileTaken(name=place.name, frames=0, picture=None, problem=Problem.model_validate(problem_of(named)))
