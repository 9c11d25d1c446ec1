"""The truest file that fits a budget, found by real encodings: against every file of a grid of settings."""

import itertools
import json
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageSequence
from skimage.metrics import structural_similarity

from jayflick.core.errors import Cancelled
from jayflick.core.progress import Progress
from jayflick.core.recipe import (
    ApngOutput,
    AvifOutput,
    BaseOutput,
    FramesOutput,
    GifOutput,
    Recipe,
    StillOutput,
    Tuning,
    VideoOutput,
    WebpOutput,
)
from jayflick.core.sequence.files import FileFrame, look_at
from jayflick.core.stages import Stages
from jayflick.core.tuning.budget import ENOUGH, USUAL, Found, May, may_change, search
from jayflick.core.tuning.trial import Trial, measure, try_out
from tests.conftest import Pictures, lit_ball, moving_square, save_frames
from tests.core.conftest import Run

Picture = NDArray[np.uint8]


def _lit_alone(frame: Picture) -> Picture:
    """What is light over nothing, its edges soft."""
    shown = frame.copy()
    shown[:, :, 3] = np.clip(shown[:, :, :3].max(axis=2).astype(int) * 3 - 60, 0, 255)
    return shown


CLIPS: dict[str, Pictures] = {
    "ball": lit_ball(6, 120, 68),
    "square": moving_square(6, 96, 64),
    "soft": [_lit_alone(frame) for frame in lit_ball(5, 101, 61)],
}


class Work:
    """A clip with its stages, so that nothing is made twice."""

    def __init__(self, folder: Path, frames: Pictures) -> None:
        self.pictures = frames
        self.frames: list[FileFrame] = list(look_at(save_frames(folder / "in", frames), folder)[1].values())
        self.stages = Stages(folder / "stages")

    def trial(self, output: BaseOutput) -> Trial:
        return try_out(self.recipe(output), self.frames, output, self.stages)

    def fit(self, output: BaseOutput, most: int, may: frozenset[May] = USUAL, **told: Any) -> Found:
        return search(self.recipe(output), self.frames, output.id, most, self.stages, may=may, **told)

    def recipe(self, output: BaseOutput) -> Recipe:
        return Recipe(outputs=(output,))


@pytest.fixture(scope="module")
def works(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Work]:
    return {name: Work(tmp_path_factory.mktemp(name), frames) for name, frames in CLIPS.items()}


PLAIN = GifOutput(tuning=Tuning(dither="none"))


@pytest.mark.parametrize("clip", CLIPS)
def test_no_file_of_a_grid_that_fits_is_truer(works: dict[str, Work], clip: str) -> None:
    work = works[clip]
    grid = [
        work.trial(GifOutput(tuning=Tuning(colours=colours, loss=loss, dither=dither, tolerance=tolerance)))
        for colours, loss, dither, tolerance in itertools.product(
            (8, 32, 64, 128, 256), (0, 20, 40, 60, 80), ("none", "diffusion"), (0, 16)
        )
    ]
    whole = work.trial(PLAIN).size
    for share in (0.9, 0.7, 0.5):
        most = round(whole * share)
        found = work.fit(PLAIN, most)
        assert found.best is not None
        assert found.best.size <= most
        truest = max(one.likeness.ssim or 0 for one in grid if one.size <= most)
        assert (found.best.likeness.ssim or 0) >= truest - 0.001, f"{share} of {whole} bytes"
        assert len(found.trials) <= 13


@pytest.mark.parametrize("share", [0.85, 0.6, 0.45])
def test_the_budget_is_used_where_it_can_be(works: dict[str, Work], share: float) -> None:
    work = works["ball"]
    most = round(work.trial(PLAIN).size * share)
    found = work.fit(PLAIN, most)
    assert found.best is not None
    assert ENOUGH * most <= found.best.size <= most


