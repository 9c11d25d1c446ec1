"""Sizes in proportion, scaling without bleeding, soft edges settled."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.framing.alpha import settle
from jayflick.core.framing.scale import frame_picture
from jayflick.core.framing.size import place
from jayflick.core.recipe import Alpha, Framing, Size


def test_688_by_416_at_580_wide_is_351_high() -> None:
    # Common practice, no published source.
    assert place(Size(width=580), 688, 416).canvas == (580, 351)


@given(st.integers(1, 4000), st.integers(1, 4000), st.integers(1, 4096))
def test_the_other_side_follows_to_the_nearest_pixel(width: int, height: int, wanted: int) -> None:
    exact = height * wanted / width
    if exact > 4096.4:
        with pytest.raises(InputError, match="longest side"):
            place(Size(width=wanted), width, height)
        return
    if exact <= 4096:
        canvas = place(Size(width=wanted), width, height).canvas
        assert canvas[0] == wanted
        assert abs(canvas[1] - exact) <= 0.5 or canvas[1] == 1


@given(st.integers(1, 900), st.integers(1, 900), st.integers(1, 900), st.integers(1, 900))
def test_contain_shows_all_and_cover_leaves_nothing_bare(
    width: int, height: int, across: int, down: int
) -> None:
    inside = place(Size(width=across, height=down, fit="contain"), width, height)
    assert inside.picture[0] <= across
    assert inside.picture[1] <= down
    assert across == inside.picture[0] or down == inside.picture[1]
    over = place(Size(width=across, height=down, fit="cover"), width, height)
    assert over.picture[0] >= across
    assert over.picture[1] >= down
    assert place(Size(width=across, height=down, fit="stretch"), width, height).picture == (across, down)


def test_hidden_colours_never_bleed_into_an_edge() -> None:
    picture = np.zeros((40, 40, 4), np.uint8)
    picture[:, :] = (0, 255, 0, 0)  # bright green that nobody is meant to see
    picture[10:30, 10:30] = (200, 0, 0, 255)
    small = frame_picture(picture, Framing(), Size(width=13))
    there = small[small[:, :, 3] > 8]
    assert there[:, 1].max() <= 2


def test_cropping_comes_before_scaling_and_stays_inside() -> None:
    picture = np.full((30, 50, 4), 255, np.uint8)
    assert frame_picture(picture, Framing(crop=(5, 5, 20, 10)), Size(width=40)).shape == (20, 40, 4)
    with pytest.raises(InputError, match="reaches outside the 50 × 30 frames"):
        frame_picture(picture, Framing(crop=(40, 0, 20, 10)), Size())


def test_soft_edges_are_cut_off_laid_over_the_page_or_filled() -> None:
    edge = np.array([[[200, 100, 0, 0], [200, 100, 0, 64], [200, 100, 0, 191], [200, 100, 0, 255]]], np.uint8)
    cut = settle(edge, Alpha(edges="cutoff", cutoff=128))
    assert cut.tolist() == [[[0, 0, 0, 0], [0, 0, 0, 0], [200, 100, 0, 255], [200, 100, 0, 255]]]
    over = settle(edge, Alpha(edges="matte", matte="#0000ff"))
    assert over[0, 0].tolist() == [0, 0, 0, 0]
    assert over[0, 1].tolist() == [50, 25, 191, 255]  # 64/255 of the picture over 191/255 of the page
    filled = settle(edge, Alpha(edges="fill", matte="#0000ff"))
    assert filled[0, 0].tolist() == [0, 0, 255, 255]
    opaque = np.full((2, 2, 4), 255, np.uint8)
    assert settle(opaque, Alpha()) is opaque
