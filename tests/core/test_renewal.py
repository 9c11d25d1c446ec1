"""Frames rendered again: what is recognised, what is new, and that what was done to a frame goes along."""

from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.recipe import (
    Framing,
    Gather,
    LineUp,
    Match,
    Move,
    Recipe,
    Rhythm,
    Span,
    Tone,
    ToneOfSome,
)
from jayflick.core.sequence.joining import with_joined
from jayflick.core.sequence.renewal import Known, renewed, with_moved


def frames(*numbers: int, take: str = "a", name: str = "kite_{}.png") -> list[Known]:
    return [Known(name.format(number), number, f"{take}{number}") for number in numbers]


def test_frames_are_recognised_by_name_then_content_then_number() -> None:
    old = [*frames(1, 2, 4), Known("title.png", None, "t")]
    renamed = Known("sky_9.png", 9, "a2")  # the picture of 2 under another name and number
    new = [renamed, *frames(1, 3, 5, take="b"), Known("title.png", None, "u")]
    result = renewed(old, new)
    assert [(kind, frame.name) for kind, frame in result.frames] == [
        ("replaced", "kite_1.png"),
        ("same", "sky_9.png"),
        ("added", "kite_3.png"),
        ("old", "kite_4.png"),
        ("added", "kite_5.png"),
        ("replaced", "title.png"),
    ]
    assert result.moved == {1: 1, 2: 2, 3: 4, 4: 6}
    assert [frame.number for _, frame in result.frames] == [1, 2, 3, 4, 5, None]


def test_a_frame_that_now_shows_what_another_showed_is_still_itself() -> None:
    old = frames(1, 2, 3)
    held = renewed(old, [Known("kite_3.png", 3, "a2")])  # 3 was rendered as a hold of 2
    assert [(kind, frame.sha256) for kind, frame in held.frames] == [
        ("old", "a1"),
        ("old", "a2"),
        ("replaced", "a2"),
    ]
    take = [Known("take2_2.png", 2, "a2"), Known("take2_3.png", 3, "a2")]
    assert [kind for kind, _ in renewed(old, take).frames] == ["old", "same", "replaced"]
    shifted = renewed(old, [Known(f"take2_{n + 1}.png", n + 1, f"a{n}") for n in (1, 2, 3)])
    assert [kind for kind, _ in shifted.frames] == ["same"] * 3  # renamed from 2 to 4
    assert [frame.number for _, frame in shifted.frames] == [1, 2, 3]


def test_a_number_that_comes_twice_recognises_nothing() -> None:
    result = renewed([*frames(1), *frames(1, name="other_{}.png")], frames(1, take="b", name="new_{}.png"))
    assert result.count("added") == 1
    assert result.count("old") == 2


def test_what_was_done_to_a_frame_goes_along() -> None:
    recipe = Recipe(
        gather=Gather(left_out=frozenset({2}), folded=frozenset({3})),
        rhythm=Rhythm(holds={3: 9}, first=2, last=3, spans=(Span(name="walk", first=1, last=3),)),
    )
    moved = with_moved(recipe, {1: 1, 2: 3, 3: 5})
    assert (set(moved.gather.left_out), set(moved.gather.folded)) == ({3}, {5})
    assert (moved.rhythm.holds, moved.rhythm.first, moved.rhythm.last) == ({5: 9}, 3, 5)
    assert (moved.rhythm.spans[0].first, moved.rhythm.spans[0].last) == (1, 5)
    ordered = Recipe(rhythm=Rhythm(order=(3, 0, 1), holds={1: 9}))
    again = with_moved(ordered, {1: 1, 2: 3, 3: 5}).rhythm
    assert (again.order, again.holds) == ((5, 0, 1), {1: 9})


def test_tones_and_moves_of_frames_go_along_too() -> None:
    dark, steady = Tone(exposure=-1), LineUp(anchor=2, moves={1: Move(x=3), 3: Move(y=1)}, drawn_on=(8, 8))
    framing = Framing(
        tone=Tone(gamma=2),
        tones=(ToneOfSome(frames=frozenset({1, 3}), tone=dark),),
        match=Match(to=2, frames=frozenset({3})),
        line_up=steady,
    )
    recipe = Recipe(framing=framing)
    moved = with_moved(recipe, {1: 2, 2: 4, 3: 5}).framing
    assert moved.tones[0].frames == {2, 5}
    assert moved.match == Match(to=4, frames=frozenset({5}))
    assert moved.line_up == LineUp(anchor=4, moves={2: Move(x=3), 5: Move(y=1)}, drawn_on=(8, 8))
    behind = with_joined(Recipe(), recipe, [0] * 10, [0] * 3, "gull").framing
    assert [behind.tone_of(position) for position in (10, 11, 12, 13)] == [Tone(), dark, Tone(gamma=2), dark]
    assert behind.match == Match(to=12, frames=frozenset({13}))
    assert behind.line_up is not None
    assert set(behind.line_up.moves) == {11, 13}
    before = with_joined(recipe, Recipe(framing=framing), [0] * 3, [0] * 3, "gull").framing
    assert before.line_up is not None
    assert set(before.line_up.moves) == {1, 3, 4, 6}
    assert [before.tone_of(position) for position in (2, 5, 6)] == [Tone(gamma=2), Tone(gamma=2), dark]


def test_new_frames_find_their_place_in_an_order_made_by_hand() -> None:
    span = Span(name="s", first=1, last=4)
    rhythm = Rhythm(order=(3, 1, 3, 0), holds={2: 9, 4: 7}, first=2, last=3, spans=(span,))
    # Of six frames now, 1, 3 and 5 are those that were there.
    now = with_moved(Recipe(rhythm=rhythm), {1: 1, 2: 3, 3: 5}, 6).rhythm
    assert now.order == (5, 1, 2, 5, 6, 0, 4)  # 4 comes after one that the order does not have: at the end
    assert now.holds == {2: 9, 6: 7}
    assert (now.first, now.last) == (2, 4)
    assert (now.spans[0].first, now.spans[0].last) == (1, 6)
    assert with_moved(Recipe(rhythm=Rhythm(order=(2, 1))), {1: 2, 2: 3}, 3).rhythm.order == (1, 3, 2)


@given(st.sets(st.integers(1, 60), min_size=1), st.sets(st.integers(1, 60)), st.sets(st.integers(1, 60)))
def test_nothing_is_lost_and_numbers_stay_in_order(there: set[int], same: set[int], new: set[int]) -> None:
    brought = [*frames(*sorted(same)), *frames(*sorted(new - same), take="b")]
    result = renewed(frames(*sorted(there)), brought)
    numbers = [frame.number for _, frame in result.frames]
    assert numbers == sorted(there | same | new)
    assert result.count("same") == len(there & same)
    assert result.count("replaced") == len(there & (new - same))
    assert result.count("added") == len((same | new) - there)
    assert sorted(result.moved) == list(range(1, len(there) + 1))
    assert list(result.moved.values()) == sorted(result.moved.values())