def test_a_trial_is_as_like_its_frames_as_scikit_image_says_of_what_pillow_reads(
    works: dict[str, Work],
) -> None:
    work = works["ball"]
    trial = work.trial(GifOutput(tuning=Tuning(colours=24, loss=30)))
    assert trial.size == len(trial.rendered.data)
    with Image.open(BytesIO(trial.rendered.data)) as image:
        shown = [np.array(one.convert("RGB")) for one in ImageSequence.Iterator(image)]
    alike = [
        structural_similarity(one, frame[:, :, :3], win_size=7, channel_axis=2)  # type: ignore[no-untyped-call]
        for one, frame in zip(shown, work.pictures, strict=True)
    ]
    assert trial.likeness.ssim == pytest.approx(np.mean(alike), abs=1e-6)
    some = measure(
        work.recipe(trial.output), work.frames, trial.output.id, trial.rendered.timed, work.stages, most=3
    )
    assert some.steps == (0, 2, 4)
    assert [part.ssim for part in some.parts] == pytest.approx([alike[step] for step in some.steps], abs=1e-6)
    assert [part.crawling for part in some.parts] == [None] * 3, "what lies between was not looked at"


@pytest.mark.parametrize(
    ("output", "share"),
    [
        (WebpOutput(file_name="a.webp", quality=95), 0.5),
        (AvifOutput(file_name="a.avif", quality=90, speed=8), 0.5),
        (VideoOutput(file_name="a.mp4", quality=90), 0.7),
        (StillOutput(file_name="a.jpg", picture="jpeg", quality=95), 0.5),
        (FramesOutput(file_name="a.zip", picture="jpeg", pixels="rgb", quality=95), 0.6),
    ],
)
def test_formats_with_a_quality_keep_the_highest_that_fits(
    works: dict[str, Work], output: BaseOutput, share: float
) -> None:
    work = works["ball"]
    most = round(work.trial(output).size * share)
    found = work.fit(output, most)
    assert found.best is not None
    best: Any = found.best.output
    assert found.best.size <= most
    if found.best.size < ENOUGH * most:
        assert work.trial(best.model_copy(update={"quality": best.quality + 1})).size > most


CHANGED: dict[str, dict[str, Any]] = {
    "loss": {"loss": ...},
    "colours": {"colours": ...},
    "tolerance": {"tolerance": ...},
    "colours,tolerance": {"colours": ..., "tolerance": ...},
    "dither": {"dither": ...},
}


@pytest.mark.parametrize("may", CHANGED)
def test_only_what_may_change_does(works: dict[str, Work], may: str) -> None:
    work = works["square"]
    output = GifOutput(tuning=Tuning(colours=96, amount=70, tolerance=4, locked=("#fafa5a",)))
    most = round(work.trial(output).size * 0.8)
    allowed = frozenset(word for word in ("loss", "colours", "tolerance", "dither") if word in may.split(","))
    before = output.tuning.model_dump()
    for trial in work.fit(output, most, allowed).trials:
        assert isinstance(trial.output, GifOutput)
        after = trial.output.tuning.model_dump()
        assert {key for key in after if after[key] != before[key]} <= set(CHANGED[may])
        assert trial.output.model_copy(update={"tuning": output.tuning}) == output


@pytest.mark.parametrize("output", [PLAIN, WebpOutput(file_name="a.webp"), ApngOutput(file_name="a.png")])
def test_what_cannot_fit_is_said_and_the_smallest_is_the_nearest(
    works: dict[str, Work], output: BaseOutput
) -> None:
    found = works["square"].fit(output, 90)
    assert found.best is None
    assert found.nearest.size == min(one.size for one in found.trials)
    assert len(found.trials) <= 13


