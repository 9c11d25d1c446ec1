"""Frames that were rendered again, put in the place of those they are newer versions of."""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..recipe import (
    Between,
    Framing,
    Gather,
    Match,
    Output,
    Recipe,
    Rhythm,
    SheetOutput,
)


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


def with_moved(recipe: Recipe, moved: dict[int, int], count: int | None = None) -> Recipe:
    """The recipe for frames that stand elsewhere now: everything done to a frame goes along with it.

    ``count``: how many frames there are now. In an order made by hand, each new one follows the frame that it
    follows in the gathered order, where that stands last.
    """
    gather, rhythm = recipe.gather, recipe.rhythm
    changed: dict[str, Gather | Rhythm | tuple[Output, ...]] = {
        "gather": gather.model_copy(
            update={
                "left_out": frozenset(moved[p] for p in gather.left_out if p in moved),
                "folded": frozenset(moved[p] for p in gather.folded if p in moved),
                "clear": frozenset(moved[p] for p in gather.clear if p in moved),
            }
        )
    }
    order: tuple[int, ...] | None = None
    places = moved  # without an order of their own, places are positions
    if rhythm.order is not None:
        order, places = _with_added(tuple(moved.get(p, p) for p in rhythm.order), moved, count or 0)
    changed["rhythm"] = rhythm.model_copy(
        update={
            "order": order,
            "holds": {places[place]: time for place, time in rhythm.holds.items() if place in places},
            "between": between_moved(rhythm.between, places),
            "first": places.get(rhythm.first) if rhythm.first is not None else None,
            "last": places.get(rhythm.last) if rhythm.last is not None else None,
            "spans": tuple(
                span.model_copy(update={"first": places[span.first], "last": places[span.last]})
                for span in rhythm.spans
                if span.first in places and span.last in places
            ),
        }
    )
    changed["outputs"] = tuple(
        output_moved(output, moved).model_copy(
            update={
                "take": output.take.model_copy(
                    update={
                        "first": places.get(output.take.first) if output.take.first is not None else None,
                        "last": places.get(output.take.last) if output.take.last is not None else None,
                    }
                )
            }
        )
        for output in recipe.outputs
    )
    return recipe.model_copy(update={**changed, "framing": framing_moved(recipe.framing, moved)})


def between_moved(between: Between | None, places: dict[int, int]) -> Between | None:
    if between is None or between.after is None:
        return between
    after = frozenset(places[place] for place in between.after if place in places)
    return between.model_copy(update={"after": after}) if after else None


def output_moved(output: Output, moved: dict[int, int]) -> Output:
    """What an output has for single frames, for frames that stand elsewhere now."""
    if not isinstance(output, SheetOutput):
        return output
    some = ((one, frozenset(moved[p] for p in one.frames if p in moved)) for one in output.anchors)
    anchors = [
        one.model_copy(update={"frames": frames}) for one, frames in some if frames or one.span is not None
    ]
    return output.model_copy(update={"anchors": tuple(anchors)})


def framing_moved(framing: Framing, moved: dict[int, int]) -> Framing:
    """What is done to the pictures of single frames, for frames that stand elsewhere now."""

    def of(positions: Iterable[int]) -> frozenset[int]:
        return frozenset(moved[p] for p in positions if p in moved)

    some = (part.model_copy(update={"frames": of(part.frames)}) for part in framing.tones)
    changed: dict[str, object] = {"tones": tuple(part for part in some if part.frames)}
    match, lined = framing.match, framing.line_up
    if match is not None:
        frames = None if match.frames is None else of(match.frames)
        there = match.to in moved
        changed["match"] = Match(to=moved[match.to], by=match.by, frames=frames) if there else None
    if lined is not None:
        moves = {moved[p]: move for p, move in lined.moves.items() if p in moved}
        anchor = moved.get(lined.anchor, 1)
        changed["line_up"] = lined.model_copy(update={"anchor": anchor, "moves": moves})
    return framing.model_copy(update=changed)


def _with_added(
    order: tuple[int, ...], moved: dict[int, int], count: int
) -> tuple[tuple[int, ...], dict[int, int]]:
    """The order with the positions that are new in it, and where each old place is then."""
    known = set(moved.values())
    entries: list[tuple[int, int]] = [(position, place) for place, position in enumerate(order, 1)]
    for position in range(1, count + 1):
        if position in known:
            continue
        before = [at for at, (other, _) in enumerate(entries, 1) if other == position - 1]
        # Taken out by hand are those after which it would come: then it comes first, or at the end.
        at = before[-1] if before else (0 if position == 1 else len(entries))
        entries.insert(at, (position, 0))
    return (
        tuple(position for position, _ in entries),
        {old: place for place, (_, old) in enumerate(entries, 1) if old},
    )
