"""Exact time, and its spreading over the units of a format."""

import json
from contextlib import suppress
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.recipe import Between, Gather, Rhythm, Take
from jayflick.core.sequence.gather import missing_after
from jayflick.core.timing.conform import GIF_FLOOR, conform
from jayflick.core.timing.flicks import HUNDREDTH, MILLISECOND, SECOND, even_durations, parse_delay, parse_rate
from jayflick.core.timing.held import apng, gif, video, webp
from jayflick.core.timing.plan import Plan, plan_rhythm
from jayflick.core.timing.shots import WHOLE, Shot, blend

DIRECTIONS = [None, "forward", "reverse", "there-and-back"]


@pytest.mark.parametrize("rate", ["24", "25", "30", "50", "60", "24000/1001", "30000/1001", "60000/1001"])
def test_a_frame_of_every_usual_rate_is_a_whole_number(rate: str) -> None:
    # Rates of SMPTE ST 12-1 and ITU-R BT.709/BT.2020.
    assert set(even_durations(10, Fraction(rate))) == {int(SECOND / Fraction(rate))}
    assert SECOND % Fraction(rate) == 0 or (SECOND / Fraction(rate)).denominator == 1


def test_120_frames_at_24_last_exactly_500_hundredths() -> None:
    # Common practice, no published source: typing 0.04 plays 25 frames a second, and 5 s end after 4.8.
    delays = conform(even_durations(120, Fraction(24)), HUNDREDTH, floor=GIF_FLOOR)
    assert sum(delays) == 500
    assert delays[:6] == [4, 4, 4, 4, 4, 5]


