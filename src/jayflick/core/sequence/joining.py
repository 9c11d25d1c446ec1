"""Recipes of a part of a project's frames, and of two projects' frames one behind the other.

Frames show the same pictures for the same times in a part, and in two parts joined again.
"""

from collections.abc import Iterable, Sequence
from fractions import Fraction

from ..errors import InputError
from ..framing.moves import MOST_ENLARGED, enlargement
from ..recipe import MAX_SPANS, Framing, LineUp, Move, Recipe, Rhythm, Span, Take, ToneOfSome, span_name
from ..timing.flicks import LONGEST, MAX_RATE, SECOND, parse_rate
from ..timing.plan import own_times, plan_rhythm
from .renewal import between_moved, framing_moved, output_moved


def with_part(recipe: Recipe, moved: dict[int, int], gaps: Sequence[int]) -> Recipe:
    """The recipe for some of a project's frames: ``moved`` has the new position of each.

    Ranges go, since they are of the whole. Delays, spans, tones and moves go along; what frames are matched to
    only if it is among them. ``gaps``: how many numbers are missing after each frame of the whole.
    """
    gather, rhythm, count = recipe.gather, _in_own_times(recipe, gaps), len(moved)
    left_out = _moved(gather.left_out, moved)
    if len(left_out) == count:  # what was left out is what is wanted
        left_out = frozenset()
    order = rhythm.order or tuple(range(1, len(gaps) + 1))
    kept = [place for place, position in enumerate(order, 1) if position in moved]
    places = {place: new for new, place in enumerate(kept, 1)}
    spans = ((span, [places[p] for p in kept if span.first <= p <= span.last]) for span in rhythm.spans)
    part = tuple(moved[order[place - 1]] for place in kept)
    shaped = rhythm.model_copy(
        update={
            "order": part if part and part != tuple(range(1, count + 1)) else None,
            "holds": {places[place]: time for place, time in rhythm.holds.items() if place in places},
            "between": between_moved(rhythm.between, places),
            "first": None,
            "last": None,
            "spans": tuple(
                span.model_copy(update={"first": run[0], "last": run[-1]}) for span, run in spans if run
            ),
        }
    )
    named = {span.name for span in shaped.spans}
    outputs = []
    for output in recipe.outputs:
        take = output.take
        taken = tuple(name for name in take.spans if name in named)
        changed: dict[str, object] = {
            "take": Take(spans=taken, rate=take.rate, keep=take.keep, between=take.between, repeat=take.repeat)
        }
        if output.only is not None:
            changed["frame"] = min(output.only, count)
        outputs.append(output_moved(output, moved).model_copy(update=changed))
    return recipe.model_copy(
        update={
            "gather": gather.model_copy(
                update={
                    "left_out": left_out,
                    "folded": _moved(gather.folded, moved),
                    "clear": _moved(gather.clear, moved),
                }
            ),
            "rhythm": shaped,
            "framing": framing_moved(_steady(recipe.framing, len(gaps)), moved),
            "outputs": tuple(outputs),
        }
    )


def with_joined(
    recipe: Recipe, other: Recipe, gaps: Sequence[int], more_gaps: Sequence[int], name: str
) -> Recipe:
    """The recipe for a project's frames with those of another behind them, which is called ``name``.

    What ``other`` leaves out, folds and holds stays so, and its frames last as long as they did: a rate of its
    own becomes that of a span. ``gaps``, ``more_gaps``: how many numbers are missing after each frame of the
    two. Raises ``InputError`` when there are more spans than a project may have.
    """
    count, more = len(gaps), len(more_gaps)
    behind = {position: position + count for position in range(1, more + 1)}
    gather, theirs = recipe.gather, other.gather
    return recipe.model_copy(
        update={
            "gather": gather.model_copy(
                update={
                    "left_out": gather.left_out | _moved(theirs.left_out, behind),
                    "folded": gather.folded | _moved(theirs.folded, behind),
                    "clear": gather.clear | _moved(theirs.clear, behind),
                }
            ),
            "rhythm": _rhythm_joined(recipe, other, gaps, more_gaps, name),
            "framing": _framing_joined(
                _steady(recipe.framing, count), _steady(other.framing, more), count, more
            ),
        }
    )


