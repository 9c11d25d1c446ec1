"""A recipe on other frames than those it was made for: what is said of frames that are not there goes."""

from collections.abc import Collection, Iterable, Sequence
from contextlib import suppress
from pathlib import PurePath
from typing import Any, Literal, get_args

from .errors import InputError
from .portable import slug
from .recipe import Cropping, FramesOutput, Framing, Output, Recipe, Rhythm, Span, StillOutput, Take
from .timing.plan import plan_rhythm

Settings = Literal["rhythm", "framing", "outputs"]
"""What one project can take from another. What is wrong with its own frames stays its own."""


def taken(
    own: Recipe, other: Recipe, settings: Collection[Settings], title: str, other_title: str
) -> tuple[Recipe, list[str]]:
    """A project's recipe with the settings of another, and what was not taken, in words.

    Spans say what its own frames are, and stay where there are any; how frames are lined up was measured on
    them, and stays. Files that are called after the other project, ``other_title``, are called after this one.
    """
    notes: list[str] = []
    changed: dict[str, Any] = {name: getattr(other, name) for name in get_args(Settings) if name in settings}
    if "rhythm" in changed and own.rhythm.spans:
        if other.rhythm.spans not in ((), own.rhythm.spans):
            notes.append("its spans are not taken: these frames keep their own")
        changed["rhythm"] = other.rhythm.model_copy(update={"spans": own.rhythm.spans})
    if "framing" in changed:
        if other.framing.line_up is not None:
            notes.append("its line-up is not taken: it was measured on other frames")
        changed["framing"] = other.framing.model_copy(update={"line_up": own.framing.line_up})
    if "outputs" in changed:
        before, now = slug(other_title), slug(title)
        changed["outputs"] = tuple(_renamed(one, before, now) for one in other.outputs)
    return own.model_copy(update=changed), notes


def _renamed(output: Output, before: str, now: str) -> Output:
    stem, ending = PurePath(output.file_name).stem, PurePath(output.file_name).suffix
    if not (before and now) or not (stem == before or stem.startswith(f"{before}-")):
        return output
    return output.model_copy(update={"file_name": f"{(now + stem[len(before) :])[:100]}{ending}"})


def carried(recipe: Recipe, gaps: Sequence[int], width: int, height: int) -> tuple[Recipe, list[str]]:
    """A recipe as it can be used on other frames of that size, and what was left out or cut short, in words.

    ``gaps``: how many numbers are missing after each frame. A crop that was drawn on frames of another size
    stays the same part of the picture, as everywhere; any other that reaches beyond these is left out. On
    frames that have all it names a recipe stays as it is.
    """
    notes: list[str] = []
    count = len(gaps)
    gather = recipe.gather.model_copy(
        update={
            name: _there(getattr(recipe.gather, name), count, what, notes)
            for name, what in (("left_out", "leave out"), ("folded", "fold"), ("clear", "clear"))
        }
    )
    order, kept = _order(recipe.rhythm, count)
    rhythm = _rhythm(recipe.rhythm, order, kept, notes)
    framing = _framing(recipe.framing, count, (width, height), notes)
    changed = recipe.model_copy(update={"gather": gather, "rhythm": rhythm, "framing": framing})
    outputs = tuple(_output(one, changed, kept, gaps, (width, height), notes) for one in recipe.outputs)
    document = changed.model_copy(update={"outputs": outputs}).model_dump()
    return Recipe.model_validate(document), list(dict.fromkeys(notes))


def _order(rhythm: Rhythm, count: int) -> tuple[tuple[int, ...] | None, list[int]]:
    """The order without frames that are not there, and the places that are left, as they were numbered."""
    order = rhythm.order or ()
    kept = [place for place, at in enumerate(order, 1) if at <= count]
    if any(order[place - 1] for place in kept):
        return tuple(order[place - 1] for place in kept), kept
    return None, list(range(1, count + 1))


def _rhythm(rhythm: Rhythm, order: tuple[int, ...] | None, kept: list[int], notes: list[str]) -> Rhythm:
    now = {place: number for number, place in enumerate(kept, 1)}
    changed: dict[str, Any] = {"order": order}
    if lost := len(rhythm.order or ()) - len(order or ()):
        notes.append(f"{_many(lost, 'place')} dropped from the order: no such frames")
    changed["holds"] = {now[at]: held for at, held in rhythm.holds.items() if at in now}
    if lost := len(rhythm.holds) - len(changed["holds"]):
        notes.append(f"{_many(lost, 'delay')} dropped: no such frames")
    changed |= _range(rhythm, kept, "the range", notes)
    changed["spans"] = tuple(span for one in rhythm.spans if (span := _span(one, kept, notes)) is not None)
    if rhythm.between is not None and rhythm.between.after is not None:
        after = frozenset(now[at] for at in rhythm.between.after if at in now)
        if lost := len(rhythm.between.after) - len(after):
            notes.append(f"in-betweens after {_many(lost, 'frame')} dropped: no such frames")
        changed["between"] = rhythm.between.model_copy(update={"after": after}) if after else None
    return rhythm.model_copy(update=changed)


