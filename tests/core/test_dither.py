"""Dithers by place, against what was published of them."""

import numpy as np
import pytest
from numpy.typing import NDArray

from jayflick.core.dither.kinds import Dither, Matrix
from jayflick.core.dither.noise import SIDE, blue_noise
from jayflick.core.dither.ordered import order_of
from jayflick.core.dither.quantise import Quantiser
from jayflick.core.dither.thresholds import thresholds
from jayflick.core.palette.levels import EACH
from jayflick.core.palette.nearest import Nearest


def test_the_orders_are_bayer_s() -> None:
    """B. Bayer (1973), figures for 2 × 2 and 4 × 4."""
    assert order_of(2).tolist() == [[0, 2], [3, 1]]
    assert order_of(4).tolist() == [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]]


def spectrum(points: NDArray[np.bool_]) -> NDArray[np.float64]:
    """The radially averaged power of a pattern, by frequency in cycles a side, in units of white noise's."""
    power = np.abs(np.fft.fft2(points - points.mean())) ** 2 / (
        points.size * points.mean() * (1 - points.mean())
    )
    frequency = np.fft.fftfreq(SIDE, 1 / SIDE)
    radius = np.rint(np.hypot(frequency[:, None], frequency[None, :])).astype(int)
    return np.bincount(radius.ravel(), power.ravel()) / np.bincount(radius.ravel())


@pytest.mark.parametrize("share", [0.1, 0.25, 0.5, 0.75])
def test_the_mask_s_patterns_are_blue_noise(share: float) -> None:
    """R. Ulichney, "The void-and-cluster method for dither array generation" (1993), and "Dithering with blue
    noise" (1988): hardly any power in the low frequencies, what there is above is flat."""
    ranks = blue_noise()
    assert sorted(ranks.ravel()) == list(range(SIDE * SIDE))
    power = spectrum(ranks < share * SIDE * SIDE)  # that of white noise is 1 everywhere
    assert power[1:12].max() < 0.15
    assert power[20:31].mean() > 1.1


@pytest.mark.parametrize(("dither", "matrix"), [("ordered", 2), ("ordered", 4), ("ordered", 8), ("noise", 8)])
def test_a_ramp_is_nearer_dithered_than_not_when_seen_from_afar(dither: Dither, matrix: Matrix) -> None:
    """And without a seam where the nearer of two entries changes: no step of its means is large."""
    palette = np.array([[0, 0, 0], [70, 60, 90], [140, 130, 160], [255, 250, 240]], np.uint8)
    ramp = np.full((64, 512, 4), 255, np.uint8)
    for channel in range(3):
        ramp[:, :, channel] = np.interp(np.arange(512), [0, 170, 340, 511], palette[:, channel])

    def seen(amount: int) -> NDArray[np.float64]:
        squares = thresholds(dither, matrix)
        quantiser = Quantiser(Nearest.of(palette, EACH), 64, 512, amount=amount, reach=0, thresholds=squares)
        for rows in quantiser.halves:
            quantiser.take(ramp, rows, quantiser.carry())
        return np.asarray(palette[quantiser.shown].reshape(64, 32, 16, 3).mean(axis=(0, 2)), np.float64)

    wanted = ramp[:, :, :3].reshape(64, 32, 16, 3).mean(axis=(0, 2))
    off = np.abs(seen(100) - wanted)
    assert off.max() < np.abs(seen(0) - wanted).max() / (2 if matrix == 2 else 4)
    assert (np.diff(seen(100)[:, 0]) >= 0).all()
    half = np.abs(seen(50) - wanted).max()
    assert off.max() < half < np.abs(seen(0) - wanted).max()


def drawn(shift: int) -> NDArray[np.uint8]:
    """Three flat fields, a hard edge between two, a soft slope up to the third, and a square that moves."""
    frame = np.full((40, 90, 4), 255, np.uint8)
    frame[:, :30, :3] = (60, 40, 50)
    frame[:, 30:, :3] = np.interp(np.arange(60), [0, 20, 40, 59], [190, 190, 130, 130])[:, None]
    frame[5 + shift : 15 + shift, 50:60, :3] = (150, 160, 170)
    return frame


@pytest.mark.parametrize("reach", [0, 6])
@pytest.mark.parametrize("dither", ["diffusion", "ordered", "noise"])
def test_spared_are_flat_areas_and_hard_edges_alone(dither: Dither, reach: int) -> None:
    palette = np.array([[0, 0, 0], [80, 80, 80], [120, 120, 120], [170, 170, 170], [255, 255, 255]], np.uint8)

    def seen(sparing: bool) -> list[NDArray[np.uint8]]:
        squares = thresholds(dither, 8)
        quantiser = Quantiser(
            Nearest.of(palette, EACH), 40, 90, amount=100, reach=reach, thresholds=squares, sparing=sparing
        )
        shown = []
        for shift in (0, 3, 3, 9, 0):
            carry = quantiser.carry()
            for rows in quantiser.halves:
                quantiser.take(drawn(shift), rows, carry)
            shown.append(quantiser.shown.copy())
        return shown

    everywhere, spared = seen(False), seen(True)
    for pictures, flat in ((everywhere, False), (spared, True)):
        first = pictures[0]
        for field in (np.s_[:, 1:29], np.s_[:, 71:89]):
            assert (len(np.unique(first[field])) == 1) == flat
        assert (len(np.unique(first[:, 29:31], axis=0)) == 1) == flat  # along the edge, all rows alike
        assert len(np.unique(first[:, 52:68], axis=0)) > 5  # the slope is dithered as ever
        for before, after, a, b in zip(pictures, pictures[1:], (0, 3, 3, 9), (3, 3, 9, 0), strict=False):
            still = (drawn(a) == drawn(b)).all(axis=2)
            np.testing.assert_array_equal(before[still], after[still])
