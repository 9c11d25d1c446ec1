"""Trimming to what is used, and a crop that keeps its meaning."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.framing.trim import Box, used_box, with_margin
from jayflick.core.recipe import Framing
from tests.conftest import moving_square


def test_soft_art_is_trimmed_to_the_union_of_its_frames() -> None:
    frames = moving_square(6, 48, 32, soft=True)
    alpha = np.max([frame[:, :, 3] for frame in frames], axis=0)
    rows, columns = np.flatnonzero(alpha.any(axis=1)), np.flatnonzero(alpha.any(axis=0))
    wanted = (columns[0], rows[0], columns[-1] - columns[0] + 1, rows[-1] - rows[0] + 1)
    assert used_box(frames, "alpha") == wanted == (1, 7, 46, 12)
    assert used_box(frames, "alpha", 120) == (2, 8, 44, 10)  # without its half-clear edge
    assert used_box([np.zeros_like(frames[0])], "alpha") is None
    assert used_box([np.full_like(frames[0], 255)], "alpha") is None


def test_still_art_is_trimmed_to_what_moves_despite_its_grain() -> None:
    frames = moving_square(6, 48, 32)
    grain = np.random.default_rng(1).integers(0, 3, (6, 32, 48, 3))
    noisy = [frame.copy() for frame in frames]
    for frame, more in zip(noisy, grain, strict=True):
        frame[:, :, :3] = np.minimum(frame[:, :, :3].astype(int) + more, 255)
    assert used_box(frames, "change") == (1, 7, 46, 12)
    assert used_box(noisy, "change", 2) == (1, 7, 46, 12)
    assert used_box(noisy, "change") != (1, 7, 46, 12)
    assert used_box(frames[:1], "change") is None


@pytest.mark.parametrize(
    ("bars", "box"),
    [
        ((8, 8, 0, 0), (0, 8, 60, 24)),
        ((0, 0, 7, 5), (7, 0, 48, 40)),
        ((8, 6, 7, 5), (7, 8, 48, 26)),
        ((0, 0, 0, 0), None),
        ((2, 2, 0, 0), None),  # too thin for a bar
    ],
)
def test_bars_above_below_and_at_the_sides_are_recognised(bars: Box, box: Box | None) -> None:
    top, bottom, left, right = bars
    random = np.random.default_rng(2)
    frames = []
    for _ in range(3):
        frame = np.full((40, 60, 4), 255, np.uint8)
        frame[:, :, :3] = random.integers(40, 255, (40, 60, 3))
        for side in (np.s_[:top], np.s_[40 - bottom :], np.s_[:, :left], np.s_[:, 60 - right :]):
            frame[side] = (2, 1, 3, 255)
        frame[:, :, :3] += random.integers(0, 3, (40, 60, 1)).astype(np.uint8) * (frame[:, :, :1] < 9)
        frames.append(frame)
    assert used_box(frames, "bars", 4) == box


@given(
    st.integers(1, 400),
    st.integers(1, 400),
    st.integers(1, 400),
    st.integers(1, 400),
    st.tuples(st.integers(0, 399), st.integers(0, 399), st.integers(1, 400), st.integers(1, 400)),
)
def test_a_crop_is_the_same_part_of_frames_of_another_size(
    width: int, height: int, across: int, down: int, crop: Box
) -> None:
    left, top = min(crop[0], width - 1), min(crop[1], height - 1)
    inside = left, top, min(crop[2], width - left), min(crop[3], height - top)
    framing = Framing(crop=inside, drawn_on=(width, height))
    assert framing.crop_of(width, height) == inside
    moved = framing.crop_of(across, down)
    assert moved is not None
    assert min(moved[:2]) >= 0 < min(moved[2:])
    assert moved[0] + moved[2] <= across
    assert moved[1] + moved[3] <= down
    for side, (old, new) in enumerate(((width, across), (height, down))):
        centre = inside[side] + inside[side + 2] / 2
        assert abs((moved[side] + moved[side + 2] / 2) * old / new - centre) <= 1.5 * max(1, old / new)
    double = framing.crop_of(2 * width, 2 * height)
    assert double == tuple(2 * part for part in inside)


def test_a_margin_ends_at_the_frame() -> None:
    assert with_margin((5, 6, 10, 10), 4, 100, 100) == (1, 2, 18, 18)
    assert with_margin((5, 6, 10, 10), 50, 40, 30) == (0, 0, 40, 30)
