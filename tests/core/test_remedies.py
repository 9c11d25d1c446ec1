"""Every remedy of every target, pressed: its rule passes, none that passed breaks, the picture keeps its
proportions, and other outputs are what they were."""

from typing import Any

import pytest

from jayflick.core.formats.picture import ENDINGS
from jayflick.core.formats.sheet.plan import plan_sheet
from jayflick.core.framing.frames import Framed
from jayflick.core.recipe import FramesOutput, Recipe, SheetOutput, Target
from jayflick.core.render import Rendered, render
from jayflick.core.sequence.files import FileFrame, look_at
from jayflick.core.stages import Stages
from jayflick.core.targets.catalogue import find, shipped
from jayflick.core.targets.check import Checked, check, facts_of
from tests.conftest import applied, lit_ball, save_frames

WORST = ("pass", "warn", "fail")
OTHER = {"format": "gif", "id": "other", "name": "Other", "file_name": "other.gif"}
FORMATS: dict[str, dict[str, Any]] = {
    "gif": {"format": "gif", "file_name": "a.gif"},
    "apng": {"format": "apng", "file_name": "a.png", "effort": 1},
    "webp": {"format": "webp", "file_name": "a.webp", "quality": 30, "effort": 0},
    "mp4": {"format": "video", "codec": "h264", "file_name": "a.mp4", "over": "#000000"},
    "set": {"format": "frames", "file_name": "set.zip", "names": "a_####"},
    "still": {"format": "still", "file_name": "a.jpg", "picture": "jpeg", "over": "#000000"},
    "sheet": {"format": "sheet", "file_name": "a.png", "columns": 3, "widest": 4096},
}
SIZES: tuple[dict[str, Any], ...] = (
    {},
    {"width": 700},
    {"width": 700, "height": 700, "fit": "contain"},
    {"width": 500, "height": 500, "fit": "scale-down"},
    {"width": 90, "height": 90, "fit": "place", "at": [-9, 4], "picture": {"percent": 140}},
)
RHYTHMS: tuple[dict[str, Any], ...] = (
    {"rate": "24"},
    {"rate": "50", "repeat": 2},
    {"rate": "10", "holds": {"3": 705_600_000}},
)


@pytest.fixture(scope="module")
def frames(tmp_path_factory: pytest.TempPathFactory) -> list[FileFrame]:
    folder = tmp_path_factory.mktemp("ball")
    return list(look_at(save_frames(folder / "in", lit_ball(9, 160, 90)), folder)[1].values())


@pytest.fixture(scope="module")
def stages(tmp_path_factory: pytest.TempPathFactory) -> Stages:
    return Stages(tmp_path_factory.mktemp("stages"))


def checked(recipe: Recipe, frames: list[FileFrame], stages: Stages) -> tuple[Rendered, dict[str, Checked]]:
    output = recipe.outputs[0]
    made = render(recipe, frames, output.id, stages)
    names = [output.file_name]
    if isinstance(output, FramesOutput):
        names = [output.names.replace("#", "0") + ENDINGS[output.picture]]
    facts = facts_of(output, made.info, names, [float(delay) for delay in made.held.milliseconds])
    assert output.target is not None
    return made, {one.rule: one for one in check(facts, output.target, output)}


def drawn(recipe: Recipe, frames: list[FileFrame], stages: Stages) -> tuple[int, int]:
    """How large the whole picture is drawn."""
    output = recipe.outputs[0]
    placed = Framed(frames, recipe.framing_of(output), output.size, stages, recipe.gather).cut(1)[1]
    return placed.picture


def exactly(**figures: float) -> dict[str, Any]:
    return {name: {"stop": {"least": value, "most": value}} for name, value in figures.items()}


OWN = tuple(
    Target.model_validate(one)
    for one in (
        {"name": "few-bytes", "figures": {"bytes": {"stop": {"most": 6000}}}},
        {"name": "fewer-bytes", "figures": {"bytes": {"stop": {"most": 2500}}}},
        {"name": "square-and-small", "sizes": [[60, 60]], "figures": {"bytes": {"stop": {"most": 4000}}}},
        {"name": "transition", "sizes": [[160, 90]], "figures": exactly(frames=12, fps=60, duration_ms=200)},
        {"name": "short", "figures": {"frames": {"stop": {"most": 5}}, "duration_ms": {"stop": {"most": 300}}}},
        {"name": "one-pass", "repeat": 1, "figures": {"pixels": {"stop": {"most": 5000}}}},
    )
)


