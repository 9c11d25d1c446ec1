"""The recipe's rhythm worked out: what is played, in what order, each for how long.

Works on positions only; no picture is read for it.
"""

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from typing import NamedTuple

from ..errors import InputError
from ..recipe import MAX_PLACES, Gather, Rhythm, Span, Take
from .flicks import SECOND, parse_rate, whole
from .listed import Listed, PlayedSpan
from .shots import Shot, blend, in_between

Time = Fraction | int
"""Of a usual rate it is a whole number, and whole numbers are counted in far less time than fractions."""


@dataclass(frozen=True)
class Plan:
    """The played steps, one after the other."""

    shots: tuple[Shot, ...]
    """What each shows."""
    places: tuple[int, ...]
    """Where in the order each stands; a blend between two stands where the first of them does."""
    times: tuple[Time, ...]
    """How long each lasts, in flicks, exact."""
    repeat: int
    dropped: tuple[int, ...] = ()
    """Places whose time is too short to be seen at the output's own rate."""
    scale: float = 1.0
    """What speed made of every delay, or a length of those not set by hand: 0.5 plays twice as fast."""
    spans: tuple[Span, ...] = ()
    """All that are named, played or not."""
    notes: tuple[str, ...] = ()
    """What a person should know of it."""
    own_scaled: bool = False
    """Whether there was no room for delays set by hand, so that they were scaled as well."""

    @cached_property
    def durations(self) -> tuple[int, ...]:
        """How long each step lasts, in whole flicks."""
        return tuple(whole(self.times))

    @cached_property
    def positions(self) -> tuple[int, ...]:
        """The gathered frame that each step shows, or shows most of."""
        return tuple(shot.position for shot in self.shots)

    def only(self, number: int) -> "Plan":
        """One of the steps by itself, from 1; ``InputError`` when there are fewer."""
        if number > len(self.shots):
            raise InputError(
                f"there is no frame {number}: {len(self.shots)} are played",
                remedy=f"choose one from 1 to {len(self.shots)}",
            )
        here = slice(number - 1, number)
        return Plan(self.shots[here], self.places[here], self.times[here], 1, (), self.scale)

    def listed(self, names: Sequence[str]) -> Listed:
        """What the steps are called. ``names``: of all frames, in gathered order.

        A step belongs to the first span that its place lies in.
        """
        span_of: dict[int, Span] = {}
        for span in reversed(self.spans):
            span_of |= dict.fromkeys(range(span.first, span.last + 1), span)
        owners = [span_of.get(place) for place in self.places]
        spans: list[PlayedSpan] = []
        begin = 0
        for _, run in itertools.groupby(owners, key=lambda span: span.name if span else None):
            members = list(run)
            here, begin = members[0], begin + len(members)
            if here is not None and all(here.name != one.name for one in spans):
                repeat = self.repeat if here.repeat is None else here.repeat
                direction = here.direction or "forward"
                spans.append(PlayedSpan(here.name, begin - len(members), begin - 1, direction, repeat))
        shown = tuple(names[position - 1] if position else "empty" for position in self.positions)
        own = tuple(span.name if span else None for span in owners)
        return Listed(self.positions, shown, own, tuple(spans))


class _Step(NamedTuple):
    place: int
    shot: Shot
    time: Time
    """In flicks, exact: nothing is rounded before all is in order."""
    usual: Time
    """What it would last if it were not held."""
    own: Time = 0
    """How much of its time was set by hand."""


WHOLE_RANGE = Take()


