"""Exact time, and its spreading over the units of a format."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.recipe import Gather, Rhythm
from jayflick.core.timing.conform import GIF_FLOOR, conform
from jayflick.core.timing.flicks import HUNDREDTH, MILLISECOND, SECOND, even_durations, parse_delay, parse_rate
from jayflick.core.timing.plan import plan_rhythm


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


def test_delays_and_rates_are_read_with_their_unit() -> None:
    assert {parse_delay(text) for text in ("40ms", "4cs", "0.04s")} == {4 * HUNDREDTH}
    assert parse_rate("12.5") == Fraction(25, 2)
    for wrong in ("", "0", "fast", "1/0", "-3", "2000"):
        with pytest.raises(InputError, match="not a rate"):
            parse_rate(wrong)
    for wrong in ("4", "0ms", "-1s", "2h", "99999s"):
        with pytest.raises(InputError, match="not a delay"):
            parse_delay(wrong)


def positions(count: int, left_out: tuple[int, ...] = (), **rhythm: object) -> list[int]:
    plan = plan_rhythm(Gather(left_out=frozenset(left_out)), Rhythm.model_validate(rhythm), [None] * count)
    return list(plan.positions)


def test_order_follows_range_step_direction_and_what_is_left_out() -> None:
    assert positions(6) == [1, 2, 3, 4, 5, 6]
    assert positions(10, first=3, last=9, step=3) == [3, 6, 9]
    assert positions(4, direction="reverse") == [4, 3, 2, 1]
    assert positions(30, step=3) == list(range(1, 31, 3))  # 30 to 10 a second keeps one of three
    assert positions(5, left_out=(2, 5)) == [1, 3, 4]


@given(st.integers(2, 60))
def test_there_and_back_doubles_neither_end(count: int) -> None:
    # Common practice, no published source: 2N - 2 frames.
    order = positions(count, direction="there-and-back")
    assert len(order) == 2 * count - 2
    assert all(abs(a - b) == 1 for a, b in zip(order, order[1:] + order[:1], strict=True))


def test_holds_belong_to_a_frame_in_both_directions() -> None:
    rhythm = Rhythm(rate="25", holds={2: SECOND}, direction="there-and-back")
    plan = plan_rhythm(Gather(), rhythm, [1, 2, 3])
    assert plan.positions == (1, 2, 3, 2)
    assert [duration // HUNDREDTH for duration in plan.durations] == [4, 100, 4, 100]


def test_what_cannot_be_played_is_refused() -> None:
    for first, last in ((5, None), (None, 9)):
        with pytest.raises(InputError, match="does not lie in the 3 frames"):
            positions(3, first=first, last=last)
    with pytest.raises(InputError, match="all frames of the range are left out"):
        positions(2, left_out=(1, 2))
    with pytest.raises(InputError, match="no frames"):
        positions(0)
