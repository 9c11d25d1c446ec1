"""A recipe on other frames than those it was made for: what is said of frames that are not there goes."""

from collections.abc import Collection, Iterable
from pathlib import PurePath
from typing import Any, Literal, get_args

from ..portable import slug
from . import Cropping, FramesOutput, Framing, Output, Recipe, Rhythm, Span, StillOutput, Take

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
        if other.rhythm.spans:
            notes.append("its spans are not taken: they stay as they are here")
        changed["rhythm"] = other.rhythm.model_copy(update={"spans": own.rhythm.spans})
    if "framing" in changed:
        if other.framing.line_up is not None:
            notes.append("how frames are lined up is not taken: it was measured on others")
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


def carried(recipe: Recipe, count: int, width: int, height: int) -> tuple[Recipe, list[str]]:
    """A recipe as it can be used on so many frames of that size, and what was left out or cut short, in words.

    A crop that was drawn on frames of another size stays the same part of the picture, as everywhere; any other
    that reaches beyond these frames is left out. On frames that have all it names a recipe stays as it is.
    """
    notes: list[str] = []
    gather = recipe.gather.model_copy(
        update={
            name: _there(getattr(recipe.gather, name), count, f"{what} frame", notes)
            for name, what in (("left_out", "leaving out"), ("folded", "folding"), ("clear", "clearing"))
        }
    )
    order, kept = _order(recipe.rhythm, count)
    rhythm = _rhythm(recipe.rhythm, order, kept, notes)
    spans = {span.name for span in rhythm.spans}
    outputs = tuple(_output(one, spans, kept, (width, height), notes) for one in recipe.outputs)
    framing = _framing(recipe.framing, count, (width, height), notes)
    document = recipe.model_copy(
        update={"gather": gather, "rhythm": rhythm, "framing": framing, "outputs": outputs}
    )
    return Recipe.model_validate(document.model_dump()), list(dict.fromkeys(notes))


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
        notes.append(f"the order is without {_many(lost, 'frame')}: not there")
    changed["holds"] = {now[at]: held for at, held in rhythm.holds.items() if at in now}
    if lost := len(rhythm.holds) - len(changed["holds"]):
        notes.append(f"{_many(lost, 'delay')} less, of frames that are not there")
    changed |= _range(rhythm, kept, "the range", notes)
    changed["spans"] = tuple(span for one in rhythm.spans if (span := _span(one, kept, notes)) is not None)
    if rhythm.between is not None and rhythm.between.after is not None:
        after = frozenset(now[at] for at in rhythm.between.after if at in now)
        changed["between"] = rhythm.between.model_copy(update={"after": after}) if after else None
    return rhythm.model_copy(update=changed)


def _range(of: Rhythm | Take, kept: list[int], what: str, notes: list[str]) -> dict[str, Any]:
    """A range over the places that are there; none if it has none of them."""
    if of.first is None and of.last is None:
        return {}
    within = _within(of.first or 1, of.last, kept)
    if not within:
        notes.append(f"{what} begins at {of.first}, of {len(kept)}, and is left out")
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
        notes.append(f"the span {span.name} begins at {span.first}, of {len(kept)}, and is left out")
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
        changed["line_up"] = None if gone else line_up.model_copy(update={"moves": moves})
    if (match := framing.match) is not None:
        some = None if match.frames is None else frozenset(at for at in match.frames if at <= count)
        gone = match.to > count or some == frozenset()
        if gone:
            notes.append(f"tones are not matched: there is no frame {match.to}")
        changed["match"] = None if gone else match.model_copy(update={"frames": some})
    tones = (
        one.model_copy(update={"frames": frozenset(at for at in one.frames if at <= count)})
        for one in framing.tones
    )
    changed["tones"] = tuple(one for one in tones if one.frames)
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
    output: Output, spans: set[str], kept: list[int], size: tuple[int, int], notes: list[str]
) -> Output:
    take, places = output.take, len(kept)
    taken = tuple(name for name in take.spans if name in spans)
    if len(taken) < len(take.spans):
        notes.append(f"{output.file_name} takes {_many(len(take.spans) - len(taken), 'span')} less")
    take = take.model_copy(
        update={"spans": taken, **_range(take, kept, f"the range of {output.file_name}", notes)}
    )
    changed: dict[str, Any] = {"take": take}
    if output.framing is not None and (crop := _crop(output.framing, size, "its own crop", notes)):
        changed["framing"] = output.framing.model_copy(update=crop)
    if isinstance(output, FramesOutput) and output.cut is not None and output.cut > places:
        notes.append(f"{output.file_name} is cut where it covers: there is no frame {output.cut}")
        changed["cut"] = None
    if isinstance(output, StillOutput) and output.frame > places:
        notes.append(f"{output.file_name} shows frame {places} instead of {output.frame}")
        changed["frame"] = places
    return output.model_copy(update=changed)


def _there(positions: Iterable[int], count: int, what: str, notes: list[str]) -> frozenset[int]:
    kept = frozenset(at for at in positions if at <= count)
    notes += [f"{what} {at}: there are {count}" for at in sorted(set(positions) - kept)[:5]]
    return kept


def _many(number: int, word: str) -> str:
    return f"{number} {word}" if number == 1 else f"{number} {word}s"
