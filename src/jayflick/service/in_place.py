"""Files read where they lie, several at a time."""

import os
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor

from ..core.errors import InputError, Unfinished
from ..core.roots import Root
from .errors import problem_of
from .intake import SMALL, TOLD_EVERY, Intake
from .origins import Place
from .schemas.document import Problem
from .schemas.imports import FileTaken

LANES = 4
"""Files of one choice that are read side by side: while two are decoded, others are copied and recorded."""

TOGETHER = 128
"""The most files that are handed to a reader at once."""


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

    def some(chosen: Sequence[Place]) -> list[FileTaken | InputError]:
        nonlocal done, last
        intake.wanted.need()
        found: list[FileTaken | InputError] = []
        if len(chosen) > 1:
            found = intake.take_small_in_place(root, chosen, hold_clips=hold_clips, patient=patient)
        else:
            try:
                found.append(intake.take_in_place(root, chosen[0], hold_clips=hold_clips, patient=patient))
            except InputError as error:
                found.append(error)
        done += sum(isinstance(one, FileTaken) for one in found)
        if time.monotonic() - last > TOLD_EVERY or done == len(places):
            last = time.monotonic()
            told(done, next((one.picture for one in reversed(found) if isinstance(one, FileTaken)), None))
        return found

    with ThreadPoolExecutor(LANES) as pool:
        found = [one for taken in pool.map(some, _together(places)) for one in taken]
    intake.keep()
    waiting = [place for place, one in zip(places, found, strict=True) if isinstance(one, Unfinished)]
    results = [
        _failed(place, one) if isinstance(one, InputError) else one
        for place, one in zip(places, found, strict=True)
    ]
    return results, waiting


def _together(places: Sequence[Place]) -> Iterator[list[Place]]:
    """Files by turns, in their order: small ones several together, others one by one."""
    some: list[Place] = []
    size = 0
    for place in places:
        try:
            its_own = os.stat(f"{place.folder}/{place.path}").st_size
        except OSError:  # which is said once it is read
            its_own = 0
        if some and (size + its_own > SMALL or len(some) == TOGETHER):
            yield some
            some, size = [], 0
        some.append(place)
        size += its_own
    if some:
        yield some


def _failed(place: Place, error: InputError) -> FileTaken:
    named = InputError(error.message, file=place.name, remedy=error.remedy)
    return FileTaken(name=place.name, frames=0, picture=None, problem=Problem.model_validate(problem_of(named)))