def _rhythm_joined(
    recipe: Recipe, other: Recipe, gaps: Sequence[int], more_gaps: Sequence[int], name: str
) -> Rhythm:
    rhythm, scale = _in_own_times(recipe, gaps), 1.0
    if rhythm.speed != "100":
        scale = 100 / float(rhythm.speed)
    behind = _in_own_times(other, more_gaps)
    before = len(rhythm.order) if rhythm.order is not None else len(gaps)
    theirs = behind.order or tuple(range(1, len(more_gaps) + 1))
    order = None
    if rhythm.order is not None or behind.order is not None:
        mine = rhythm.order or tuple(range(1, len(gaps) + 1))
        order = (*mine, *(position + len(gaps) if position else 0 for position in theirs))
    spans = list(rhythm.spans)
    for span in behind.spans:
        if span.first <= len(theirs):
            moved = {"first": span.first + before, "last": min(span.last, len(theirs)) + before}
            spans.append(span.model_copy(update={"name": span_name(span.name, spans), **moved}))
    held = {place: time for place, time in behind.holds.items() if place <= len(theirs)}
    speed = 100 / float(behind.speed)
    if speed != scale:  # the one speed there is would change them
        times = own_times(behind, len(theirs))
        held = {place: max(1, round(times[place] * speed / scale)) for place in range(1, len(theirs) + 1)}
    elif (behind.delay, behind.delay or behind.rate) != (rhythm.delay, rhythm.delay or rhythm.rate):
        if behind.delay is None and len(spans) < MAX_SPANS:
            last = before + len(theirs)
            spans.append(Span(name=span_name(name, spans), first=before + 1, last=last, rate=behind.rate))
        else:
            times = own_times(behind, len(theirs))
            held = {place: max(1, round(times[place])) for place in range(1, len(theirs) + 1)} | held
    if len(spans) > MAX_SPANS:
        raise InputError(
            f"together they would have {len(spans)} spans; the limit is {MAX_SPANS}",
            remedy="remove some spans first, or keep them apart",
        )
    between = rhythm.between
    if between != behind.between or (between is not None and between.after is not None):
        # Pictures between frames stay where they were made; of two ways to make them the first counts.
        after = set(_after(rhythm, before)) | {before + place for place in _after(behind, len(theirs))}
        some = between or behind.between
        between = some.model_copy(update={"after": frozenset(after)}) if some is not None and after else None
    return rhythm.model_copy(
        update={
            "order": order,
            "holds": {**rhythm.holds, **{before + place: time for place, time in held.items()}},
            "spans": tuple(spans),
            "between": between,
        }
    )


def _after(rhythm: Rhythm, places: int) -> frozenset[int]:
    """The places after which pictures are made between frames."""
    if rhythm.between is None:
        return frozenset()
    return rhythm.between.after if rhythm.between.after is not None else frozenset(range(1, places + 1))