def plan_rhythm(gather: Gather, rhythm: Rhythm, gaps: Sequence[int], take: Take = WHOLE_RANGE) -> Plan:
    """Work out what an output plays of as many frames as there are ``gaps``: how many are missing after each.

    Frames that ``gather`` leaves out are skipped; one before folded frames, or before a gap that is held,
    lasts as many frames longer. Then, in this order: every n-th, in-betweens, direction, dissolve, cycles,
    speed, the output's rate; or all frames one by one at that. Raises ``InputError`` when there is nothing to
    play, or more than ``MAX_PLACES`` steps.
    """
    if not gaps:
        raise InputError("there are no frames to play", remedy="add frames")
    taken = _taken(rhythm, take)
    steps: list[_Step] = []
    for first, last, direction in _runs(rhythm, take, taken, len(rhythm.order or gaps)):
        run = _with_between(_thinned(_steps(gather, rhythm, gaps, first, last), rhythm), rhythm)
        if direction == "reverse":
            run.reverse()
        elif direction == "there-and-back":
            run += run[-2:0:-1]  # neither end twice: 2N - 2 frames
        steps += run
        _few_enough(len(steps))
    if not steps:
        raise InputError("all frames of the range are left out", remedy="use at least one of them")
    notes: tuple[str, ...] = ()
    over = min(rhythm.dissolve, len(steps) // 2)
    if over < rhythm.dissolve:
        notes = (f"{over} frames dissolve, not {rhythm.dissolve}: at most half of the {len(steps)} that play",)
    steps = _dissolved(steps, over)
    _few_enough(len(steps) * rhythm.cycles)
    one, steps = steps[0], steps * rhythm.cycles
    repeat = rhythm.repeat
    if len(taken) == 1 and taken[0].repeat is not None:
        repeat = taken[0].repeat
    repeat = repeat if take.repeat is None else take.repeat
    rests = direction == "there-and-back" and repeat == 1 and len(taken) < 2
    if rests and steps[-1] != one and not rhythm.dissolve:
        steps.append(one)  # it rests where it began
    scale = Fraction(1)
    own_scaled = False
    rate = None if take.rate is None else parse_rate(take.rate)
    one_by_one = rate is not None and take.keep == "frames" and take.length is None
    if rate is not None and one_by_one:
        steps = [step._replace(time=SECOND / rate) for step in steps]
    elif take.length is not None:
        scale = Fraction(take.length) / sum(step.time for step in steps)
        steps = [step._replace(time=step.time * scale) for step in steps]
    elif rhythm.length is not None:
        steps, scale, more = _lasting(steps, Fraction(rhythm.length))
        notes += more
        own_scaled = bool(more)
    elif rhythm.speed != "100":
        scale = 100 / Fraction(rhythm.speed)
        steps = [step._replace(time=step.time * scale) for step in steps]
    dropped: tuple[int, ...] = ()
    if rate is not None and not one_by_one:
        steps, dropped = _at_rate(steps, rate, take.between, repeat != 1)
    return Plan(
        tuple(step.shot for step in steps),
        tuple(step.place for step in steps),
        tuple(step.time for step in steps),
        repeat,
        dropped,
        float(scale),
        # those that are taken have been played in their own direction
        tuple(span.model_copy(update={"direction": None}) if span in taken else span for span in rhythm.spans),
        notes,
        own_scaled,
    )


def _lasting(steps: list[_Step], length: Fraction) -> tuple[list[_Step], Fraction, tuple[str, ...]]:
    """The steps in a given time, by how much those without a delay of their own were scaled, and notes.

    Delays set by hand stay as they are and the others share the rest; where that leaves nothing for them, or
    there are no others, all are scaled alike.
    """
    own = sum((step.own for step in steps), Fraction(0))
    others = sum((step.time for step in steps), Fraction(0)) - own
    if others and own < length:
        scale = (length - own) / others
        return [step._replace(time=step.own + (step.time - step.own) * scale) for step in steps], scale, ()
    scale = length / (own + others)
    notes: tuple[str, ...] = ()
    if scale != 1:
        notes = (
            f"custom delays add up to {_in_seconds(own)} s, and the duration is {_in_seconds(length)} s: "
            "all frames are scaled to fit",
        )
    return [step._replace(time=step.time * scale) for step in steps], scale, notes


def _in_seconds(time: Time) -> str:
    return f"{float(time) / SECOND:.3f}".rstrip("0").rstrip(".")


def _taken(rhythm: Rhythm, take: Take) -> list[Span]:
    """The spans that an output takes, as they follow each other."""
    named = {span.name: span for span in rhythm.spans}
    for name in take.spans:
        if name not in named:
            raise InputError(f"there is no span {name!r}", remedy="choose one there is, or the whole range")
    return [named[name] for name in take.spans]


def _runs(rhythm: Rhythm, take: Take, taken: Sequence[Span], count: int) -> Iterator[tuple[int, int, str]]:
    """The first and last place of what plays, run by run, and in which direction."""
    if taken:
        runs = [(span.first, span.last, span.direction or rhythm.direction) for span in taken]
    elif take.first is not None or take.last is not None:
        runs = [(take.first or 1, take.last or count, rhythm.direction)]
    else:
        runs = [(rhythm.first or 1, rhythm.last or count, rhythm.direction)]
    for first, last, direction in runs:
        if not 1 <= first <= last <= count:
            raise InputError(
                f"the range {first}-{last} does not lie in the {count} frames",
                remedy=f"choose a first and a last frame from 1 to {count}",
            )
        yield first, last, direction


def _steps(gather: Gather, rhythm: Rhythm, gaps: Sequence[int], first: int, last: int) -> list[_Step]:
    """The steps from one place to another in order, each with its own time."""
    order = rhythm.order or range(1, len(gaps) + 1)
    if max(order) > len(gaps):
        raise InputError(
            f"the order has a frame {max(order)}, but there are {len(gaps)} frames",
            remedy="take it out of the order",
        )
    each = usual_times(rhythm, len(order))
    left_out, folded, held, still = gather.left_out, gather.folded, rhythm.holds.get, Shot.still
    steps: list[_Step] = []
    between: list[Time | None] = []
    """What lies between the last step and the place at hand: missing numbers with their times, and ``None``
    for a frame that is left out."""
    for place in range(first, last + 1):
        position = order[place - 1]
        if position in left_out:
            between.append(None)
        else:
            if steps and gather.gaps != "skip":
                _few_enough(len(steps) + len(between))
                steps += _made_good(steps.pop(), still(position), between, gather, rhythm)
            between = []
            time = held(place, each[place])
            own = time if place in rhythm.holds else 0
            if steps and position in folded:
                steps[-1] = _longer(steps[-1], time, own)
            else:
                steps.append(_Step(place, still(position), time, each[place], own))
        if position and place < last and order[place] == position + 1:
            between += [each[place]] * gaps[position - 1]
    return steps


def _thinned(steps: list[_Step], rhythm: Rhythm) -> list[_Step]:
    """Every n-th step, with the time of those between if it is to last as long."""
    every = rhythm.step
    if every == 1 or rhythm.thinned == "faster":
        return steps[::every]
    return [
        steps[at]._replace(
            time=sum(step.time for step in steps[at : at + every]),
            usual=sum(step.usual for step in steps[at : at + every]),
            own=sum(step.own for step in steps[at : at + every]),
        )
        for at in range(0, len(steps), every)
    ]


def _with_between(steps: list[_Step], rhythm: Rhythm) -> list[_Step]:
    """The steps with pictures between them, which have a part of the time of the frame before.

    Of one that is held longer than usual only as much goes to them as a usual one lasts: it stays held.
    """
    wish = rhythm.between
    if wish is None:
        return steps
    _few_enough(len(steps) * (wish.count + 1))
    result: list[_Step] = []
    for step, following in itertools.zip_longest(steps, steps[1:]):
        if following is None or (wish.after is not None and step.place not in wish.after):
            result.append(step)
            continue
        each = Fraction(min(step.time, step.usual)) / (wish.count + 1)
        own = each * step.own / step.time  # as much of each part was set by hand as of the whole
        result.append(step._replace(time=step.time - each * wish.count, own=step.own - own * wish.count))
        for number in range(1, wish.count + 1):
            shot = in_between(step.shot, following.shot, number / (wish.count + 1), wish.by)
            result.append(_Step(step.place, shot, each, each, own))
    return result


def own_times(rhythm: Rhythm, count: int) -> list[Time]:
    """What the frame in each of ``count`` places lasts before speed or length; index 0 is not used."""
    times = usual_times(rhythm, count)
    for place, time in rhythm.holds.items():
        if place <= count:
            times[place] = time
    return times


def usual_times(rhythm: Rhythm, count: int) -> list[Time]:
    """What a frame in each place lasts if it is not held; index 0 is not used."""
    usual = rhythm.delay if rhythm.delay is not None else _per_frame(rhythm.rate)
    times = [usual] * (count + 1)
    for span in reversed(rhythm.spans):  # where spans overlap the first one counts
        if span.rate is not None:
            times[span.first : span.last + 1] = [_per_frame(span.rate)] * len(
                range(span.first, min(span.last, count) + 1)
            )
    return times


def _per_frame(rate: str) -> Time:
    time = SECOND / parse_rate(rate)
    return time.numerator if time.denominator == 1 else time


def _longer(step: _Step, by: Time, own: Time = 0) -> _Step:
    return step._replace(time=step.time + by, own=step.own + own)


def _made_good(
    step: _Step, following: Shot, between: Sequence[Time | None], gather: Gather, rhythm: Rhythm
) -> list[_Step]:
    """A step and what makes good the missing numbers between it and the frame that follows.

    Held, unless the step's own delay was set by hand: that is what it lasts, whatever it stands for. Or
    blended, each number at its own share of the way, so that a frame left out among them is never seen.
    """
    missing = [(slot, time) for slot, time in enumerate(between, 1) if time is not None]
    if gather.gaps == "hold":
        return [step if step.place in rhythm.holds else _longer(step, sum(time for _, time in missing))]
    share = 1 / (len(between) + 1)
    return [
        step,
        *(
            _Step(step.place, in_between(step.shot, following, slot * share, gather.gaps), time, time)
            for slot, time in missing
        ),
    ]


def _dissolved(steps: list[_Step], over: int) -> list[_Step]:
    """The last ``over`` steps laid over the first, fading out as those fade in; the loop is as much shorter."""
    if over == 0:
        return steps
    ends = steps[len(steps) - over :]
    faded = [
        step._replace(shot=blend(end.shot, step.shot, i / (over + 1)))
        for i, (step, end) in enumerate(zip(steps, ends, strict=False), 1)
    ]
    return faded + steps[over : len(steps) - over]


def _at_rate(steps: list[_Step], rate: Fraction, by: str, loops: bool) -> tuple[list[_Step], tuple[int, ...]]:
    """The steps at another rate in the same time, and the places that are not seen any more.

    At each tick of the rate that step is shown which is due then: 60 to 50 keeps five of six, 30 to 10 one of
    three (common practice, no published source). ``by``: what is due between two steps
    is the first of them (``hold``), a blend of both, or what moves between them.
    """
    starts: list[Time] = [0, *itertools.accumulate(step.time for step in steps)]
    tick = SECOND / rate
    count = max(1, round(starts[-1] / tick))
    _few_enough(count)
    result: list[_Step] = []
    seen: set[int] = set()
    index = 0
    for number in range(count):
        at = number * tick
        while index + 1 < len(steps) and starts[index + 1] <= at:
            index += 1
        due = steps[index]
        shot = due.shot
        seen.add(index)
        into = Fraction(at - starts[index]) / due.time
        if by != "hold" and into > 0 and (index + 1 < len(steps) or loops):
            following = (index + 1) % len(steps)
            shot = in_between(shot, steps[following].shot, float(min(into, Fraction(1))), by)
            seen.add(following)
        if result and result[-1].shot == shot and result[-1].place == due.place:
            result[-1] = result[-1]._replace(time=result[-1].time + tick)
        else:
            result.append(_Step(due.place, shot, tick, tick))
    shown = {steps[i].place for i in seen}
    return result, tuple(sorted({step.place for step in steps} - shown))


def _few_enough(count: int) -> None:
    if count > MAX_PLACES:
        raise InputError(
            f"it would play {count} frames; the limit is {MAX_PLACES}",
            remedy="shorten the range or lower the rate",
        )
