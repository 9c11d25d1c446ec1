"""Trials that nobody set by hand: a spread of them, and an output in other formats."""

import math
from itertools import pairwise
from pathlib import Path

import pytest

from jayflick.core.recipe import (
    ApngOutput,
    BaseOutput,
    GifOutput,
    Kind,
    Recipe,
    SheetOutput,
    StillOutput,
    Target,
    Tuning,
    WebpOutput,
)
from jayflick.core.sequence.files import look_at
from jayflick.core.stages import Stages
from jayflick.core.tuning.budget import USUAL, May
from jayflick.core.tuning.kinds import ABOUT, MOST_TRIALS, as_kind, in_other_formats, other_kinds
from jayflick.core.tuning.spread import spread
from jayflick.core.tuning.trial import Trial
from tests.conftest import Pictures, lit_ball, save_frames

BALL = lit_ball(5, 96, 54)


def work(folder: Path, pictures: Pictures = BALL) -> tuple[list, Stages]:  # type: ignore[type-arg]
    frames = list(look_at(save_frames(folder / "in", pictures), folder)[1].values())
    return frames, Stages(folder / "stages")


@pytest.mark.parametrize(
    ("output", "may"),
    [
        (GifOutput(tuning=Tuning(dither="none", locked=("#ff8000",))), USUAL),
        (GifOutput(tuning=Tuning(dither="none", loss=10)), frozenset({"colours"})),
        (WebpOutput(file_name="a.webp"), USUAL),
    ],
)
def test_a_spread_fills_the_widest_gaps_and_changes_only_what_may(
    tmp_path: Path, output: BaseOutput, may: frozenset[May]
) -> None:
    frames, stages = work(tmp_path)
    told: list[Trial] = []
    trials = spread(Recipe(outputs=(output,)), frames, output.id, stages, may=may, on_trial=told.append, most=8)
    assert list(trials) == told
    assert trials[0].output == output
    outputs = [one.output for one in trials]
    assert all(one not in outputs[:at] for at, one in enumerate(outputs)), "each once"
    sizes = sorted(math.log(one.size) for one in trials)
    widest = max(after - before for before, after in pairwise(sizes))
    # Nine evenly apart would leave an eighth of the whole between each two.
    assert widest <= 3.2 * (sizes[-1] - sizes[0]) / (len(sizes) - 1)
    for one in outputs:
        assert one.model_dump(exclude={"tuning", "quality"}) == output.model_dump(exclude={"tuning", "quality"})
        if isinstance(one, GifOutput) and isinstance(output, GifOutput):
            assert one.tuning.locked == output.tuning.locked
            if may == {"colours"}:
                assert one.tuning == output.tuning.model_copy(update={"colours": one.tuning.colours})
    again = spread(
        Recipe(outputs=(output,)),
        frames,
        output.id,
        stages,
        may=may,
        known=[(one.output, one.size) for one in trials],
        most=3,
    )
    assert all(one.output not in outputs for one in again[1:]), "what is known is not tried again"


def test_nothing_is_spread_where_nothing_may_change(tmp_path: Path) -> None:
    frames, stages = work(tmp_path)
    recipe = Recipe(outputs=(ApngOutput(file_name="a.png"),))
    assert len(spread(recipe, frames, "page", stages, may=USUAL)) == 1


@pytest.mark.parametrize(
    "output",
    [GifOutput(tuning=Tuning(colours=48, dither="none")), WebpOutput(file_name="loop.webp", quality=40)],
)
def test_other_formats_come_about_as_like_their_frames(tmp_path: Path, output: BaseOutput) -> None:
    frames, stages = work(tmp_path)
    trials = in_other_formats(Recipe(outputs=(output,)), frames, output.id, stages)
    wanted = trials[0].error
    by_kind: dict[Kind, list[Trial]] = {}
    for trial in trials[1:]:
        by_kind.setdefault(trial.output.kind, []).append(trial)
        assert trial.output.file_name.lower().endswith(trial.output.endings)
        assert trial.rendered.info["count"] == 5
        assert (trial.rendered.info["width"], trial.output.id) == (96, output.id)
    assert set(by_kind) == set(other_kinds(output))
    assert all(len(tried) <= MOST_TRIALS for tried in by_kind.values())
    for kind, tried in by_kind.items():
        near = min(tried, key=lambda one: abs(one.error - wanted))
        ends = [getattr(one.output, "quality", 100) in (0, 100) for one in tried]
        assert abs(near.error - wanted) <= max(ABOUT, wanted / 4) or any(ends), f"{kind}: {near.error}"
    assert by_kind["apng"][0].error == pytest.approx(0, abs=1e-12)


def test_what_loses_nothing_is_asked_for_without_loss(tmp_path: Path) -> None:
    frames, stages = work(tmp_path)
    target = Target(formats=("apng", "webp"))
    output = ApngOutput(file_name="a.png", target=target)
    trials = in_other_formats(Recipe(outputs=(output,)), frames, output.id, stages)
    assert [(one.output.kind, one.error) for one in trials] == [("apng", 0.0), ("webp", 0.0)]


@pytest.mark.parametrize("output", [SheetOutput(file_name="a.png"), StillOutput(file_name="a.png")])
def test_only_what_plays_has_other_formats(output: BaseOutput) -> None:
    assert other_kinds(output) == ()


def test_the_page_colour_goes_along() -> None:
    filled = GifOutput.model_validate({"alpha": {"edges": "fill", "matte": "#102030"}})
    assert getattr(as_kind(filled, "webp"), "over", None) == "#102030"
    back = as_kind(as_kind(filled, "webp"), "gif")
    assert isinstance(back, GifOutput)
    assert (back.alpha.edges, back.alpha.matte) == ("matte", "#102030")
    cut = GifOutput.model_validate({"alpha": {"edges": "cutoff", "matte": "#102030"}})
    assert getattr(as_kind(cut, "webm"), "over", "?") is None
    assert getattr(as_kind(cut, "mp4"), "over", None) == "#102030", "MP4 has no alpha"
