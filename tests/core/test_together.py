"""One budget over several outputs: the worst of them as true as can be."""

import itertools
from pathlib import Path

import numpy as np
import pytest

from jayflick.core.errors import Cancelled
from jayflick.core.recipe import AvifOutput, BaseOutput, GifOutput, Recipe, Size, Tuning, WebpOutput
from jayflick.core.sequence.files import look_at
from jayflick.core.stages import Stages
from jayflick.core.tuning.choice import Candidate, shared_out
from jayflick.core.tuning.together import FoundTogether, search_together
from tests.conftest import lit_ball, save_frames

OUTPUTS: tuple[BaseOutput, ...] = (
    GifOutput(id="page", tuning=Tuning(dither="none")),
    GifOutput(id="small", file_name="s.gif", size=Size(width=60), tuning=Tuning(dither="none")),
    WebpOutput(id="webp", file_name="w.webp", quality=90),
)


def test_of_all_choices_the_one_whose_worst_is_best_is_taken() -> None:
    random = np.random.default_rng(7)
    for _ in range(60):
        outputs = [
            [
                Candidate(int(size), round(float(lost), 3), None)
                for size, lost in zip(random.integers(10, 100, count), random.random(count), strict=True)
            ]
            for count in random.integers(1, 6, random.integers(1, 5))
        ]
        most = int(random.integers(20, 320))
        picks = shared_out(outputs, most)
        fitting = [chosen for chosen in itertools.product(*outputs) if sum(one.size for one in chosen) <= most]
        if picks is None:
            assert not fitting
            continue
        chosen = [trials[at] for trials, at in zip(outputs, picks, strict=True)]
        assert sum(one.size for one in chosen) <= most
        assert max(one.error for one in chosen) == min(max(one.error for one in some) for some in fitting)
        left = most - sum(one.size for one in chosen)
        for trials, one in zip(outputs, chosen, strict=True):
            assert not any(other.error < one.error and other.size <= one.size + left for other in trials)


class Work:
    def __init__(self, folder: Path) -> None:
        frames = save_frames(folder / "in", lit_ball(5, 120, 68))
        self.frames = list(look_at(frames, folder)[1].values())
        self.stages = Stages(folder / "stages")

    def fit(self, most: int, outputs: tuple[BaseOutput, ...] = OUTPUTS, **more: object) -> FoundTogether:
        ids = [one.id for one in outputs]
        return search_together(Recipe(outputs=outputs), self.frames, ids, most, self.stages, **more)  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def work(tmp_path_factory: pytest.TempPathFactory) -> Work:
    return Work(tmp_path_factory.mktemp("together"))


@pytest.mark.parametrize("share", [0.8, 0.5])
def test_a_budget_is_shared_out_so_that_all_lose_about_as_much(work: Work, share: float) -> None:
    whole = sum(tried[0].size for tried in work.fit(10**9).trials.values())
    most = round(whole * share)
    found = work.fit(most)
    best = found.best
    assert best is not None
    assert 0.9 * most <= sum(one.size for one in best.values()) <= most
    # Shared out by what they take now, the worst is worse.
    alone = {
        key: min((one for one in tried if one.size <= most * tried[0].size / whole), key=lambda one: one.error)
        for key, tried in found.trials.items()
    }
    assert max(one.error for one in best.values()) <= max(one.error for one in alone.values())
    for key, tried in found.trials.items():
        assert tried[0].output == next(one for one in OUTPUTS if one.id == key)
        assert {one.output.id for one in tried} == {key}


def test_what_cannot_be_is_said_and_what_may_not_change_stays(work: Work) -> None:
    assert work.fit(300).best is None
    lossless = AvifOutput(id="fixed", file_name="a.avif", quality=60, speed=10)
    found = work.fit(20_000, (OUTPUTS[0], lossless), may=frozenset({"loss", "colours"}))
    assert len(found.trials["fixed"]) == 1
    assert found.best is not None


def test_it_can_be_called_off(work: Work) -> None:
    def stop(trial: object) -> None:
        raise Cancelled("enough")

    with pytest.raises(Cancelled):
        work.fit(9000, on_trial=stop)
