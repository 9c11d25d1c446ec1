"""The dither that nobody set: tried on the pixels that are coded, and again when these are others."""

from pathlib import Path

import numpy as np
import pytest

from jayflick.core.dither.choose import suits_dither
from jayflick.core.recipe import GifOutput, Recipe, Rhythm, Size, Tuning
from jayflick.core.render import Rendered, render
from jayflick.core.sequence.files import FileFrame, look_at
from jayflick.core.stages import Stages
from tests.conftest import Pictures, lit_ball, moving_square, save_frames


def made(
    frames: list[FileFrame],
    stages: Stages,
    tuning: dict[str, object],
    size: dict[str, object] | None = None,
    rhythm: dict[str, object] | None = None,
) -> Rendered:
    output = GifOutput(
        tuning=Tuning.model_validate({"colours": 32, **tuning}), size=Size.model_validate(size or {})
    )
    recipe = Recipe(outputs=(output,), rhythm=Rhythm.model_validate(rhythm or {}))
    return render(recipe, frames, "page", stages)


@pytest.fixture
def ball(tmp_path: Path) -> list[FileFrame]:
    return list(look_at(save_frames(tmp_path / "ball", lit_ball(6, 96, 64)), tmp_path)[1].values())


def test_it_is_the_very_file_that_setting_it_by_hand_gives(ball: list[FileFrame], tmp_path: Path) -> None:
    stages = Stages(tmp_path / "stages")
    chosen = made(ball, stages, {"dither": "auto"})
    assert chosen.info["dither"] == "diffusion"
    stages.runs.clear()
    assert made(ball, stages, {"dither": "diffusion"}).data == chosen.data
    assert stages.runs["encoding"] == 0
    assert made(ball, stages, {"dither": "none"}).data != chosen.data


def test_pictures_that_look_the_same_are_judged_like_others() -> None:
    """Equal ones, and such as come out equal in the palette's few colours: they are one frame of a file."""
    ball, other = lit_ball(2, 96, 64)
    barely = ball.copy()
    barely[5, 5, :3] ^= 1
    for frames in ([ball, ball], [ball, barely], [ball, ball, other, other]):
        assert suits_dither(frames, 32, 60) == suits_dither([ball, other], 32, 60)


def test_it_is_chosen_again_when_the_framing_changes(ball: list[FileFrame], tmp_path: Path) -> None:
    """Enlarged pixel by pixel, the same frames are not to be speckled."""
    stages = Stages(tmp_path / "stages")
    large = {"width": 384, "resample": "nearest"}
    assert made(ball, stages, {"dither": "auto"}, large).info["dither"] == "none"
    assert made(ball, stages, {"dither": "auto"}).info["dither"] == "diffusion"
    by_hand = made(ball, stages, {"dither": "diffusion"}, large)
    assert by_hand.info["dither"] == "diffusion"  # whoever set it knows better


def test_time_and_order_choose_nothing_anew(ball: list[FileFrame], tmp_path: Path) -> None:
    stages = Stages(tmp_path / "stages")
    rhythms: list[dict[str, object]] = [
        {},
        {"direction": "reverse"},
        {"order": [3, 1, 2, 6, 5, 4, 4]},
        {"rate": "12"},
    ]
    for rhythm in rhythms:
        assert made(ball, stages, {"dither": "auto"}, None, rhythm).info["dither"] == "diffusion"
    assert stages.runs["dither"] == 1


@pytest.mark.parametrize("factor", [2, 3, 4, 7])
@pytest.mark.parametrize("colours", [8, 16, 64, 200])
def test_art_enlarged_pixel_by_pixel_is_never_speckled(factor: int, colours: int) -> None:
    def enlarged(frames: Pictures) -> Pictures:
        return [frame.repeat(factor, axis=0).repeat(factor, axis=1) for frame in frames]

    barred = [np.pad(frame, ((9, 9), (0, 0), (0, 0))) for frame in enlarged(lit_ball(3, 60, 40))]
    for frames in (enlarged(lit_ball(3, 60, 40)), enlarged(moving_square(3)), barred):
        assert not suits_dither(frames, colours, 60)


def test_bars_beside_a_picture_are_no_sign_of_such_art() -> None:
    frames = lit_ball(4, 96, 64)
    assert suits_dither(frames, 32, 60)
    black = (0, 0, 0, 255)
    for frame in frames:
        frame[:12] = frame[-12:] = frame[:, :9] = frame[:, -9:] = black
    assert suits_dither(frames, 32, 60)
