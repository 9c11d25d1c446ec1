"""Levels matched between frames, held against scikit-image, and tones against their definitions."""

import numpy as np
import pytest
import skimage.data
from numpy.typing import NDArray
from skimage.exposure import match_histograms

from jayflick.core.framing.tone import Levels, curves_of, toned
from jayflick.core.recipe import Tone
from jayflick.core.srgb import LINEAR, to_levels


def photograph(name: str) -> NDArray[np.uint8]:
    picture = getattr(skimage.data, name)()[:240, :320]
    return np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])


PLAIN = curves_of(Tone())


def test_histograms_are_matched_as_scikit_image_matches_them() -> None:
    mine, theirs = photograph("coffee"), photograph("chelsea")
    ours = toned(mine, Levels.of(mine).matched(Levels.of(theirs), "histogram"), 0)
    reference = match_histograms(mine[:, :, :3].astype(float), theirs[:, :, :3].astype(float), channel_axis=-1)
    np.testing.assert_allclose(ours[:, :, :3], reference, atol=0.51)


def test_mean_and_contrast_become_those_of_the_other_frame() -> None:
    mine, theirs = photograph("coffee"), photograph("chelsea")
    made = Levels.of(toned(mine, Levels.of(mine).matched(Levels.of(theirs), "levels"), 0))
    # Although some levels are cut at black and white.
    np.testing.assert_allclose(made.mean, theirs[:, :, :3].mean(axis=(0, 1)), atol=0.3)
    np.testing.assert_allclose(made.deviation, theirs[:, :, :3].std(axis=(0, 1)), atol=0.5)


def test_levels_count_by_alpha_and_luma_is_that_of_bt_709() -> None:
    picture = np.zeros((2, 2, 4), np.uint8)
    picture[0, 0] = (255, 0, 0, 255)
    picture[0, 1] = (0, 255, 0, 51)  # a fifth of a pixel
    picture[1, 0] = (9, 9, 9, 0)
    levels = Levels.of(picture)
    np.testing.assert_allclose(levels.mean, [255 / 1.2, 255 * 0.2 / 1.2, 0])
    assert levels.luma() == pytest.approx(255 * (0.2126 + 0.7152 * 0.2) / 1.2)
    assert Levels.of(np.zeros_like(picture)).empty


def test_each_correction_is_what_it_says() -> None:
    every = np.arange(256)
    np.testing.assert_array_equal(np.round(PLAIN[0]), every)
    # A stop is twice the light, cut where that is white (IEC 61966-2-1).
    np.testing.assert_allclose(curves_of(Tone(exposure=1))[0], to_levels(np.minimum(LINEAR * 2, 1)) * 255)
    stretched = curves_of(Tone(black=55, white=155))[1]
    assert (stretched[55], stretched[105], stretched[155]) == (0, 127.5, 255)
    gamma = curves_of(Tone(gamma=2))[2]
    assert (gamma[0], gamma[255], round(gamma[64])) == (0, 255, round(255 * (64 / 255) ** 0.5))
    steep = curves_of(Tone(contrast=50))[0]
    assert steep[140] - steep[139] == pytest.approx(2)
    for tone in (Tone(exposure=-2), Tone(gamma=0.4), Tone(contrast=-100), Tone(contrast=100, exposure=3)):
        assert (np.diff(curves_of(tone)) >= 0).all()  # nothing is turned round


def test_saturation_keeps_luma_alpha_and_hides_what_is_clear() -> None:
    picture = photograph("coffee")
    picture[:, :100, 3] = 90
    picture[:, :20, 3] = 0
    luma = np.array([0.2126, 0.7152, 0.0722])
    grey = toned(picture, PLAIN, -100)
    there = picture[:, :, 3] > 0
    assert np.ptp(grey[:, :, :3], axis=2).max() == 0
    np.testing.assert_allclose(grey[there][:, 0], picture[there][:, :3] @ luma, atol=0.51)
    np.testing.assert_array_equal(grey[:, :, 3], picture[:, :, 3])
    assert not grey[~there].any()
    np.testing.assert_array_equal(toned(picture, PLAIN, 0)[there], picture[there])