def _range(of: Rhythm | Take, kept: list[int], what: str, notes: list[str]) -> dict[str, Any]:
    """A range over the places that are there; none if it has none of them."""
    if of.first is None and of.last is None:
        return {}
    within = _within(of.first or 1, of.last, kept)
    if not within:
        notes.append(f"{what} is dropped: it has none of these frames")
        return {"first": None, "last": None}
    if of.last is not None and of.last > kept[-1]:
        notes.append(f"{what} ends at {within[-1]} instead of {of.last}")
    return {
        "first": None if of.first is None else within[0],
        "last": None if of.last is None else within[-1],
    }


def _span(span: Span, kept: list[int], notes: list[str]) -> Span | None:
    within = _within(span.first, span.last, kept)
    if not within:
        notes.append(f"the span {span.name} is dropped: it has none of these frames")
        return None
    if span.last > kept[-1]:
        notes.append(f"the span {span.name} ends at {within[-1]} instead of {span.last}")
    return span.model_copy(update={"first": within[0], "last": within[-1]})


def _within(first: int, last: int | None, kept: list[int]) -> list[int]:
    """As they are numbered now, the places of a run that are there."""
    return [
        number for number, place in enumerate(kept, 1) if first <= place and (last is None or place <= last)
    ]


def _framing(framing: Framing, count: int, size: tuple[int, int], notes: list[str]) -> Framing:
    changed = _crop(framing, size, "the crop", notes)
    if (line_up := framing.line_up) is not None:
        moves = {at: move for at, move in line_up.moves.items() if at <= count}
        gone = line_up.anchor > count
        if gone:
            notes.append(f"frames are not lined up: there is no frame {line_up.anchor}")
        elif lost := len(line_up.moves) - len(moves):
            notes.append(f"{_many(lost, 'move')} dropped: no such frames")
        changed["line_up"] = None if gone else line_up.model_copy(update={"moves": moves})
    if (match := framing.match) is not None:
        some = None if match.frames is None else frozenset(at for at in match.frames if at <= count)
        gone = match.to > count or some == frozenset()
        if gone:
            lacking = match.to if match.to > count else min(match.frames or ())
            notes.append(f"tones are not matched: there is no frame {lacking}")
        changed["match"] = None if gone else match.model_copy(update={"frames": some})
    tones = (
        one.model_copy(update={"frames": frozenset(at for at in one.frames if at <= count)})
        for one in framing.tones
    )
    changed["tones"] = tuple(one for one in tones if one.frames)
    if lost := sum(at > count for one in framing.tones for at in one.frames):
        notes.append(f"tones of {_many(lost, 'frame')} dropped: no such frames")
    return framing.model_copy(update=changed)


def _crop(of: Cropping, size: tuple[int, int], what: str, notes: list[str]) -> dict[str, Any]:
    if of.crop is None or of.drawn_on is not None:
        return {}
    left, top, width, height = of.crop
    if left + width <= size[0] and top + height <= size[1]:
        return {}
    notes.append(f"{what} reaches beyond {size[0]} × {size[1]} and is left out")
    return {"crop": None}


def _output(
    output: Output,
    recipe: Recipe,
    kept: list[int],
    gaps: Sequence[int],
    size: tuple[int, int],
    notes: list[str],
) -> Output:
    take, spans = output.take, {span.name for span in recipe.rhythm.spans}
    chosen = tuple(name for name in take.spans if name in spans)
    if lost := len(take.spans) - len(chosen):
        notes.append(f"{output.file_name} plays {_many(lost, 'span')} fewer")
    take = take.model_copy(
        update={"spans": chosen, **_range(take, kept, f"the range of {output.file_name}", notes)}
    )
    changed: dict[str, Any] = {"take": take}
    if output.framing is not None and (crop := _crop(output.framing, size, "its own crop", notes)):
        changed["framing"] = output.framing.model_copy(update=crop)
    if isinstance(output, FramesOutput | StillOutput):
        with suppress(InputError):  # that nothing is played is said when it is made
            played = len(plan_rhythm(recipe.gather, recipe.rhythm, gaps, take).shots)
            changed |= _of_played(output, played, notes)
    return output.model_copy(update=changed)


def _of_played(output: FramesOutput | StillOutput, played: int, notes: list[str]) -> dict[str, Any]:
    """What an output says of one of the frames that it plays."""
    if isinstance(output, StillOutput) and output.frame > played:
        notes.append(f"{output.file_name} shows frame {played} instead of {output.frame}")
        return {"frame": played}
    if isinstance(output, FramesOutput) and output.cut is not None and output.cut > played:
        notes.append(f"{output.file_name} is cut where it covers: there is no frame {output.cut}")
        return {"cut": None}
    return {}


def _there(positions: Iterable[int], count: int, what: str, notes: list[str]) -> frozenset[int]:
    kept = frozenset(at for at in positions if at <= count)
    notes += [f"there is no frame {at} to {what}" for at in sorted(set(positions) - kept)[:5]]
    return kept


def _many(number: int, word: str) -> str:
    return f"{number} {word}" if number == 1 else f"{number} {word}s"
