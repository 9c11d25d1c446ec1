"""Numbers, colours and orders as people type them: one table for both readers, and what holds for any."""

import json
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.typed import is_ambiguous, read_colour, read_number, read_order

CASES = json.loads((Path(__file__).parent / "typed.json").read_text(encoding="utf-8"))
READERS: dict[str, Callable[[str], Any]] = {
    "numbers": lambda text: float(read_number(text)),
    "whole": lambda text: float(read_number(text, whole=True)),
    "colours": read_colour,
    "orders": lambda text: list(read_order(text, 18)),
}


@pytest.mark.parametrize(("kind", "text", "wanted"), [(kind, *case) for kind in CASES for case in CASES[kind]])
def test_what_people_type(kind: str, text: str, wanted: Any) -> None:
    if wanted is None:
        with pytest.raises(InputError):
            READERS[kind](text)
    else:
        assert READERS[kind](text) == wanted


@given(st.integers(-(10**6), 10**6), st.integers(0, 3))
def test_point_and_comma_mean_the_same_or_are_asked_about(number: int, decimals: int) -> None:
    exact = Fraction(number, 10**decimals)
    text = f"{float(exact):.{decimals}f}"
    assert read_number(text) == exact
    typed = text.replace(".", ",")
    if is_ambiguous(typed):
        assert decimals == 3
        with pytest.raises(InputError, match="may be"):
            read_number(typed)
    else:
        assert read_number(typed) == exact


@given(st.lists(st.integers(0, 40), min_size=1, max_size=60))
def test_an_order_written_as_a_list_is_that_list(order: list[int]) -> None:
    assert list(read_order(", ".join(map(str, order)), 40)) == order