@pytest.mark.parametrize("output", [PLAIN, WebpOutput(file_name="a.webp"), ApngOutput(file_name="a.png")])
@pytest.mark.parametrize("more", ["size", "rate"])
def test_size_and_rate_give_way_only_when_they_may_and_must(
    works: dict[str, Work], output: BaseOutput, more: May
) -> None:
    work = works["ball"]
    smallest = work.fit(output, 90).nearest.size
    most = round(smallest * 0.62)
    assert work.fit(output, most).best is None
    found = work.fit(output, most, USUAL | {more})
    assert found.best is not None
    best = found.best
    assert best.size <= most
    before = work.trial(output)
    smaller = best.rendered.info["width"] < before.rendered.info["width"]
    slower = len(best.rendered.timed.at) < len(before.rendered.timed.at)
    assert (smaller, slower) == (more == "size", more == "rate")
    if more == "rate":
        assert best.rendered.info["duration_ms"] == pytest.approx(before.rendered.info["duration_ms"], rel=0.1)
    easy = work.fit(output, round(before.size * 0.97), USUAL | {more})
    if easy.best is not None and may_change(output) & USUAL:
        assert easy.best.output.size == output.size
        assert easy.best.output.take == output.take


def test_a_search_is_ended_at_any_moment_and_what_was_tried_is_known(works: dict[str, Work]) -> None:
    work, told = works["ball"], list[Trial]()

    def enough(trial: Trial) -> None:
        told.append(trial)
        if len(told) == 3:
            raise Cancelled("stopped")

    most = round(work.trial(PLAIN).size * 0.5)
    with pytest.raises(Cancelled):
        work.fit(PLAIN, most, on_trial=enough)
    assert len(told) == 3
    assert Found(most, tuple(told)).nearest in told
    calls = list[Progress]()

    def stop(progress: Progress) -> None:
        calls.append(progress)
        raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        work.fit(GifOutput(tuning=Tuning(colours=77)), most, on_progress=stop)
    assert len(calls) == 1


def test_the_same_search_finds_the_same(works: dict[str, Work], tmp_path: Path) -> None:
    cold, warm = Work(tmp_path, CLIPS["ball"]), works["ball"]
    most = round(warm.trial(PLAIN).size * 0.55)
    one, other = cold.fit(PLAIN, most), warm.fit(PLAIN, most)
    assert [trial.output for trial in one.trials] == [trial.output for trial in other.trials]
    assert one.nearest.rendered.data == other.nearest.rendered.data


def test_the_command_line_fits_says_what_it_changed_and_keeps_what_was_typed(tmp_path: Path, run: Run) -> None:
    save_frames(tmp_path / "in", CLIPS["ball"])
    make = ["make", tmp_path / "in", "-o", tmp_path / "a.gif", "--dither", "none", "--force", "--json"]
    whole = json.loads(run(*make)[1])["bytes"]
    most = whole * 6 // 10
    trials = tmp_path / "trials.json"
    status, out, said = run(*make, "--max-bytes", most, "--trials", trials)
    report = json.loads(out)
    assert status == 0
    assert report["budget"] == {"most": most, "met": True, "trials": len(json.loads(trials.read_text()))}
    assert ENOUGH * most <= (tmp_path / "a.gif").stat().st_size == report["bytes"] <= most
    assert f"fitted to {most} bytes by" in said
    tuning = report["options"]["outputs"][0]["tuning"]
    assert tuning["loss"] > 0
    tried = json.loads(trials.read_text())
    assert sum(one["bytes"] == report["bytes"] and one["fits"] for one in tried) >= 1

    typed = json.loads(run(*make, "--max-bytes", most, "--colours", 40, "--loss", 5)[1])
    tuning = typed["options"]["outputs"][0]["tuning"]
    assert (tuning["colours"], tuning["loss"], tuning["dither"]) == (40, 5, "none")
    status, out, said = run(*make, "--max-bytes", 200)
    assert (status, json.loads(out)["budget"]["met"]) == (1, False)
    assert "does not fit 200 bytes" in said
    status, out, said = run(*make, "--max-bytes", most, "--may", "none")
    assert (status, json.loads(out)["bytes"]) == (1, whole)
    assert run(*make, "--max-bytes", most, "--may", "colour")[0] == 2
