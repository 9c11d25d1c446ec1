"""Targets as data, and the check of a file against what one takes.

The figures of those that ship are common practice of the trade without a published source, or our own; each
document says which.
"""

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.recipe import Recipe, Target
from jayflick.core.targets import catalogue
from jayflick.core.targets.catalogue import find, read_target, schema, shipped
from jayflick.core.targets.check import Checked, Facts, check, facts_of, verdict_of
from tests.conftest import applied

SHIPPED = Path(catalogue.__file__).parent / "shipped"
LOOP = Facts("gif", ("loop.gif",), 700_000, 580, 326, 48, False, 2400, 50, 0)


def verdicts(facts: Facts, target: Target) -> dict[str, str]:
    return {one.rule: one.verdict for one in check(facts, target)}


def test_the_targets_that_ship_say_where_their_figures_come_from() -> None:
    names = [target.name for target in shipped()]
    assert sorted(names) == sorted(file.stem for file in SHIPPED.glob("*.json"))
    for target in shipped():
        assert target.title
        assert target.about
        for figure, rule in target.figures.items():
            assert rule.source, (target.name, figure)
            assert rule.warn or rule.stop, (target.name, figure)


@pytest.mark.parametrize(
    ("name", "facts", "wrong"),
    [
        ("page-loop", LOOP, {}),
        ("page-loop", replace(LOOP, bytes=5 * 1024 * 1024 + 1, repeat=1), {"Bytes": "fail", "Repeat": "warn"}),
        ("post", replace(LOOP, width=640, height=360), {"Width": "warn"}),
        ("small-board", LOOP, {"Width": "fail", "Height": "fail"}),
        ("small-board", replace(LOOP, width=400, height=300, bytes=1024 * 1024), {}),
        ("square-thumbnail", replace(LOOP, width=150, height=150, bytes=9000), {}),
        ("square-thumbnail", replace(LOOP, width=151, height=150, bytes=9000), {"Size": "fail"}),
        ("large-post", replace(LOOP, bytes=6 * 1024 * 1024), {"Bytes": "warn"}),
        ("page-loop", replace(LOOP, kind="tga-frames"), {"Format": "fail"}),
        (
            "switcher-transition",
            Facts("png-frames", ("wipe_0000.png",), 1, 1920, 1080, 60, True, 1000, 1000 / 60),
            {},
        ),
        (
            "switcher-transition",
            Facts("png-frames", ("Wipe 1.png",), 1, 1920, 1081, 59, False, 983.3, 1000 / 60),
            {"Size": "fail", "Frames": "fail", "Duration": "fail", "Alpha": "warn", "Name": "fail"},
        ),
        ("overlay", Facts("png-frames", ("bug_1.png",), 1, 640, 360, 301, True), {"Frames": "warn"}),
        ("overlay", Facts("png-frames", ("bug_1.png",), 1, 640, 360, 601, True), {"Frames": "fail"}),
        ("phone-sheet", Facts("sheet", ("sheet.png",), 1, 2048, 2049, 1, True), {"Longest side": "fail"}),
    ],
)
def test_each_rule_is_held_at_its_very_limit(name: str, facts: Facts, wrong: dict[str, str]) -> None:
    found = verdicts(facts, find(name))
    assert {rule: verdict for rule, verdict in found.items() if verdict != "pass"} == wrong
    worst = "fail" if "fail" in wrong.values() else "warn" if wrong else "pass"
    assert verdict_of(check(facts, find(name))) == worst


def test_every_remedy_is_a_change_that_the_recipe_takes_and_that_helps() -> None:
    output = {"format": "gif", "file_name": "My Loop.gif", "target": {"alpha": "none", "plain_name": True}}
    recipe = Recipe.model_validate({"outputs": [output]})
    target = Target.model_validate(
        {
            "sizes": [[400, 300]],
            "figures": {
                "bytes": {"stop": {"most": 100_000}},
                "width": {"stop": {"most": 400}},
                "pixels": {"warn": {"most": 40_000}},
                "fps": {"warn": {"most": 12}},
                "duration_ms": {"stop": {"most": 1000}},
                "frames": {"stop": {"most": 20}},
            },
            "alpha": "none",
            "repeat": 1,
            "plain_name": True,
        }
    )
    facts = replace(LOOP, names=("My Loop.gif",), transparent=True)
    wrong = [one for one in check(facts, target, recipe.outputs[0]) if one.verdict != "pass"]
    assert len(wrong) == 10
    texts = {one.rule: one.remedy.text if one.remedy else one.help for one in wrong}
    assert texts == {
        "Size": "scale to 400 × 300",
        "Bytes": "scale to 124 × 70",
        "Width": "scale to 400 × 225",
        "Pixels": "scale to 266 × 150",
        "Rate": "thin to 11.11 fps",
        "Duration": "play in 1 s",
        "Frames": "thin to 8 fps in the same time",
        "Alpha": "lay over the page colour",
        "Repeat": "play once",
        "Name": "rename to my-loop.gif",
    }
    changed = recipe
    for one in wrong:
        if one.remedy:
            changed = applied(changed, one.remedy)
    done = changed.outputs[0].model_dump()
    assert (done["alpha"]["edges"], done["take"]["rate"], done["file_name"]) == ("fill", "8", "my-loop.gif")
    assert (done["take"]["repeat"], done["take"]["length"]) == (1, 705_600_000)
    assert changed.rhythm == recipe.rhythm


