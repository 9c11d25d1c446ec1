"""A recipe on other frames: whatever it says, it can be used, and all that is lost is told."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.carried import carried, taken
from jayflick.core.recipe import (
    FramesOutput,
    Framing,
    Gather,
    GifOutput,
    LineUp,
    Match,
    Move,
    Recipe,
    Rhythm,
    Span,
    StillOutput,
    Take,
)
from jayflick.core.timing.plan import plan_rhythm

BUSY = Recipe(
    gather=Gather(left_out=frozenset({2, 9})),
    rhythm=Rhythm(
        order=(1, 8, 3, 0, 7, 4),
        holds={1: 7_056_000, 3: 70_560_000, 5: 705_600_000},
        first=2,
        last=6,
        spans=(Span(name="out", first=1, last=3), Span(name="back", first=5, last=5)),
    ),
    framing=Framing(
        crop=(4, 4, 60, 40),
        line_up=LineUp(anchor=1, moves={3: Move(x=1), 8: Move(x=2)}, drawn_on=(64, 48)),
        match=Match(to=8),
    ),
    outputs=(
        GifOutput(id="page", take=Take(spans=("out", "back"))),
        FramesOutput(id="set", file_name="set.zip", cut=5),
        StillOutput(id="one", file_name="one.png", frame=5),
    ),
)


def test_what_is_lost_is_told_and_what_stays_keeps_its_frames() -> None:
    found, notes = carried(BUSY, [0] * 4, 48, 40)
    rhythm = found.rhythm
    assert rhythm.order == (1, 3, 0, 4), "frames 7 and 8 are not there"
    assert rhythm.holds == {1: 7_056_000, 2: 70_560_000}, "the delay goes with its frame"
    assert (rhythm.first, rhythm.last) == (2, 4)
    assert rhythm.spans == (Span(name="out", first=1, last=2),)
    assert found.gather.left_out == {2}
    assert found.framing.line_up is not None
    assert found.framing.line_up.moves == {3: Move(x=1)}
    assert (found.framing.match, found.framing.crop) == (None, None)
    gif, frames, still = found.outputs
    assert isinstance(frames, FramesOutput)
    assert isinstance(still, StillOutput)
    assert (gif.take.spans, frames.cut, still.frame) == (("out",), None, 3)
    assert len(notes) == 10
    assert carried(found, [0] * 4, 48, 40) == (found, [])


def test_on_frames_that_have_all_it_names_a_recipe_stays_as_it_is() -> None:
    assert carried(BUSY, [0] * 9, 64, 48) == (BUSY, [])
    assert carried(Recipe(), [0] * 1, 1, 1) == (Recipe(), [])
    to_and_fro = Recipe(
        rhythm=Rhythm(direction="there-and-back"), outputs=(StillOutput(file_name="one.png", frame=9),)
    )
    assert carried(to_and_fro, [0] * 6, 8, 8) == (to_and_fro, []), "six there and back are ten"
    filled = Recipe(gather=Gather(gaps="blend"), outputs=(StillOutput(file_name="one.png", frame=5),))
    assert carried(filled, [0, 2, 0], 8, 8) == (filled, []), "two are made where numbers are missing"
    part = Recipe(framing=Framing(crop=(30, 20, 30, 20), drawn_on=(64, 48)))
    assert carried(part, [0] * 3, 16, 12) == (part, []), "it is the same part of a smaller picture"


def test_settings_are_taken_and_what_is_of_its_own_frames_stays() -> None:
    walk = Span(name="walk", first=1, last=2)
    own = Recipe(
        gather=Gather(left_out=frozenset({1})),
        rhythm=Rhythm(rate="12", spans=(walk,)),
        outputs=(GifOutput(file_name="tern-north.gif"),),
    )
    other = BUSY.model_copy(
        update={"outputs": (GifOutput(id="a", file_name="tern-east-small.gif"), GifOutput(id="b"))}
    )
    found, notes = taken(own, other, {"rhythm", "framing", "outputs"}, "Tern, North", "Tern East")
    assert found.gather == own.gather
    assert (found.rhythm.holds, found.rhythm.spans) == (other.rhythm.holds, (walk,))
    assert (found.framing.match, found.framing.line_up) == (other.framing.match, None)
    assert [one.file_name for one in found.outputs] == ["tern-north-small.gif", "loop.gif"]
    assert len(notes) == 2
    assert taken(own, other, set(), "a", "b") == (own, [])
    assert taken(own, own, {"rhythm"}, "a", "b") == (own, []), "spans that are the same are not left out"
    only, _ = taken(own, other, {"outputs"}, "", "Tern East")
    assert (only.rhythm, only.outputs) == (own.rhythm, other.outputs)


@pytest.mark.parametrize(
    ("rhythm", "wanted"),
    [
        (Rhythm(first=3, last=18), {"first": 3, "last": 5}),
        (Rhythm(first=7), {"first": None, "last": None}),
        (Rhythm(order=(9, 8)), {"order": None}),
        (Rhythm(order=(0, 9)), {"order": None}),
        (Rhythm(last=5), {"last": 5}),
    ],
)
def test_a_range_or_an_order_ends_with_the_frames(rhythm: Rhythm, wanted: dict[str, Any]) -> None:
    found, _ = carried(Recipe(rhythm=rhythm), [0] * 5, 8, 8)
    assert {name: getattr(found.rhythm, name) for name in wanted} == wanted


places = st.integers(1, 12)


@given(
    st.none() | st.lists(places, min_size=1, max_size=12).map(tuple),
    st.dictionaries(places, st.just(7_056_000), max_size=4),
    st.lists(st.tuples(places, places).map(sorted), max_size=3),
    st.none() | st.tuples(places, places).map(sorted),
    st.integers(1, 12),
)
def test_any_can_be_planned_on_any_number_of_frames(
    order: tuple[int, ...] | None,
    holds: dict[int, int],
    spans: list[list[int]],
    ends: list[int] | None,
    count: int,
) -> None:
    rhythm = Rhythm(
        order=order,
        holds=holds,
        spans=tuple(Span(name=f"span {n}", first=a, last=b) for n, (a, b) in enumerate(spans)),
        first=ends and ends[0],
        last=ends and ends[1],
    )
    found, notes = carried(Recipe(rhythm=rhythm), [0] * count, 8, 8)
    assert plan_rhythm(found.gather, found.rhythm, [0] * count).shots
    assert carried(found, [0] * count, 8, 8) == (found, [])
    assert notes or found.rhythm == rhythm, "all that is lost is told"
