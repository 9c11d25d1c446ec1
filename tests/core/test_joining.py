"""A part of a project's frames, and two projects joined: the same pictures for the same times."""

from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.framing.frames import enlargement_of
from jayflick.core.framing.moves import warp_of
from jayflick.core.recipe import (
    Between,
    Framing,
    Gather,
    LineUp,
    Match,
    Move,
    Recipe,
    Rhythm,
    Span,
    StillOutput,
    Tone,
    ToneOfSome,
)
from jayflick.core.sequence.joining import with_joined, with_part
from jayflick.core.timing.flicks import SECOND
from jayflick.core.timing.plan import plan_rhythm

COUNT = 12
PLACES = st.integers(1, COUNT)
SOME = st.frozensets(PLACES, max_size=5)
RATES = st.sampled_from(["24", "6", "24000/1001", "11"])


@st.composite
def rhythms(draw: st.DrawFn) -> Rhythm:
    spans = []
    for number, first in enumerate(draw(st.lists(PLACES, max_size=3))):
        last, rate = draw(st.integers(first, COUNT)), draw(st.none() | RATES)
        spans.append(Span(name=f"walk {number}", first=first, last=last, rate=rate))
    after = st.fixed_dictionaries({"count": st.integers(1, 2), "after": st.none() | SOME.filter(bool)})
    between = draw(st.none() | after)
    return Rhythm(
        rate=draw(RATES),
        delay=draw(st.none() | st.integers(SECOND // 50, SECOND)),
        holds=draw(st.dictionaries(PLACES, st.integers(SECOND // 50, SECOND), max_size=4)),
        spans=tuple(spans),
        step=draw(st.sampled_from([1, 1, 3])),
        thinned=draw(st.sampled_from(["faster", "same-time"])),
        between=between,
        direction=draw(st.sampled_from(["forward", "reverse", "there-and-back"])),
        dissolve=draw(st.sampled_from([0, 0, 2])),
        cycles=draw(st.integers(1, 2)),
        speed=draw(st.sampled_from(["100", "33.3", "250"])),
        # How a held frame is shared with pictures after it does not know of a length.
        length=None if between else draw(st.none() | st.integers(SECOND, 9 * SECOND)),
        repeat=draw(st.integers(0, 2)),
    )


@st.composite
def framings(draw: st.DrawFn) -> Framing:
    numbers = st.floats(-3, 3).map(lambda n: round(n, 2))
    moves = st.builds(Move, x=numbers, y=numbers, turn=numbers, scale=st.sampled_from([1.0, 1.1]))
    lined = st.builds(
        LineUp,
        anchor=PLACES,
        moves=st.dictionaries(PLACES, moves, max_size=6),
        drawn_on=st.just((80, 60)),
        cover=st.sampled_from(["open", "enlarge"]),
    )
    dark = draw(SOME)
    tones = (ToneOfSome(frames=dark, tone=Tone(exposure=-1)),) if dark else ()
    return Framing(
        tone=draw(st.sampled_from([Tone(), Tone(gamma=2)])), tones=tones, line_up=draw(st.none() | lined)
    )


NONE: frozenset[int] = frozenset()
LONG_HOLD = Rhythm(
    delay=SECOND // 2,
    holds={COUNT: SECOND - 2},
    length=SECOND,
    spans=(Span(name="walk", first=1, last=1, rate="24"), Span(name="run", first=1, last=3, rate="11")),
)
"""Leaves so little for the others that no rate says it."""


@given(rhythms(), framings(), SOME, SOME, SOME, st.integers(1, COUNT - 1))
@example(LONG_HOLD, Framing(), NONE, NONE, NONE, 2)
@example(LONG_HOLD.model_copy(update={"length": 9 * SECOND - 3}), Framing(), NONE, NONE, NONE, 2)
@example(Rhythm(between=Between(count=1, after=frozenset({1, 2}))), Framing(), NONE, NONE, NONE, 1)
@settings(max_examples=300)
def test_two_parts_joined_again_show_the_same_pictures_for_the_same_times(
    rhythm: Rhythm, framing: Framing, left_out: Any, folded: Any, clear: Any, cut: int
) -> None:
    usable = frozenset(range(1, COUNT + 1)) - left_out
    if not any(p <= cut for p in usable) or not any(p > cut for p in usable):
        left_out = frozenset()
    gather = Gather(left_out=left_out, folded=folded, clear=clear, over="#000000")
    whole = Recipe(gather=gather, rhythm=rhythm, framing=framing)
    ends = [range(1, cut + 1), range(cut + 1, COUNT + 1)]
    one, other = (with_part(whole, {p: new for new, p in enumerate(part, 1)}, [0] * COUNT) for part in ends)
    assert one.gather.over == other.gather.over == "#000000"
    again = with_joined(one, other, [0] * cut, [0] * (COUNT - cut), "the other")
    assert (again.gather.left_out, again.gather.folded) == (left_out, folded)
    assert again.gather.clear == clear
    before = plan_rhythm(whole.gather, whole.rhythm, [0] * COUNT)
    after = plan_rhythm(again.gather, again.rhythm, [0] * COUNT)
    assert after.shots == before.shots
    assert after.repeat == before.repeat
    for now, then in zip(after.durations, before.durations, strict=True):
        assert abs(now - then) <= 12  # a rounded delay may be divided among many frames and added up again
    for position in range(1, COUNT + 1):
        assert again.framing.tone_of(position) == framing.tone_of(position)
        assert warp(again.framing, position) == pytest.approx(warp(framing, position), abs=1e-6)


def warp(framing: Framing, position: int) -> tuple[float, ...]:
    lined = framing.line_up
    if lined is None:
        return 1, 0, 0, 0, 1, 0
    return tuple(warp_of(lined, position, 80, 60, enlarged=enlargement_of(lined, 80, 60)))


@given(rhythms(), st.integers(2, COUNT))
def test_a_part_lasts_as_long_as_it_did_in_the_whole(rhythm: Rhythm, count: int) -> None:
    plain = rhythm.model_copy(
        update={"direction": "forward", "dissolve": 0, "cycles": 1, "step": 1, "between": None}
    )
    whole = plan_rhythm(Gather(), plain, [0] * COUNT)
    part = with_part(Recipe(rhythm=plain), {p: p for p in range(1, count + 1)}, [0] * COUNT)
    alone = plan_rhythm(part.gather, part.rhythm, [0] * count)
    for now, then in zip(alone.durations, whole.durations, strict=False):
        assert abs(now - then) <= 4


def test_what_a_part_does_not_have_is_not_asked_of_it() -> None:
    framing = Framing(
        match=Match(to=5),
        tones=(ToneOfSome(frames=frozenset({2, 6}), tone=Tone(exposure=-1)),),
        line_up=LineUp(anchor=6, moves={2: Move(x=3), 6: Move(y=1)}, drawn_on=(8, 8)),
    )
    whole = Recipe(
        gather=Gather(left_out=frozenset({2, 3})),
        rhythm=Rhythm(first=2, last=6, spans=(Span(name="walk", first=2, last=4),)),
        framing=framing,
        outputs=(StillOutput(picture="png", file_name="poster.png", frame=6),),
    )
    part = with_part(whole, {2: 1, 4: 2}, [0] * 6)
    assert part.framing.match is None
    assert part.framing.tones[0].frames == {1}
    assert part.framing.line_up is not None
    assert part.framing.line_up.moves == {1: Move(x=3)}
    assert (part.rhythm.first, part.rhythm.last, part.rhythm.spans[0].last) == (None, None, 2)
    assert part.gather.left_out == {1}
    assert part.outputs[0].only == 2
    assert not with_part(whole, {2: 1, 3: 2}, [0] * 6).gather.left_out  # they are what is wanted
    ordered = Recipe(rhythm=Rhythm(order=(3, 0, 1, 3), holds={1: 9, 4: 7}))
    shaped = with_part(ordered, {2: 1, 3: 2}, [0] * 3).rhythm
    assert (shaped.order, shaped.holds) == ((2, 2), {1: 9, 2: 7})


def test_spans_of_the_other_project_come_along_as_far_as_there_is_room() -> None:
    spans = tuple(Span(name=f"s{n}", first=n, last=n) for n in range(1, 201))
    full = Recipe(rhythm=Rhythm(spans=spans))
    slow = Recipe(rhythm=Rhythm(rate="6"))
    both = with_joined(full, slow, [0] * 200, [0] * 2, "slow").rhythm  # a rate, and no room for a span
    assert (len(both.spans), both.holds) == (200, {201: SECOND // 6, 202: SECOND // 6})
    named = Recipe(rhythm=Rhythm(spans=(Span(name="walk", first=1, last=9, rate="6"),)))
    assert with_joined(named, named, [0] * 3, [0] * 3, "gull").rhythm.spans[1] == Span(
        name="walk 2", first=4, last=6, rate="6"
    )
    with pytest.raises(InputError, match="201 spans; the limit is 200"):
        with_joined(full, named, [0] * 200, [0] * 3, "gull")
    enlarged = Framing(line_up=LineUp(anchor=1, moves={2: Move(x=8)}, drawn_on=(80, 60), cover="enlarge"))
    joined = with_joined(Recipe(), Recipe(framing=enlarged), [0, 0], [0, 0], "gull").framing
    assert joined.line_up is not None
    assert set(joined.line_up.moves) == {3, 4}
    assert joined.line_up.cover == "open"
    larger = enlarged.model_copy(
        update={"line_up": LineUp(anchor=1, moves={1: Move(x=4)}, drawn_on=(160, 120))}
    )
    scaled = with_joined(Recipe(framing=enlarged), Recipe(framing=larger), [0, 0], [0], "gull").framing.line_up
    assert scaled is not None
    assert scaled.moves[3] == Move(x=2)


def test_a_project_put_behind_another_keeps_its_pace_and_what_was_done_to_it() -> None:
    walk = Recipe(rhythm=Rhythm(rate="24", holds={1: 5}, spans=(Span(name="dive", first=1, last=2),)))
    dive = Recipe(gather=Gather(left_out=frozenset({2})), rhythm=Rhythm(rate="12", holds={3: 7}))
    both = with_joined(walk, dive, [0] * 4, [0] * 3, "dive")
    assert both.rhythm.order is None
    assert both.rhythm.holds == {1: 5, 7: 7}
    assert set(both.gather.left_out) == {6}
    assert both.rhythm.spans[1] == Span(name="dive 2", first=5, last=7, rate="12")
    turned = with_joined(
        Recipe(rhythm=Rhythm(order=(2, 1))),
        Recipe(rhythm=Rhythm(order=(3, 0), delay=8)),
        [0] * 2,
        [0] * 3,
        "dive",
    )
    assert (turned.rhythm.order, turned.rhythm.holds) == ((2, 1, 5, 0), {3: 8, 4: 8})
    assert plan_rhythm(both.gather, both.rhythm, [0] * 7).positions == (1, 2, 3, 4, 5, 7)
