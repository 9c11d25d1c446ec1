"""One thing set in outputs of any format, and where the files of many projects go."""

from typing import Any, get_args

import pytest

from jayflick.core.adjusted import Setting, as_tried, with_budget, with_setting, with_target
from jayflick.core.errors import InputError
from jayflick.core.places import filled, need_apart, path_of
from jayflick.core.recipe import (
    ApngOutput,
    AvifOutput,
    FramesOutput,
    GifOutput,
    Recipe,
    SheetOutput,
    StillOutput,
    Target,
    VideoOutput,
    WebpOutput,
)

OUTPUTS = (
    GifOutput(id="gif"),
    ApngOutput(id="apng", file_name="loop.png"),
    WebpOutput(id="webp", file_name="loop.webp"),
    WebpOutput(id="lossless", file_name="exact.webp", lossless=True),
    AvifOutput(id="avif", file_name="loop.avif"),
    VideoOutput(id="mp4", file_name="loop.mp4"),
    VideoOutput(id="mov", file_name="loop.mov", codec="prores"),
    FramesOutput(id="tga", file_name="set.zip", picture="tga"),
    StillOutput(id="jpeg", file_name="first.jpg", picture="jpeg"),
    SheetOutput(id="sheet", file_name="sheet.png"),
)
RECIPE = Recipe(outputs=OUTPUTS)
EVERY = {one.id for one in OUTPUTS}
LOSSY = {"webp", "avif", "mp4", "jpeg"}
HAVE: dict[str, set[str]] = {
    "quality": LOSSY,
    "lossless": {"webp", "lossless"},
    "width": EVERY - {"sheet"},
    "height": EVERY - {"sheet"},
    "rate": EVERY,
    "repeat": EVERY,
}
VALUES: dict[str, tuple[object, object]] = {
    "palette": ("frame", "all"),
    "dither": ("noise", "a little"),
    "lossless": (True, "perhaps"),
    "rate": ("12.5", "0"),
}
"""Of each setting one that is taken, and one that is none."""


@pytest.mark.parametrize("setting", get_args(Setting))
def test_a_setting_changes_the_outputs_that_have_it_and_no_other(setting: Setting) -> None:
    good, bad = VALUES.get(setting, (20, -1))
    found, notes = with_setting(RECIPE, EVERY, setting, good)
    have = HAVE.get(setting, {"gif"})
    changed = {one.id for one, before in zip(found.outputs, OUTPUTS, strict=True) if one != before}
    assert changed == have - ({"lossless"} if setting == "lossless" else set())
    assert len(notes) == len(EVERY - have)
    assert with_setting(RECIPE, set(), setting, good) == (RECIPE, [])
    assert with_setting(found, EVERY, setting, good)[0] == found
    with pytest.raises(InputError, match=f"^{setting} {bad}: "):
        with_setting(RECIPE, EVERY, setting, bad)


def test_a_side_that_is_set_takes_the_other_with_it() -> None:
    wide, _ = with_setting(RECIPE, {"gif"}, "width", 300)
    high, _ = with_setting(wide, {"gif"}, "height", 200)
    assert [(one.output("gif").size.width, one.output("gif").size.height) for one in (wide, high)] == [
        (300, None),
        (None, 200),
    ]


def test_a_target_is_set_where_it_is_taken_and_a_budget_makes_it_ones_own() -> None:
    found, notes = with_target(RECIPE, EVERY, Target(name="post", title="Post", formats=("gif", "mp4")))
    assert {one.id for one in found.outputs if one.target is not None} == {"gif", "mp4"}
    assert len(notes) == len(EVERY) - 2
    named = found.output("gif")
    own = with_budget(named, 5000)
    assert own.target is not None
    assert (own.target.name, own.target.most_bytes, own.target.formats) == ("", 5000, ("gif", "mp4"))
    assert with_budget(own, 5000) is own, "nothing is changed that is so"
    assert with_target(found, EVERY, None)[0] == RECIPE


def test_an_output_is_set_as_a_trial_of_any_format_and_keeps_its_name() -> None:
    now = GifOutput(id="page", name="Page", file_name="tern.gif")
    for tried in OUTPUTS[:6]:
        document: dict[str, Any] = tried.model_dump(exclude={"id", "name", "target"})
        found = as_tried(now, document)
        ending = ".gif" if tried.format == "gif" else tried.endings[0]
        assert (found.id, found.name, found.format) == ("page", "Page", tried.format)
        assert found.file_name in (f"tern{ending}", "tern.png")


@pytest.mark.parametrize("project", ["Tern", "{file}", "{output} {project}", "../..", "a/b", "CON", "Über"])
def test_no_name_leads_elsewhere_or_is_taken_for_a_place(project: str) -> None:
    path = path_of("{project}/{output}-{file}", project, "{file}", "set/0001.png")
    folder, second, file = path.split("/")
    assert folder
    assert not folder.startswith(".")
    assert (second, file) == ("{file}-set", "0001.png")
    assert path_of("{file}", project, "GIF", "loop.gif") == "loop.gif"
    assert filled("{sequence}/{other}", {"sequence": "{other}"}) == "{other}/{other}"


def test_files_that_differ_only_in_case_are_in_each_others_way() -> None:
    need_apart([("Tern/loop.gif", "Tern"), ("Gull/loop.gif", "Gull")])
    with pytest.raises(InputError, match="Tern and tern would have the same file"):
        need_apart([("Tern/loop.gif", "Tern"), ("tern/Loop.gif", "tern")])