@given(
    st.lists(st.integers(1, SECOND), min_size=1, max_size=200),
    st.sampled_from([HUNDREDTH, MILLISECOND, SECOND // 60]),
    st.integers(1, 4),
)
def test_conforming_keeps_the_total_and_the_floor(durations: list[int], unit: int, floor: int) -> None:
    result = conform(durations, unit, floor=floor)
    assert len(result) == len(durations)
    assert min(result) >= floor
    least = floor * len(durations)
    if sum(durations) >= least * unit:
        assert abs(sum(result) * unit - sum(durations)) <= unit
    else:
        assert sum(result) == least


def test_each_format_holds_the_same_durations_in_its_own_unit() -> None:
    film = even_durations(48, Fraction("24000/1001"))
    held = {name(film).format: name(film) for name in (gif, webp, apng, video)}
    wanted = Fraction(sum(film), SECOND)
    assert (held["APNG"].unit, held["APNG"].units) == (Fraction(1, 24000), [1001] * 48)  # exact
    assert (held["Video"].unit, held["Video"].units) == (Fraction(1001, 24000), [1] * 48)
    for name, unit in (("GIF", 100), ("WebP", 1000)):
        assert held[name].unit == Fraction(1, unit)
        assert abs(held[name].seconds - wanted) <= held[name].unit / 2
    poses = [SECOND, 3 * SECOND // 10, 3 * SECOND // 10, 2 * SECOND]
    assert (video(poses).unit, video(poses).units) == (Fraction(1, 10), [10, 3, 3, 20])
    assert apng([3600 * SECOND, 1]).units == [64799, 1]  # 16 bits: no finer than 18 a second
    fast = even_durations(50, Fraction(100))  # browsers would play 10 ms as 100
    assert webp(fast).units == [11] * 50
    assert 0 < apng(fast).seconds - Fraction(550, 1000) < Fraction(1, 1000)


@given(
    st.fractions(Fraction(1, 10), 1000, max_denominator=1001),
    st.lists(st.integers(1, 4), min_size=1, max_size=40),
    st.booleans(),
)
def test_a_constant_rate_is_kept_as_it_is(rate: Fraction, cells: list[int], even: bool) -> None:
    cells = [1] * len(cells) if even else [1, *cells]
    held = video([count * SECOND / rate for count in cells])
    if rate <= 240:
        assert (1 / held.unit, held.units) == (rate, cells)
    elif even:  # every second, or every third …
        assert (rate * held.unit).denominator == 1
        assert 120 <= 1 / held.unit <= 240
        assert max(held.units) <= 1
    assert sum(held.units) >= 1
    assert abs(held.seconds - sum(cells) / rate) <= held.unit


@pytest.mark.parametrize(("rate", "count"), [("11", 42), ("7.3", 9), ("22", 1), ("333", 1), ("24000/1001", 5)])
def test_a_rate_comes_from_the_rhythm_to_a_clip_as_it_was_typed(rate: str, count: int) -> None:
    held = video(played(count, rate=rate).times)
    assert 1 / held.unit == (Fraction(rate) if Fraction(rate) <= 240 else Fraction(rate) / 2)
    assert held.units == [1] * count
    slow = video(played(count, rate=rate, speed="33.3", direction="there-and-back").times)
    assert set(slow.units) == {1}


@given(st.lists(st.integers(11 * MILLISECOND, 30 * SECOND), min_size=1, max_size=50))
def test_no_format_drifts_by_more_than_its_unit(durations: list[int]) -> None:
    for held in (apng(durations), video(durations)):
        assert abs(held.seconds - Fraction(sum(durations), SECOND)) <= held.unit
        assert min(held.units) >= 0
        assert max(held.units) < 1 << 16  # PNG third edition, fcTL chunk: 16 bits


def test_delays_and_rates_are_read_with_their_unit() -> None:
    assert {parse_delay(text) for text in ("40ms", "4cs", "0.04s", "2f@50", "1 f@25")} == {4 * HUNDREDTH}
    assert parse_rate("12.5") == Fraction(25, 2)
    for wrong in ("", "0", "fast", "1/0", "-3", "2000"):
        with pytest.raises(InputError, match="not a rate"):
            parse_rate(wrong)
    assert parse_delay("2f@30000/1001") == 2 * SECOND * 1001 // 30000
    for wrong in ("4", "0ms", "-1s", "2h", "2f", "99999s"):
        with pytest.raises(InputError, match="not a delay"):
            parse_delay(wrong)


def positions(count: int, left_out: tuple[int, ...] = (), **rhythm: object) -> list[int]:
    plan = plan_rhythm(Gather(left_out=frozenset(left_out)), Rhythm.model_validate(rhythm), [0] * count)
    return list(plan.positions)


def test_order_follows_range_step_direction_and_what_is_left_out() -> None:
    assert positions(6) == [1, 2, 3, 4, 5, 6]
    assert positions(10, first=3, last=9, step=3) == [3, 6, 9]
    assert positions(4, direction="reverse") == [4, 3, 2, 1]
    assert positions(30, step=3) == list(range(1, 31, 3))  # 30 to 10 a second keeps one of three
    assert positions(5, left_out=(2, 5)) == [1, 3, 4]


def test_a_thinned_order_lasts_as_long_or_plays_faster() -> None:
    def thinned(how: str) -> list[int]:
        rhythm = Rhythm.model_validate({"rate": "50", "step": 3, "thinned": how, "holds": {"5": SECOND}})
        plan = plan_rhythm(Gather(), rhythm, [0] * 7)
        assert plan.positions == (1, 4, 7)
        return [duration // HUNDREDTH for duration in plan.durations]

    assert thinned("faster") == [2, 2, 2]
    assert thinned("same-time") == [6, 104, 2]


@given(st.integers(2, 60))
def test_there_and_back_doubles_neither_end(count: int) -> None:
    # Common practice, no published source: 2N - 2 frames.
    order = positions(count, direction="there-and-back")
    assert len(order) == 2 * count - 2
    assert all(abs(a - b) == 1 for a, b in zip(order, order[1:] + order[:1], strict=True))


@given(st.integers(1, 9), st.integers(1, 3))
def test_there_and_back_for_once_rests_where_it_began(count: int, cycles: int) -> None:
    order = positions(count, direction="there-and-back", repeat=1, cycles=cycles)
    assert order[0] == order[-1] == 1
    assert len(order) == (cycles * (2 * count - 2) + 1 if count > 1 else cycles)
    assert all(abs(a - b) == 1 for a, b in pairwise(order) if count > 1)


def test_holds_belong_to_a_frame_in_both_directions() -> None:
    rhythm = Rhythm(rate="25", holds={2: SECOND}, direction="there-and-back")
    plan = plan_rhythm(Gather(), rhythm, [0] * 3)
    assert plan.positions == (1, 2, 3, 2)
    assert [duration // HUNDREDTH for duration in plan.durations] == [4, 100, 4, 100]


def played(count: int, take: dict[str, object] | None = None, **rhythm: object) -> Plan:
    shaped = Rhythm.model_validate(rhythm)
    return plan_rhythm(Gather(), shaped, [0] * count, Take.model_validate(take or {}))


def test_an_order_made_by_hand_is_played_with_its_own_holds() -> None:
    plan = played(3, order=[1, 2, 3, 2, 0, 1], rate="25", holds={4: SECOND})
    assert plan.positions == (1, 2, 3, 2, 0, 1)
    assert [duration // HUNDREDTH for duration in plan.durations] == [4, 4, 4, 100, 4, 4]
    assert played(3, order=[3, 2, 1], first=2).positions == (2, 1)
    with pytest.raises(InputError, match="the order has a frame 4, but there are 3 frames"):
        played(3, order=[4])


def test_spans_have_their_own_rate_and_way_and_an_output_may_take_one() -> None:
    spans = [
        {"name": "idle", "first": 1, "last": 2, "rate": "10"},
        {"name": "walk", "first": 3, "last": 5, "direction": "there-and-back", "repeat": 1},
    ]
    whole = played(6, spans=spans, rate="50")
    assert [duration // HUNDREDTH for duration in whole.durations] == [10, 10, 2, 2, 2, 2]
    walk = played(6, {"spans": ["walk"]}, spans=spans, rate="50", repeat=3)
    assert (walk.positions, walk.repeat) == ((3, 4, 5, 4, 3), 1)
    assert played(6, {"span": "walk"}, spans=spans) == played(6, {"spans": ["walk"]}, spans=spans)
    with pytest.raises(InputError, match="no span 'run'"):
        played(6, {"spans": ["idle", "run"]}, spans=spans)


@pytest.mark.parametrize("direction", DIRECTIONS[1:])
@pytest.mark.parametrize("taken", [[], ["walk"], ["idle"], ["walk", "idle"]])
def test_a_direction_that_was_played_is_not_told_again(direction: str, taken: list[str]) -> None:
    """What plays from the list of a sheet would turn it round a second time."""
    spans = [
        {"name": name, "first": at, "last": at + 2, "direction": direction}
        for name, at in (("idle", 1), ("walk", 4))
    ]
    listed = played(6, {"spans": taken}, spans=spans).listed([str(number) for number in range(6)]).spans
    assert {span.name for span in listed} == set(taken or ["idle", "walk"])
    assert {span.direction for span in listed} == {"forward" if taken else direction}


@given(
    st.lists(
        st.tuples(st.integers(1, 9), st.integers(1, 9), st.sampled_from(DIRECTIONS)), min_size=2, max_size=4
    ),
    st.integers(1, 3),
    st.sets(st.integers(1, 9), max_size=8),
)
def test_several_spans_play_as_each_does_by_itself_one_after_the_other(
    runs: list[tuple[int, int, str | None]], step: int, left_out: set[int]
) -> None:
    spans = [
        {"name": str(at), "first": min(ends), "last": max(ends), "direction": direction}
        for at, (*ends, direction) in enumerate(runs)
    ]
    names = [str(span["name"]) for span in spans][::-1]
    gather = Gather(left_out=sorted(left_out))
    shaped = Rhythm.model_validate({"spans": spans, "step": step})

    def positions(*taken: str) -> tuple[int, ...]:
        with suppress(InputError):  # all of its frames are left out
            return plan_rhythm(gather, shaped, [0] * 9, Take(spans=taken)).positions
        return ()

    assert positions(*names) == sum((positions(name) for name in names), ())


@pytest.mark.parametrize(
    ("count", "rate", "to", "kept"),
    # Common practice, no published source: 60 to 50 keeps five of six, 30 to 10 one of three.
    [
        (12, "60", "50", [1, 2, 3, 4, 5, 7, 8, 9, 10, 11]),
        (9, "30", "10", [1, 4, 7]),
        (4, "24000/1001", "24000/1001", [1, 2, 3, 4]),
        (7, "7", "7", [1, 2, 3, 4, 5, 6, 7]),
    ],
)
def test_at_a_rate_of_its_own_an_output_drops_what_is_not_due(
    count: int, rate: str, to: str, kept: list[int]
) -> None:
    plan = played(count, {"rate": to}, rate=rate)
    assert list(plan.positions) == kept
    assert sorted([*plan.positions, *plan.dropped]) == list(range(1, count + 1))
    assert abs(sum(plan.durations) - count * SECOND / Fraction(rate)) <= 1


@given(
    st.integers(1, 90),
    st.sampled_from(["7.3", "24000/1001", "50", "60000/1001", "60", "333"]),
    st.sampled_from(["forward", "reverse", "there-and-back"]),
    st.dictionaries(st.integers(1, 40), st.integers(1, 9 * SECOND), max_size=5),
    st.sampled_from(["50", "100", "333"]),
    st.integers(0, 3),
)
def test_frames_may_go_one_by_one_at_an_output_s_rate(
    count: int, to: str, direction: str, holds: dict[int, int], speed: str, dissolve: int
) -> None:
    """Whatever they last by themselves: what plays is what plays without, each for one tick, none lost."""
    rhythm: dict[str, Any] = {
        "holds": {at: lasts for at, lasts in holds.items() if at <= count},
        "speed": speed,
    }
    rhythm |= {"direction": direction, "dissolve": dissolve}
    plan, without = played(count, {"rate": to, "keep": "frames"}, **rhythm), played(count, **rhythm)
    assert (plan.shots, plan.places, plan.dropped) == (without.shots, without.places, ())
    assert set(plan.times) == {SECOND / Fraction(to)}
    # A length of the output's own says what it lasts; so does a project's rate that is kept.
    lasting = {"rate": to, "length": 2 * SECOND}
    assert played(count, {**lasting, "keep": "frames"}, **rhythm) == played(count, lasting, **rhythm)


UNTIMED = json.loads((Path(__file__).parent / "untimed.json").read_text())  # the client is held to the same


@pytest.mark.parametrize(("rhythm", "untimed"), UNTIMED)
def test_a_project_whose_rate_nobody_set_is_untimed(rhythm: dict[str, Any], untimed: bool) -> None:
    assert Rhythm.model_validate(rhythm).untimed == untimed


def test_fewer_frames_than_the_rate_are_shown_longer_or_blended() -> None:
    # Film shown at 60 a second, three and two in turn: common practice, no published source.
    held = played(4, {"rate": "60"}, rate="24")
    assert [duration * 60 // SECOND for duration in held.durations] == [3, 2, 3, 2]
    blended = played(2, {"rate": "40", "between": "blend"}, rate="20")
    assert [str(shot) for shot in blended.shots] == ["1", "1x128+2x128", "2", "1x128+2x128"]  # into the loop
    once = played(2, {"rate": "40", "between": "blend"}, rate="20", repeat=1)
    assert [str(shot) for shot in once.shots] == ["1", "1x128+2x128", "2"]


def test_a_length_or_a_speed_scales_every_delay_exactly() -> None:
    # Exactly 60 frames at 60 a second, whatever there was: common practice, no published source.
    plan = played(47, {"rate": "60"}, rate="24", length=SECOND, holds={3: SECOND // 2})
    assert sum(plan.durations) == SECOND
    assert sum(duration * 60 // SECOND for duration in plan.durations) == 60
    assert sum(played(25, rate="25", speed="200").durations) == SECOND // 2
    assert sum(played(3, rate="7", speed="33.3", cycles=4).durations) == round(12 * SECOND / 7 * 1000 / 333)


@given(
    st.dictionaries(st.integers(1, 9), st.integers(1, SECOND), max_size=9),
    st.integers(1, 4 * SECOND),
    st.sampled_from(["forward", "reverse", "there-and-back"]),
    st.integers(1, 3),
)
def test_in_a_set_length_delays_set_by_hand_stay_and_the_others_share_the_rest(
    holds: dict[int, int], length: int, direction: str, cycles: int
) -> None:
    rhythm: Any = {"rate": "25", "direction": direction, "cycles": cycles}
    plan = played(9, holds=holds, length=length, **rhythm)
    free = played(9, holds=holds, **rhythm)
    own = sum(time for time, place in zip(free.durations, free.places, strict=True) if place in holds)
    others = [time for time, place in zip(plan.durations, plan.places, strict=True) if place not in holds]
    assert abs(sum(plan.durations) - length) <= len(plan.durations)
    if own < length and others:
        for time, place in zip(plan.durations, plan.places, strict=True):
            assert place not in holds or abs(time - holds[place]) <= 1
        assert max(others) - min(others) <= 1
        assert not plan.notes
    elif own != length:
        assert "all frames are scaled to fit" in plan.notes[0]


def test_a_dissolve_fades_the_end_into_the_beginning() -> None:
    plan = played(8, dissolve=3)
    assert [str(shot) for shot in plan.shots] == ["1x64+6x192", "2x128+7x128", "3x192+8x64", "4", "5"]
    assert len(played(4, dissolve=9).shots) == 2  # at most half of what plays


def test_missing_numbers_are_held_or_blended() -> None:
    gaps = missing_after([1, 2, 5])
    held = plan_rhythm(Gather(gaps="hold"), Rhythm(rate="50"), gaps)
    assert [duration // HUNDREDTH for duration in held.durations] == [2, 6, 2]
    filled = plan_rhythm(Gather(gaps="blend"), Rhythm(rate="50"), gaps)
    assert [str(shot) for shot in filled.shots] == ["1", "2", "2x171+3x85", "2x85+3x171", "3"]
    assert set(filled.durations) == {2 * HUNDREDTH}
    assert filled.places == (1, 2, 2, 2, 3)


@pytest.mark.parametrize("times", [(10, 50, 10), (50, 10, 10)])
def test_a_folded_frame_gives_its_time_to_the_one_before(times: tuple[int, ...]) -> None:
    holds = {place: time * HUNDREDTH for place, time in enumerate(times, 1)}
    plan = plan_rhythm(Gather(folded=frozenset({2})), Rhythm(holds=holds), [0] * 3)
    assert plan.positions == (1, 3)
    assert [duration // HUNDREDTH for duration in plan.durations] == [60, 10]


@given(st.sets(st.integers(1, 8)), st.dictionaries(st.integers(1, 8), st.integers(1, SECOND)))
def test_folding_never_changes_how_long_it_all_lasts(folded: set[int], holds: dict[int, int]) -> None:
    rhythm = Rhythm(rate="25", holds=holds)
    whole = plan_rhythm(Gather(), rhythm, [0] * 8)
    assert sum(plan_rhythm(Gather(folded=frozenset(folded)), rhythm, [0] * 8).durations) == sum(whole.durations)


def test_missing_numbers_beside_a_frame_left_out_are_made_good_from_those_that_are_used() -> None:
    gaps = missing_after([1, 2, 5, 6])  # 3 and 4 are missing
    for unwanted, shots, held in (
        (2, ["1", "1x128+3x128", "1x64+3x192", "3", "4"], [6, 2, 2]),
        (3, ["1", "2", "2x192+4x64", "2x128+4x128", "4"], [2, 6, 2]),
    ):
        out = frozenset({unwanted})
        blended = plan_rhythm(Gather(gaps="blend", left_out=out), Rhythm(rate="50"), gaps)
        assert [str(shot) for shot in blended.shots] == shots
        assert set(blended.durations) == {2 * HUNDREDTH}
        longer = plan_rhythm(Gather(gaps="hold", left_out=out), Rhythm(rate="50"), gaps)
        assert [duration // HUNDREDTH for duration in longer.durations] == held


def test_nothing_is_missing_between_two_sequences_nor_where_numbers_leap() -> None:
    parts = [{"first": 1, "last": 2}, {"first": 3, "last": 5}]
    assert missing_after([1, 2, 11, 14, 15], {"parts": parts}) == [0, 0, 2, 0, 0]
    assert missing_after([1, 2, 11, 14, 15]) == [0, 8, 2, 0, 0]
    assert missing_after([1, 1002, 2004, None, 7, 3]) == [1000, 0, 0, 0, 0, 0]
    for broken in ({"parts": "?"}, {"parts": [{}, 3, {"last": 99}]}):  # a report may come from a file
        assert missing_after([1, 3], broken) == [1, 0]


@given(
    st.lists(st.tuples(st.integers(0, 9), st.integers(1, 999)), min_size=1, max_size=6),
    st.lists(st.tuples(st.integers(0, 9), st.integers(1, 999)), min_size=1, max_size=6),
    st.floats(0, 1),
)
def test_whatever_is_blended_stays_whole_and_can_be_written_down(
    some: list[tuple[int, int]], more: list[tuple[int, int]], share: float
) -> None:
    a, b = Shot.still(some[0][0]), Shot.still(more[0][0])
    for position, weight in some[1:] + more[1:]:
        a, b = blend(a, Shot.still(position), weight / 1000), blend(b, a, weight / 1000)
    shot = blend(a, b, share)
    assert sum(weight for _, weight in shot.parts) == WHOLE
    assert Shot.parse(str(shot)) == shot


def test_what_cannot_be_played_is_refused() -> None:
    with pytest.raises(InputError, match="it would play 30000 frames; the limit is 20000"):
        played(30, cycles=1000)
    with pytest.raises(InputError, match="the limit is 20000"):
        plan_rhythm(Gather(gaps="blend"), Rhythm(), missing_after([1000 * n - n % 2 for n in range(25)]))
    for text in ("", "1x300", "1x100", "a", "1+2", "1x-5+2x261"):
        with pytest.raises(ValueError, match="is not a frame or a blend"):
            Shot.parse(text)
    for first, last in ((5, None), (None, 9)):
        with pytest.raises(InputError, match="does not lie in the 3 frames"):
            positions(3, first=first, last=last)
    with pytest.raises(InputError, match="all frames of the range are left out"):
        positions(2, left_out=(1, 2))
    with pytest.raises(InputError, match="no frames"):
        positions(0)


@pytest.mark.parametrize("by", ["blend", "motion"])
def test_pictures_between_frames_share_their_time(by: str) -> None:
    rhythm = Rhythm(rate="10", between=Between(count=3, by=by))
    plan = plan_rhythm(Gather(), rhythm, [0, 0, 0])
    sign = "~" if by == "motion" else "+"
    shots = ["1", f"1x192{sign}2x64", f"1x128{sign}2x128", f"1x64{sign}2x192", "2"]
    assert [str(shot) for shot in plan.shots][:5] == shots
    assert [Shot.parse(str(shot)) for shot in plan.shots] == list(plan.shots)
    assert (len(plan.shots), sum(plan.durations)) == (9, 3 * SECOND // 10)
    assert plan.durations == (SECOND // 40,) * 8 + (SECOND // 10,)
    assert plan.places == (1,) * 4 + (2,) * 4 + (3,)


@given(st.integers(1, 4), st.integers(1, 5), st.sampled_from(["6", "12.5", "48"]))
def test_pictures_between_are_even_whatever_rate_a_span_has_and_however_thinned(
    count: int, step: int, rate: str
) -> None:
    spans = [{"name": "slow", "first": 4, "last": 9, "rate": rate}]
    rhythm: Any = {"spans": spans, "step": step, "thinned": "same-time", "between": {"count": count}}
    plan = played(12, **rhythm)
    steps = played(12, **{**rhythm, "between": None})
    at = 0
    for place, time in zip(steps.places[:-1], steps.durations[:-1], strict=True):
        parts = plan.durations[at : at + count + 1]
        assert set(plan.places[at : at + count + 1]) == {place}
        assert max(parts) - min(parts) <= 1
        assert abs(sum(parts) - time) <= 1
        at += count + 1
    assert abs(sum(plan.durations) - sum(steps.durations)) <= 1


def test_a_held_frame_stays_held_and_only_chosen_places_get_pictures_between() -> None:
    rhythm = Rhythm(rate="10", holds={2: SECOND}, between=Between(count=1, after=frozenset({2})))
    plan = plan_rhythm(Gather(), rhythm, [0, 0, 0])
    assert [str(shot) for shot in plan.shots] == ["1", "2", "2x128~3x128", "3"]
    assert plan.durations == (SECOND // 10, SECOND * 95 // 100, SECOND // 20, SECOND // 10)
    back = plan_rhythm(Gather(), rhythm.model_copy(update={"direction": "there-and-back"}), [0, 0, 0])
    assert [str(shot) for shot in back.shots] == ["1", "2", "2x128~3x128", "3", "2x128~3x128", "2"]
    empty = Rhythm(order=(1, 0, 2), between=Between(count=1))
    assert [str(shot) for shot in plan_rhythm(Gather(), empty, [0, 0]).shots] == [
        "1", "0x128+1x128", "0", "0x128+2x128", "2",
    ]  # fmt: skip
    with pytest.raises(InputError, match="the limit"):
        plan_rhythm(Gather(), Rhythm(between=Between(count=16)), [0] * 3000)
    for broken in ("1x128~2x64", "1x256~2x0", "1~2~3", "0x128~2x128", "1x64~2x64~3x128"):
        with pytest.raises(ValueError, match="is not a frame"):
            Shot.parse(broken)
