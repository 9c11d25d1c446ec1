"""Where a loop closes: known from how the frames were made."""

import time

import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from jayflick.core.pictures.fingerprint import preview
from jayflick.core.timing.seam import REPEATS, find_seams


def disc(turn: float, *, shade: int = 0) -> NDArray[np.uint8]:
    """A disc on a round course, ``turn`` of the way along, as its preview shows it."""
    image = Image.new("RGBA", (192, 108), (20 + shade, 30, 40, 255))
    x, y = 96 + 60 * np.cos(2 * np.pi * turn), 54 + 30 * np.sin(2 * np.pi * turn)
    ImageDraw.Draw(image).ellipse((x - 14, y - 14, x + 14, y + 14), fill=(240, 200, 90, 255))
    return preview(image)


def test_a_whole_turn_closes_and_one_that_repeats_its_first_picture_is_told() -> None:
    turn = np.array([disc(i / 24) for i in range(24)])
    closed = find_seams(turn, least=12)
    assert closed.whole.jump < 0.2
    assert len(closed.steps) == 24
    assert closed.steps[-1] == pytest.approx(closed.usual, rel=0.2)
    doubled = find_seams(np.concatenate([turn, turn[:1]]), least=12)
    assert doubled.whole.step < REPEATS * doubled.usual
    assert doubled.whole.jump > closed.whole.jump + 0.5
    assert find_seams(turn[:14], least=12).whole.jump > 3 * closed.whole.jump  # a part of a turn jumps


@pytest.mark.parametrize(("before", "period", "after"), [(6, 36, 9), (0, 20, 30), (11, 50, 0)])
def test_the_range_that_closes_best_is_one_turn(before: int, period: int, after: int) -> None:
    # A fading start and end around a steady turn: only whole turns close.
    frames = [disc(i / period, shade=abs(min(i - before, 0)) * 9) for i in range(before + period)]
    frames += [disc((before + i) / period, shade=(i + 1) * 4) for i in range(after)]
    best = find_seams(np.array(frames), least=period // 2).best[0]
    assert (best.last - best.first + 1) % period == 0
    assert best.jump < 0.35


def test_still_pictures_are_no_loop_worth_finding() -> None:
    frames = np.array([disc(0.3)] * 40 + [disc(i / 24) for i in range(24)])
    best = find_seams(frames, least=10).best[0]
    assert best.last > 40  # not a part of the 40 that stand still, though those close without a step
    assert find_seams(np.array([disc(0.0)] * 5), least=2).usual == 0


def test_many_frames_take_seconds_not_minutes() -> None:
    noise = np.random.default_rng(1).integers(0, 255, (2000, 48 * 27 * 4), np.uint8)
    begun = time.perf_counter()
    assert len(find_seams(noise, least=24).best) == 6
    assert time.perf_counter() - begun < 60  # a bound against a mistake in kind, not a measurement
