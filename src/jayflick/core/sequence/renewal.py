"""Frames that were rendered again, put in the place of those they are newer versions of."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from ..recipe import Gather, Recipe, Rhythm


@dataclass(frozen=True)
class Known:
    """A frame as far as it takes to recognise it."""

    name: str
    number: int | None
    sha256: str


@dataclass(frozen=True)
class Renewal:
    """A project's frames after others came, and what became of each."""

    frames: tuple[tuple[str, Known], ...]
    """Each with ``old``, ``same``, ``replaced`` or ``added``: not brought, brought as it was, changed, new."""
    moved: dict[int, int]
    """Where each frame that was there stands now, positions from 1."""

    def count(self, what: str) -> int:
        return sum(kind == what for kind, _ in self.frames)


def renewed(old: Sequence[Known], new: Sequence[Known]) -> Renewal:
    """Lay ``new`` frames over ``old`` ones.

    A frame is recognised by its name; else by its content, if that is unmistakable on both sides (a picture
    that is held comes more than once); else by its number, where the old ones have it once. It keeps the
    number it was known by. What is recognised by nothing is added where its number belongs, or at the end.
    """
    pictures = Counter(frame.sha256 for frame in old), Counter(frame.sha256 for frame in new)
    numbers = Counter(frame.number for frame in old if frame.number is not None)
    by_name = {frame.name: index for index, frame in enumerate(old)}
    by_content = {frame.sha256: index for index, frame in enumerate(old)}
    by_number = {
        frame.number: index
        for index, frame in enumerate(old)
        if frame.number is not None and numbers[frame.number] == 1
    }

    def recognised(frame: Known) -> int | None:
        if frame.name in by_name:
            return by_name[frame.name]
        if pictures[0][frame.sha256] == pictures[1][frame.sha256] == 1:
            return by_content[frame.sha256]
        return by_number.get(frame.number) if frame.number is not None else None

    result: list[tuple[str, Known]] = [("old", frame) for frame in old]
    added: list[Known] = []
    for frame in new:
        index = recognised(frame)
        if index is None:
            added.append(frame)
        elif result[index][0] == "old":  # of two for one place the first counts
            what = "same" if frame.sha256 == old[index].sha256 else "replaced"
            result[index] = (what, Known(frame.name, old[index].number, frame.sha256))
    places: list[tuple[float, int, tuple[str, Known]]] = [
        (float(index), 0, entry) for index, entry in enumerate(result)
    ]
    added.sort(key=lambda frame: (frame.number is None, frame.number or 0))
    for order, frame in enumerate(added, 1):
        before = [
            index
            for index, known in enumerate(old)
            if known.number is not None and frame.number is not None and known.number < frame.number
        ]
        at = max(before) + 0.5 if before else (-0.5 if _first(frame, old) else float(len(old)))
        places.append((at, order, ("added", frame)))
    places.sort(key=lambda place: place[:2])
    moved = {int(at) + 1: position for position, (at, order, _) in enumerate(places, 1) if order == 0}
    return Renewal(tuple(entry for _, _, entry in places), moved)


def _first(frame: Known, old: Sequence[Known]) -> bool:
    numbers = [known.number for known in old if known.number is not None]
    return frame.number is not None and bool(numbers) and frame.number < min(numbers)


def with_moved(recipe: Recipe, moved: dict[int, int]) -> Recipe:
    """The recipe for frames that stand elsewhere now: everything done to a frame goes along with it."""
    gather, rhythm = recipe.gather, recipe.rhythm
    changed: dict[str, Gather | Rhythm] = {
        "gather": gather.model_copy(
            update={
                "left_out": frozenset(moved[p] for p in gather.left_out if p in moved),
                "folded": frozenset(moved[p] for p in gather.folded if p in moved),
            }
        )
    }
    if rhythm.order is not None:
        order = tuple(moved.get(position, position) for position in rhythm.order)
        changed["rhythm"] = rhythm.model_copy(update={"order": order})
    else:  # places are positions
        changed["rhythm"] = rhythm.model_copy(
            update={
                "holds": {moved[place]: time for place, time in rhythm.holds.items() if place in moved},
                "first": moved.get(rhythm.first) if rhythm.first is not None else None,
                "last": moved.get(rhythm.last) if rhythm.last is not None else None,
                "spans": tuple(
                    span.model_copy(update={"first": moved[span.first], "last": moved[span.last]})
                    for span in rhythm.spans
                    if span.first in moved and span.last in moved
                ),
            }
        )
    return recipe.model_copy(update=changed)