def _in_own_times(recipe: Recipe, gaps: Sequence[int]) -> Rhythm:
    """The rhythm without a length for all: each frame lasts by itself what that makes of it."""
    rhythm = recipe.rhythm
    if rhythm.length is None:
        return rhythm
    plan = plan_rhythm(recipe.gather, rhythm, gaps)
    scale = Fraction(plan.scale)
    usual = rhythm.delay if rhythm.delay is not None else SECOND / parse_rate(rhythm.rate)
    by = scale if plan.own_scaled else 1  # delays set by hand stay, unless there was no room for them
    spans: list[Span] = []
    beyond: dict[int, int] = {}
    for span in reversed(rhythm.spans):  # where spans overlap the first one counts
        if span.rate is not None:
            rate = parse_rate(span.rate) / scale
            places = range(span.first, min(span.last, len(rhythm.order or gaps)) + 1)
            if rate <= MAX_RATE:
                span = span.model_copy(update={"rate": _written(rate)})
                beyond = {place: time for place, time in beyond.items() if place not in places}
            else:  # no rate says it, but a delay does
                span = span.model_copy(update={"rate": None})
                beyond |= dict.fromkeys(places, _lasting(SECOND / rate))
        spans.append(span)
    return rhythm.model_copy(
        update={
            "length": None,
            "speed": "100",
            "delay": _lasting(usual * scale),
            "holds": beyond | {place: _lasting(time * by) for place, time in rhythm.holds.items()},
            "spans": tuple(reversed(spans)),
        }
    )


def _lasting(time: Fraction | int) -> int:
    return max(1, min(round(time), LONGEST))


def _written(rate: Fraction) -> str:
    """A rate in as many digits as a recipe takes."""
    most = 10**9 - 1
    near = rate.limit_denominator(int(most / max(rate, Fraction(1))))
    return f"{near.numerator}/{near.denominator}" if near else f"1/{most}"


def _steady(framing: Framing, count: int) -> Framing:
    """The framing with what frames are enlarged by in the moves of each: other frames then change nothing."""
    lined = framing.line_up
    if lined is None or lined.cover == "open":
        return framing
    by = enlargement(lined, lined.moves, *lined.drawn_on)
    moves = dict(lined.moves)
    if 1 < by <= MOST_ENLARGED:
        still = Move()
        each = ((position, lined.moves.get(position, still)) for position in range(1, count + 1))
        moves = {
            position: move.model_copy(update={"x": move.x * by, "y": move.y * by, "scale": move.scale * by})
            for position, move in each
        }
    return framing.model_copy(update={"line_up": lined.model_copy(update={"cover": "open", "moves": moves})})


def _on_sides(lined: LineUp, sides: tuple[int, int]) -> LineUp:
    """A line-up with its shifts measured on frames of other sides."""
    across, down = sides[0] / lined.drawn_on[0], sides[1] / lined.drawn_on[1]
    moves = {
        position: move.model_copy(update={"x": move.x * across, "y": move.y * down})
        for position, move in lined.moves.items()
    }
    return lined.model_copy(update={"moves": moves, "drawn_on": sides})


def _framing_joined(framing: Framing, other: Framing, count: int, more: int) -> Framing:
    """A framing for ``count`` frames with ``more`` behind them, whose tones and moves go along."""
    theirs = framing_moved(other, {position: position + count for position in range(1, more + 1)})
    tones = framing.tones + theirs.tones
    if other.tone != framing.tone:
        own = {position for some in theirs.tones for position in some.frames}
        rest = frozenset(range(count + 1, count + more + 1)) - own
        tones = (*tones, *([ToneOfSome(frames=rest, tone=other.tone)] if rest else ()))
    lined = framing.line_up
    if lined is None:
        lined = theirs.line_up
    elif theirs.line_up is not None:
        behind = _on_sides(theirs.line_up, lined.drawn_on)
        lined = lined.model_copy(update={"moves": {**lined.moves, **behind.moves}})
    match = framing.match
    if match is not None and match.frames is None:  # frames of another project keep their own tone
        match = match.model_copy(update={"frames": frozenset(range(1, count + 1))})
    elif match is None and theirs.match is not None:
        frames = theirs.match.frames or frozenset(range(count + 1, count + more + 1))
        match = theirs.match.model_copy(update={"frames": frames})
    return framing.model_copy(update={"tones": tones, "line_up": lined, "match": match})


def _moved(positions: Iterable[int], moved: dict[int, int]) -> frozenset[int]:
    return frozenset(moved[position] for position in positions if position in moved)
