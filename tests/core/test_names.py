"""Counters in file names, and sequences found by them."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.pictures.header import Header
from jayflick.core.recipe import Gather, Recipe
from jayflick.core.sequence.gather import Found, gather, missing_after, numbers_in_words, ordinal
from jayflick.core.sequence.names import split_name, title_of
from jayflick.core.sequence.settled import open_questions

SIZE = Header(64, 48, "8-bit RGBA", True)


def found(name: str, header: Header = SIZE) -> Found:
    return Found(name, header)


@given(
    st.lists(st.integers(0, 10**6), min_size=4, unique=True),
    st.integers(0, 8),
    st.sampled_from(["", "_", ".", "-v2 "]),
)
def test_order_is_by_number_whatever_the_padding(numbers: list[int], padding: int, separator: str) -> None:
    names = [f"wave{separator}{number:0{padding}}.png" for number in numbers]
    random.Random(1).shuffle(names)
    (sequence,), ignored = gather(map(found, names))
    assert ignored == []
    assert sequence.numbers == sorted(numbers)


def test_ten_comes_after_nine() -> None:
    (sequence,), _ = gather(map(found, ["7.png", "10.png", "9.png", "8.png"]))
    assert [file.name for file in sequence.files] == ["7.png", "8.png", "9.png", "10.png"]


def test_the_counter_is_the_last_number_of_the_name_and_never_the_ending() -> None:
    parts = split_name("shot2_take3_0012.mp4")
    assert (parts.stem, parts.number, parts.tail) == ("shot2_take3_", 12, ".mp4")
    assert split_name("gull-NE-fly.0012.png").pattern == "gull-NE-fly.#.png"
    assert split_name("wave 0003 final.png").pattern == "wave #" + " final.png"
    assert split_name("logo.png").number is None


def test_the_report_names_what_is_wrong() -> None:
    files = [found(f"w_{n}.png") for n in (1, 2, 5, 6)]
    files += [found("w_06.png"), found("w_7.png", Header(64, 50, "8-bit RGBA", True)), found("other_1.png")]
    files += [Found("w_8.png", None, InputError("the file is empty (0 bytes)", file="w_8.png", remedy="again"))]
    files += [Found("notes.txt", None, InputError("not a PNG picture"))]
    (main, other), ignored = gather(files)
    document = main.document()
    assert (document["count"], document["first"], document["last"]) == (6, 1, 7)
    assert document["missing"] == [3, 4]
    assert document["repeated"] == [6]
    assert document["sizes"] == {"64x48": 5, "64x50": 1}
    kinds = {problem["kind"]: problem for problem in document["problems"]}
    assert kinds["missing"]["message"] == "numbers missing: 3–4"

    assert kinds["unreadable"]["file"] == "w_8.png"
    assert "64 × 50" in kinds["size"]["message"]
    assert other.pattern == "other_#.png"
    assert ignored == [{"file": "notes.txt", "message": "not a PNG picture"}]


@pytest.mark.parametrize(
    ("numbers", "step", "missing"),
    [
        (range(0, 40, 2), 2, []),
        ([5, 10, 20, 25, 30], 5, [15]),  # every fifth was rendered, and one of those is missing
        ([1, 2, 4, 6, 8], 1, [3, 5, 7]),
        ([1, 2, 3, 9], 1, [4, 5, 6, 7, 8]),
    ],
)
def test_numbers_that_step_evenly_are_not_missing_what_lies_between(
    numbers: list[int], step: int, missing: list[int]
) -> None:
    (sequence,), _ = gather(found(f"turn_{number}.png") for number in numbers)
    assert sequence.missing == missing
    kinds = {problem["kind"]: problem["message"] for problem in sequence.problems}
    assert ("stride" in kinds, "missing" in kinds) == (step > 1, bool(missing))
    assert step == 1 or f"every {ordinal(step)} number" in kinds["stride"]
    assert sum(missing_after(sequence.numbers)) == len(missing)
    words = [ordinal(n) for n in (1, 2, 3, 4, 11, 12, 22, 113)]
    assert words == ["1st", "2nd", "3rd", "4th", "11th", "12th", "22nd", "113th"]


def test_two_photographs_far_from_each_other_are_no_sequence() -> None:
    sequences, _ = gather(map(found, ["DSC_0412.JPG", "DSC_0430.JPG", "a_1.png", "a_2.png", "a_4.png"]))
    assert [sequence.pattern for sequence in sequences] == ["a_#.png", "DSC_0412.JPG", "DSC_0430.JPG"]
    assert [sequence.missing for sequence in sequences] == [[3], [], []]


def test_what_a_remedy_settled_asks_no_more() -> None:
    files = [found(f"w_{n}.png") for n in (1, 2, 5, 6)]
    files += [found("w_06.png"), found("w_7.png", Header(64, 50, "8-bit RGBA", True))]
    (sequence,), _ = gather(files)
    assert open_questions(sequence.problems, Recipe()) == 3
    settled = Gather(gaps="hold", sizes="scale", left_out=frozenset({5}))
    assert open_questions(sequence.problems, Recipe(gather=settled)) == 0


def test_numbers_and_titles_read_well() -> None:
    assert numbers_in_words([3, 5, 6, 7, 12]) == "3, 5–7, 12"
    assert numbers_in_words(list(range(0, 40, 2))).endswith("and 12 more runs")
    assert title_of("dusk_lamp_#.png") == "Dusk lamp"
    assert title_of("#.png") == "Frames"


@pytest.mark.parametrize(
    ("times", "backwards"),
    [
        ([50, 40, 30, 20, 10], True),
        ([50, 50, 40, 30, 10], True),  # a zip tells the time to two seconds
        ([10, 20, 30, 40, 50], False),
        ([50, 40, 30, 20, 60], False),
        ([20, 20, 20, 10, 10], False),  # copied in one go
        ([50, 40, 30, 20, None], False),
    ],
)
def test_files_written_from_the_last_to_the_first_may_run_backwards(
    times: list[float | None], backwards: bool
) -> None:
    files = [
        Found(f"tern_{number}.png", Header(8, 8, "RGB", False), written=written)
        for number, written in enumerate(times, 1)
    ]
    (sequence,), _ = gather(files)
    assert [problem["kind"] for problem in sequence.problems] == ["backwards"] * backwards
