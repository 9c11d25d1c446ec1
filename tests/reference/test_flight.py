"""A cut-out moved over a backdrop, held against Pillow's "over"."""

import itertools

import numpy as np
import pytest
from PIL import Image

from jayflick.core.sequence.flight import Flight, Stand, eased, flown, laid
from jayflick.demo.tern import draw_tern


def test_where_it_stands_by_whole_pixels_it_is_pillows_over() -> None:
    art = draw_tern(3, 24)
    ground = np.random.default_rng(2).integers(0, 256, (320, 420, 4), np.uint8)
    ground[:, :, 3] = 255
    made = laid(art, Stand(x=128 + 60, y=128 + 20), ground)
    theirs = Image.fromarray(ground)
    theirs.alpha_composite(Image.fromarray(art), (60, 20))
    np.testing.assert_allclose(made.astype(int), np.array(theirs).astype(int), atol=1)
    # Over nothing it is itself; half there it is half as opaque, in its own colours.
    alone = laid(art, Stand(x=128, y=128, opacity=0.5), np.zeros_like(art))
    np.testing.assert_allclose(alone[:, :, 3], art[:, :, 3] / 2, atol=0.6)
    solid = art[:, :, 3] == 255
    np.testing.assert_allclose(alone[solid][:, :3].astype(int), art[solid][:, :3].astype(int), atol=1)


def test_turned_and_scaled_about_its_middle() -> None:
    mark = np.zeros((40, 40, 4), np.uint8)
    mark[18:22, 18:38] = (200, 30, 30, 255)  # to the right of the middle
    ground = np.zeros((100, 100, 4), np.uint8)
    for turn, scale in ((90.0, 1.0), (90.0, 0.5), (90.0, 2.0)):
        seen = np.argwhere(laid(mark, Stand(x=50, y=50, turn=turn, scale=scale), ground)[:, :, 3] > 128)
        assert seen.mean(axis=0) == pytest.approx((49.5 + 8 * scale, 49.5), abs=0.6)


def test_a_flight_begins_at_its_start_and_ends_at_its_end() -> None:
    start, end = Stand(x=0, y=10, scale=0.5), Stand(x=90, y=40, scale=2, turn=180, opacity=0)
    flight = Flight(count=4, start=start, end=end)
    stands = flight.stands()
    assert (stands[0], stands[-1]) == (start, end)
    assert [round(stand.x) for stand in stands] == [0, 30, 60, 90]
    factors = [b.scale / a.scale for a, b in itertools.pairwise(stands)]
    assert factors == pytest.approx([factors[0]] * 3)
    art = draw_tern(0, 24)
    pieces = list(flown(art, np.zeros((60, 100, 4), np.uint8), flight, "tern.png"))
    assert [piece.name for piece in pieces][:2] == ["tern.png/flight 001.png", "tern.png/flight 002.png"]
    assert {(piece.header.width, piece.header.height) for piece in pieces} == {(100, 60)}


@pytest.mark.parametrize(("easing", "half"), [("even", 0.5), ("in", 0.25), ("out", 0.75), ("both", 0.5)])
def test_easings_go_from_end_to_end_and_never_back(easing: str, half: float) -> None:
    run = [eased(share / 50, easing) for share in range(51)]  # type: ignore[arg-type]
    assert (run[0], run[25], run[-1]) == (0, half, 1)
    assert run == sorted(run)
