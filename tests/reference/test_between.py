"""Pictures made between two frames, held against the frames that truly lie there."""

from typing import Any

import cv2
import numpy as np
import pytest
import skimage.data
from numpy.typing import NDArray
from skimage.metrics import peak_signal_noise_ratio

from jayflick.core.framing.between import between
from jayflick.core.framing.mix import mix

astronaut: Any = skimage.data.astronaut
chelsea: Any = skimage.data.chelsea
nearness_of: Any = peak_signal_noise_ratio


def passing(at: float, width: int = 320, height: int = 200) -> NDArray[np.uint8]:
    """A photograph's detail that passes over another one, which turns slowly."""
    ground = astronaut()[100:420, 60:500]
    turn = cv2.getRotationMatrix2D((220, 160), 0.8 * at, 1)
    turn[:, 2] -= (60, 60)
    frame = cv2.warpAffine(ground, turn, (width, height), flags=cv2.INTER_CUBIC)
    detail = chelsea()[100:180, 140:230]
    shift = np.array([[1, 0, 60 + 9 * at], [0, 1, 70 + 2 * at]], np.float64)
    there = cv2.warpAffine(np.full(detail.shape[:2], 255, np.uint8), shift, (width, height))
    moved = cv2.warpAffine(detail, shift, (width, height), flags=cv2.INTER_CUBIC)
    share = there[:, :, None] / 255
    return (
        np.dstack([frame * (1 - share) + moved * share, np.full((height, width), 255)]).round().astype(np.uint8)
    )


def nearness(made: NDArray[np.uint8], true: NDArray[np.uint8]) -> float:
    return float(nearness_of(true, made, data_range=255))


@pytest.mark.parametrize("at", [0.25, 0.5, 0.75])
def test_what_moves_is_nearer_to_the_truth_than_a_blend(at: float) -> None:
    one, other, true = passing(0), passing(1), passing(at)
    moved = between(one, other, at)
    blended = mix([(one, round(256 * (1 - at))), (other, round(256 * at))], *one.shape[:2])
    assert nearness(moved.picture, true) > nearness(blended, true) + 2
    assert (moved.picture[:, :, 3] == 255).all()
    assert moved.torn.mean() < 0.1


def test_at_the_ends_are_the_frames_themselves_and_still_ones_stay() -> None:
    one, other = passing(0), passing(1)
    assert np.abs(between(one, other, 0).picture.astype(int) - one).max() <= 1
    assert np.abs(between(one, other, 1).picture.astype(int) - other).max() <= 1
    np.testing.assert_array_equal(between(one, one, 0.4).picture, one)
    tiny = np.full((3, 5, 4), 200, np.uint8)
    np.testing.assert_array_equal(between(tiny, tiny, 0.5).picture, tiny)


def test_what_cannot_be_followed_is_torn_and_blended_there() -> None:
    one, other = passing(0), passing(0)
    other[40:120, 150:260, :3] = np.random.default_rng(3).integers(0, 256, (80, 110, 3))  # nothing it came from
    made = between(one, other, 0.5)
    assert made.torn[60:100, 180:230].mean() > 0.5
    assert made.torn[:, :100].max() < 0.1
    blended = mix([(one, 128), (other, 128)], *one.shape[:2]).astype(int)
    torn = made.torn > 0.98
    assert torn.any()
    assert np.abs(made.picture.astype(int) - blended)[torn].max() <= 8


def test_soft_art_moves_with_its_alpha_and_keeps_its_colour() -> None:
    def disc(x: float) -> NDArray[np.uint8]:
        across, down = np.meshgrid(np.arange(120) - x, np.arange(80) - 40.0)
        alpha = np.clip(20 - np.hypot(across, down), 0, 1) * 255
        marks = 120 + 100 * np.sin(across / 3) * np.cos(down / 4)
        return np.dstack([marks, np.full_like(marks, 60), 255 - marks, alpha]).round().astype(np.uint8)

    made, true = between(disc(50), disc(58), 0.5).picture, disc(54)
    assert np.abs(made[:, :, 3].astype(int) - true[:, :, 3]).mean() < 2
    seen = (made[:, :, 3] > 200) & (true[:, :, 3] > 200)
    assert np.abs(made[seen][:, 1].astype(int) - 60).max() <= 2
