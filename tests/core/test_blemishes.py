"""What eyes complain of, in pictures made to show it."""

import numpy as np
import pytest
from numpy.typing import NDArray
from skimage.color import deltaE_ciede2000, rgb2lab

from jayflick.core.quality.blemishes import SQUARE, TILE, blemishes
from jayflick.core.quality.ciede2000 import hue_difference, lab

Picture = NDArray[np.uint8]


def slope(width: int, height: int, every: int, *, upright: bool = False) -> Picture:
    """Brighter by a level with every so many pixels."""
    levels = (np.arange(width) // every).astype(np.uint8) + 48
    picture = np.broadcast_to(levels[None, :, None], (height, width, 3))
    return np.ascontiguousarray(picture.swapaxes(0, 1) if upright else picture)


@pytest.mark.parametrize("step", [4, 8, 16])
@pytest.mark.parametrize(("every", "upright"), [(4, False), (3, False), (4, True)])
def test_bands_are_told_by_the_steps_that_a_slope_was_quantised_to(
    step: int, every: int, upright: bool
) -> None:
    width = step * every * 6
    source = slope(width, 40, every, upright=upright)
    shown = (source // step * step).astype(np.uint8)
    # There is a pair to the right of each pixel and one below it; five steps, of which the source
    # makes a level.
    pairs = 40 * (width - 1) + 39 * width
    expected = np.sqrt(5 * 40 * (step - 1) ** 2 / pairs)
    assert blemishes(source, shown).bands == pytest.approx(expected)
    assert blemishes(source, source).bands == 0


def test_grain_is_no_band_and_neither_is_a_step_of_the_source() -> None:
    random = np.random.default_rng(5)
    source = slope(160, 64, 4)
    grain = source + random.integers(-6, 7, source.shape)
    assert (blemishes(source, np.clip(grain, 0, 255).astype(np.uint8)).bands or 0) < 0.05
    stepped = (source // 8 * 8).astype(np.uint8)
    assert blemishes(stepped, stepped).bands == 0


@pytest.mark.parametrize("noise", [3, 40])
@pytest.mark.parametrize("part", [(0, 16, 0, 60), (10, 40, 7, 22)])
def test_crawling_is_the_share_of_still_pixels_that_noise_was_added_to(
    noise: int, part: tuple[int, int, int, int]
) -> None:
    top, bottom, left, right = part
    source = slope(60, 40, 2)
    shown = source.copy()
    shown[top:bottom, left:right] += np.uint8(noise)
    found = blemishes(source, shown, (source, source))
    assert found.crawling == pytest.approx((bottom - top) * (right - left) / (60 * 40))
    assert blemishes(source, source + np.uint8(2), (source, source)).crawling == 0  # as much as rounding makes
    moved = np.roll(source, 20, axis=1)
    assert blemishes(source, shown).crawling is None
    assert (blemishes(source, shown, (moved, source)).crawling or 0) < 1


def test_edges_are_the_error_beside_hard_edges_alone() -> None:
    source = np.full((30, 50, 3), 20, np.uint8)
    source[:, 25:] = 200
    shown = source.copy()
    shown[:, 23:27] += np.uint8(10)  # the four columns that lie near it
    shown[:, 40:] += np.uint8(90)  # an error elsewhere
    assert blemishes(source, shown).edges == pytest.approx(np.sqrt(100 * 4 / 6))
    assert blemishes(slope(50, 30, 4), slope(50, 30, 5)).edges is None


def test_the_worst_place_is_found() -> None:
    source = slope(4 * TILE, 3 * TILE, 4)
    shown = source.copy()
    shown[2 * TILE + 2 : 3 * TILE - 2, TILE + 3 : 2 * TILE - 3] //= np.uint8(8)
    shown[2 * TILE + 2 : 3 * TILE - 2, TILE + 3 : 2 * TILE - 3] *= np.uint8(8)
    found = blemishes(source, shown, (source, source))
    assert (found.where("bands"), found.where("crawling")) == ((2, 1), (2, 1))


def test_colours_are_as_far_apart_as_scikit_image_says() -> None:
    random = np.random.default_rng(8)
    pairs = random.integers(0, 256, (2, 4000, 3)).astype(float)
    pairs[1, :500] = np.clip(pairs[0, :500] + random.integers(-9, 10, (500, 3)), 0, 255)
    pairs[:, 500:520] = pairs[:, 500:520, :1]  # greys have no hue
    first, second = (rgb2lab(one / 255) for one in pairs)
    assert np.abs(lab(pairs[0]) - first).max() < 0.02
    without_lightness = deltaE_ciede2000(first, second, kL=1e12)  # type: ignore[no-untyped-call]
    assert np.abs(hue_difference(*pairs) - without_lightness).max() < 0.02


@pytest.mark.parametrize("sides", [(64, 48), (61, 43), (3, 5), (1, 1)])
def test_hue_is_that_of_means_so_that_grain_is_none(sides: tuple[int, int]) -> None:
    width, height = sides
    source = np.full((height, width, 3), (90, 140, 60), np.uint8)
    shown = source.copy()
    shown[..., 0] += np.uint8(25)
    expected = float(hue_difference(source[0, 0].astype(float), shown[0, 0].astype(float)))
    assert blemishes(source, shown).hue == pytest.approx(expected)
    assert blemishes(source, source).hue == 0
    if min(sides) >= SQUARE:
        grain = source.astype(int)
        grain[::2, :, 0] += 12
        grain[1::2, :, 0] -= 12
        assert blemishes(source[: height & ~7], grain.astype(np.uint8)[: height & ~7]).hue < 0.05