@pytest.mark.parametrize("form", FORMATS)
@pytest.mark.parametrize(
    "target", [*(one for one in shipped() if not one.cover), *OWN], ids=lambda one: str(one.name)
)
def test_a_remedy_does_what_it_says_and_nothing_else(
    target: Any, form: str, frames: list[FileFrame], stages: Stages
) -> None:
    pressed = 0
    for size, rhythm in zip((*SIZES, {}, {}), (*RHYTHMS[:1] * len(SIZES), *RHYTHMS[1:]), strict=True):
        output = {**FORMATS[form], "size": size, "target": target.model_dump()}
        recipe = Recipe.model_validate({"rhythm": rhythm, "outputs": [output, OTHER]})
        if max(drawn(recipe, frames, stages)) > 2000:
            continue
        _, before = checked(recipe, frames, stages)
        for rule, one in before.items():
            if one.remedy is None:
                assert one.verdict == "pass" or one.help, (rule, "says neither what to press nor what to do")
                continue
            pressed += 1
            after = applied(recipe, one.remedy)
            assert after.outputs[1] == recipe.outputs[1]
            assert (after.rhythm, after.framing, after.gather) == (recipe.rhythm, recipe.framing, recipe.gather)
            _, now = checked(after, frames, stages)
            said = f"{one.remedy.text}, of {rule}: {one.measured} for {one.allowed}"
            assert rule not in now or now[rule].verdict == "pass", f"{said}; now {now[rule].measured}"
            for name, found in now.items():
                was = before[name].verdict if name in before else "pass"
                assert WORST.index(found.verdict) <= WORST.index(was), f"{said} breaks {name}"
            width, height = drawn(after, frames, stages)
            assert abs(width * 90 - height * 160) <= 160, f"{said} distorts: {width} × {height}"
    if target in OWN and form not in ("still", "set", "sheet"):
        assert pressed, "no remedy was offered at all"


def test_a_sheet_scaled_to_fit_keeps_the_proportions_of_what_is_on_its_canvas(
    frames: list[FileFrame], stages: Stages
) -> None:
    for size in (*SIZES[2:], {}, {"width": 49, "height": 85, "fit": "cover"}, {"width": 120}):
        output = SheetOutput(file_name="sheet.png", widest=128, layout="even", columns=3)
        output = SheetOutput.model_validate({**output.model_dump(), "size": size})
        recipe = Recipe(outputs=(output,))
        plan = plan_sheet(recipe, frames, output, stages, measure=True)
        assert plan is not None
        assert plan.scaled is not None
        scaled = next(remedy for remedy in plan.remedies if remedy.text.startswith("scale to"))
        after = applied(recipe, scaled)
        width, height = drawn(after, frames, stages)
        assert abs(width / 160 - height / 90) * 90 <= 1.5, (size, width, height)
        again = plan_sheet(after, frames, after.outputs[0], stages, measure=True)  # type: ignore[arg-type]
        assert again is not None
        assert not again.laid.layout.off


def test_what_is_smaller_than_a_canvas_is_enlarged_only_if_asked(
    frames: list[FileFrame], stages: Stages
) -> None:
    target = find("effect-set")

    def standing(**size: Any) -> tuple[tuple[int, int], dict[str, Checked]]:
        output = {
            **FORMATS["set"],
            "size": {"width": 500, "height": 500, **size},
            "target": target.model_dump(),
        }
        recipe = Recipe.model_validate({"outputs": [output]})
        return drawn(recipe, frames, stages), checked(recipe, frames, stages)[1]

    size, rules = standing(fit=target.preset.fit)
    assert (size, rules["Size"].verdict) == ((160, 90), "pass")
    assert "Enlarged" not in rules
    size, rules = standing(fit="contain")
    assert (size, rules["Enlarged"].verdict, rules["Enlarged"].measured) == ((500, 281), "warn", "to 312 %")
