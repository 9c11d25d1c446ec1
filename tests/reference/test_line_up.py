"""Frames moved by known amounts, their moves found again; scikit-image as another that finds shifts."""

from itertools import starmap
from typing import Any

import cv2
import numpy as np
import pytest
import skimage.data
from numpy.typing import NDArray
from skimage.registration import phase_cross_correlation

from jayflick.core.framing.line_up import line_up
from jayflick.core.framing.moves import common, covers, enlargement, warp_of, warped
from jayflick.core.recipe import LineUp, Move

WIDTH, HEIGHT = 480, 270
SIZE = (WIDTH, HEIGHT)


photograph: Any = skimage.data.coffee
phase_correlation: Any = phase_cross_correlation


def shot(move: Move, gain: float = 1.0, seed: int = 0) -> NDArray[np.uint8]:
    """A frame that must be moved so to lie on the one that is not moved: with grain, and its own exposure."""
    scene = cv2.resize(photograph(), (700, 460), interpolation=cv2.INTER_CUBIC).astype(np.float32)
    matrix = warp_of(LineUp(anchor=1, moves={1: move}, drawn_on=SIZE), 1, *SIZE).matrix
    matrix[:, 2] += (110, 90)
    frame = cv2.warpAffine(scene, matrix, SIZE, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP) * gain
    frame += np.random.default_rng(seed).normal(0, 2, frame.shape)
    return np.dstack([np.clip(np.rint(frame), 0, 255), np.full((HEIGHT, WIDTH), 255)]).astype(np.uint8)


SHIFTS = [Move(x=5.3, y=-7.8), Move(x=-0.4, y=0.25), Move(x=13, y=2.6)]
TURNED = [Move(x=3.2, y=1.1, turn=1.3), Move(x=-6.7, y=4.4, turn=-2.1)]
SCALED = [Move(x=2.4, y=-3.3, turn=0.7, scale=1.023), Move(x=-5, y=0.6, turn=-1.4, scale=0.981)]


@pytest.mark.parametrize(("free", "moves"), [("shift", SHIFTS), ("turn", TURNED), ("scale", SCALED)])
@pytest.mark.parametrize("gain", [1.0, 0.8])
def test_known_moves_are_found_to_a_tenth(free: str, moves: list[Move], gain: float) -> None:
    frames = [shot(move, gain, seed) for seed, move in enumerate(moves, 1)]
    for found, true in zip(line_up(shot(Move()), frames, free), moves, strict=True):  # type: ignore[arg-type]
        assert found.move is not None
        assert found.move.x == pytest.approx(true.x, abs=0.1)
        assert found.move.y == pytest.approx(true.y, abs=0.1)
        assert found.move.turn == pytest.approx(true.turn, abs=0.1)
        assert found.move.scale == pytest.approx(true.scale, abs=0.001)


def test_shifts_are_those_that_scikit_image_finds() -> None:
    anchor = shot(Move())
    (found,) = line_up(anchor, [shot(SHIFTS[0])], "shift")
    grey = (anchor[:, :, 1].astype(float), shot(SHIFTS[0])[:, :, 1].astype(float))
    window = np.outer(np.hanning(HEIGHT), np.hanning(WIDTH))
    (down, right), *_ = phase_correlation(*(part * window for part in grey), upsample_factor=20)
    assert found.move is not None
    assert (found.move.x, found.move.y) == pytest.approx((right, down), abs=0.15)


def test_only_the_subject_counts_when_a_box_is_drawn_around_it() -> None:
    ground, subject = shot(Move()), shot(Move(x=90, y=40))[80:180, 150:290]
    frames = []
    for right, down in ((0, 0), (6, -4)):  # the ground stands still, the subject moves
        frame = ground.copy()
        frame[80 + down : 180 + down, 150 + right : 290 + right] = subject
        frames.append(frame)
    (found,) = line_up(frames[0], frames[1:], "shift", (155, 85, 130, 90))
    assert found.move is not None
    assert (found.move.x, found.move.y) == pytest.approx((-6, 4), abs=0.1)


def test_what_has_no_texture_or_shows_something_else_is_said_and_left() -> None:
    flat = np.full((HEIGHT, WIDTH, 4), 128, np.uint8)
    noise = np.random.default_rng(1).integers(0, 256, (HEIGHT, WIDTH, 4), np.uint8)
    noise[:, :, 3] = 255
    assert [found.move for found in line_up(flat, [shot(Move())], "scale")] == [None]
    assert [found.move for found in line_up(shot(Move()), [flat, noise], "scale")] == [None, None]
    (one,) = line_up(np.full((1, 1, 4), 9, np.uint8), [np.full((1, 1, 4), 9, np.uint8)], "shift")
    assert one.move is None


@pytest.mark.parametrize("moves", [SHIFTS, TURNED, SCALED])
def test_moved_frames_lie_on_the_anchor_and_no_edge_shows(moves: list[Move]) -> None:
    anchor = shot(Move())
    lined = LineUp(anchor=9, moves=dict(enumerate(moves, 1)), drawn_on=SIZE)
    warps = [warp_of(lined, position, *SIZE) for position in lined.moves]
    box = common(warps, *SIZE)
    assert box is not None
    left, top, width, height = box
    for position, warp in enumerate(warps, 1):
        frame = shot(moves[position - 1])
        made = warped(frame, warp)
        inner = made[top : top + height, left : left + width]
        assert (inner[:, :, 3] == 255).all()
        there = inner[4:-4, 4:-4, :3].astype(int)
        apart = np.abs(there - anchor[top + 4 : top + height - 4, left + 4 : left + width - 4, :3]).mean()
        assert apart < 3  # the grain of both alone makes 2.3
    # A box that is larger by a pixel on any side is not covered by all.
    grown = [(left - 1, top, width + 1, height), (left, top - 1, width, height + 1)]
    grown += [(left, top, width + 1, height), (left, top, width, height + 1)]
    assert not any(all(covers(warp, wider, *SIZE) for warp in warps) for wider in grown)
    # Enlarged by the least that covers, every frame covers all; by a little less, one does not.
    most = enlargement(lined, lined.moves, *SIZE)
    assert 1 < most < 1.25
    whole = (0, 0, *SIZE)

    def all_covered(enlarged: float) -> bool:
        made = starmap(warp_of, ((lined, position, *SIZE, enlarged) for position in lined.moves))
        return all(covers(warp, whole, *SIZE) for warp in made)

    assert all_covered(most)
    assert not all_covered(most - 0.0005)
    # On frames of half the size the moves are half as far.
    small = warp_of(lined, 1, WIDTH // 2, HEIGHT // 2).matrix
    assert abs(small[0, 2]) < abs(warps[0].matrix[0, 2])


def test_whole_pixels_are_moved_unmixed_and_soft_edges_keep_their_colour() -> None:
    frame = np.zeros((20, 30, 4), np.uint8)
    frame[5:10, 8:20] = (200, 40, 10, 255)
    frame[10, 8:20] = (200, 40, 10, 90)
    lined = LineUp(anchor=2, moves={1: Move(x=3, y=-2)}, drawn_on=(30, 20))
    np.testing.assert_array_equal(warped(frame, warp_of(lined, 1, 30, 20)), np.roll(frame, (-2, 3), (0, 1)))
    half = LineUp(anchor=2, moves={1: Move(x=0.5, y=0.25)}, drawn_on=(30, 20))
    made = warped(frame, warp_of(half, 1, 30, 20))
    seen = made[made[:, :, 3] > 20]
    np.testing.assert_allclose(seen[:, :3].astype(int), np.full((len(seen), 3), (200, 40, 10)), atol=6)