def test_facts_are_those_of_the_files_and_a_set_without_time_has_no_rate() -> None:
    recipe = Recipe.model_validate({"outputs": [{"format": "still", "file_name": "a.png"}]})
    info = {"bytes": 9, "width": 8, "height": 7, "count": 1, "transparent": True, "duration_ms": 0, "repeat": 1}
    facts = facts_of(recipe.outputs[0], info, ["a.png"], [1000.0])
    assert (facts.kind, facts.duration_ms, facts.repeat) == ("still", None, None)
    assert "Rate" not in verdicts(replace(facts, kind="png-frames"), find("effect-set"))


@pytest.mark.parametrize(
    ("document", "message"),
    [
        (b'{\n "name": "x",\n "title": }', "line 3, column 11"),
        (b'{"name": "x"}', "it has no name or no title"),
        (b'{"name": "X y",\n "title": "t"}', "line 1, name"),
        (
            b'{"name": "x", "title": "t",\n "figures": {"bytes":\n {"stop": {"most": -1}}}}',
            "line 3, figures.bytes.stop.most",
        ),
        (b'{"name": "x", "title": "t", "figures": {"warp": {}}}', "figures.warp"),
        (b'{"name": "x", "title": "t",\n\n "colour": 1}', "line 3, colour"),
        (
            b'{"name": "x", "title": "t", "figures": {"width": {"stop": {"least": 9, "most": 2}}}}',
            "is more than the most",
        ),
        (b"[" * 100_000, "larger than 64 KB"),
        (b"[" * 60_000, "its lists lie too deep"),
        (b"\xff\xfe", "is not UTF-8 text"),
        (b'{"name": "x", "title": "t", "figures": {"width": {"stop": {"most": 1e999}}}}', "figures.width"),
    ],
)
def test_a_broken_target_is_refused_with_the_line_that_is_wrong(document: bytes, message: str) -> None:
    with pytest.raises(InputError) as refused:
        read_target(document, "own.json")
    assert refused.value.file == "own.json"
    assert message in str(refused.value)


ANYTHING = st.recursive(
    st.none() | st.booleans() | st.floats() | st.text(),
    lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner),
)


@given(ANYTHING)
def test_whatever_a_document_holds_it_is_a_target_or_refused(value: Any) -> None:
    with pytest.raises(InputError):
        read_target(json.dumps(value).encode(), "own.json")


@pytest.mark.parametrize("most", [1024, 1536, 1024 * 1024, 3_000_000])
@pytest.mark.parametrize("over", [1, 100, 511])
def test_what_is_over_a_limit_of_bytes_never_reads_as_the_limit(most: int, over: int) -> None:
    target = Target.model_validate({"figures": {"bytes": {"stop": {"most": most // 1024 * 1024}}}})
    (rule,) = check(replace(LOOP, bytes=most // 1024 * 1024 + over), target)
    assert rule.verdict == "fail"
    assert f"at most {rule.measured}" != rule.allowed


def test_a_target_survives_being_written_down_and_its_schema_stands_in_the_docs() -> None:
    for target in shipped():
        assert read_target(target.model_dump_json().encode(), "again.json") == target
    assert Path("docs/target.schema.json").read_text() == schema()


def test_no_rule_is_silently_passed_over() -> None:
    whole = Target.model_validate(
        {"figures": {name: {"stop": {"most": 1e9}} for name in ("bytes", "width", "height", "longest_side")}}
    )
    rules: list[Checked] = check(LOOP, whole)
    assert [one.rule for one in rules] == ["Bytes", "Width", "Height", "Longest side"]
