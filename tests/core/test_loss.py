"""Loss: what it may change, and how far."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jayflick.core.dither.kinds import Dither
from jayflick.core.formats.gif import lossy, search, side_by_side
from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.formats.gif.shared import share_palette
from jayflick.core.quality.visible import SCALE, visibility
from tests.conftest import Pictures, lit_ball, moving_square, steps_of


def drifting(seed: int, *, clear: bool) -> Pictures:
    """A soft, noisy picture of odd size that gets brighter and moves, holds, comes again, and has holes."""
    random = np.random.default_rng(seed)
    height, width, count = (int(n) for n in random.integers((1, 1, 1), (24, 40, 9)))
    y, x = np.mgrid[0:height, 0:width]
    noise = random.integers(0, 12, (height, width))
    frames = []
    for shift in range(count):
        frame = np.full((height, width, 4), 255, np.uint8)
        for channel, (across, down) in enumerate(random.integers(1, 7, (3, 2))):
            frame[:, :, channel] = np.clip(x * across + y * down + noise + shift, 0, 255)
        if clear:
            frame[(x + shift) % 13 < 4] = 0
        frames.append(frame)
    again = [frames[int(n)] for n in random.integers(0, count, int(random.integers(0, 5)))]
    return frames + again


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 2**32 - 1),
    st.booleans(),
    st.sampled_from([1, 20, 45, 100]),
    st.sampled_from([0, 70]),
    st.booleans(),
    st.sampled_from(["diffusion", "ordered", "noise"]),
    st.sampled_from([0, 9]),
    st.sampled_from([2, 20, 256]),
)
def test_an_error_is_against_the_frame_s_own_source_and_bounded(
    seed: int, clear: bool, loss: int, amount: int, sparing: bool, dither: Dither, reach: int, colours: int
) -> None:
    """However long a clip drifts, no pixel adds more than the bound to the error of the fresh choice; what
    stands still does not change; clear stays clear; and what comes again looks as it did."""
    frames = drifting(seed, clear=clear)
    shared = share_palette(frames, colours)
    assert shared.few  # so that its entries stay where they are
    firsts = [next(i for i, f in enumerate(frames) if np.array_equal(f, frame)) for frame in frames]

    def coded(loss: int) -> bytes:
        return encode_gif(
            frames, shared, loss=loss, amount=amount, sparing=sparing, dither=dither, reach=reach, firsts=firsts
        )

    data = coded(loss)
    assert data == coded(loss)
    exact = steps_of(coded(0))
    seen = steps_of(data)
    weight = np.min([visibility(frame) for frame in frames], axis=0) / SCALE
    bound = max(search.LEFT, search.OTHER) * lossy.price(loss) * 12  # a code has at most 12 bits
    for index, (source, plain, shown) in enumerate(zip(frames, exact, seen, strict=True)):
        np.testing.assert_array_equal(shown[:, :, 3], source[:, :, 3])
        np.testing.assert_array_equal(shown, seen[firsts[index]])
        if index:
            still = (source == frames[index - 1]).all(axis=2) & (firsts[index] == index)
            np.testing.assert_array_equal(shown[still], seen[index - 1][still])
        there = source[:, :, 3] > 0
        aim = (plain if amount else source)[there][:, :3].astype(int)
        error = ((shown[there][:, :3] - aim) ** 2).sum(axis=1)
        fresh = ((aim[:, None] - shared.colours[None].astype(int)) ** 2).sum(axis=2).min(axis=1)
        moved = 0 if amount else 3**0.5 * reach  # a source that moved so little since it was chosen for
        most = np.sqrt((np.sqrt(fresh) + moved) ** 2 + bound / weight[there]) + moved
        assert (np.sqrt(error) <= most + 1e-6).all()


@pytest.mark.parametrize("amount", [0, 60])
def test_frames_side_by_side_and_one_after_the_other_are_the_same_bytes(
    amount: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    frames = moving_square(6, 96, 64)
    shared = share_palette(frames, 40, weighed=True)
    alone = encode_gif(frames, shared, loss=40, amount=amount)
    monkeypatch.setattr(side_by_side, "SMALL", 0)
    assert encode_gif(frames, shared, loss=40, amount=amount) == alone


def test_more_loss_is_fewer_bytes_and_none_is_exact() -> None:
    frames = lit_ball(8)
    shared = share_palette(frames, 256, weighed=True)
    sizes = [len(encode_gif(frames, shared, loss=loss)) for loss in (0, 10, 20, 40, 70)]
    assert all(more < less for less, more in itertools.pairwise(sizes)), sizes
    assert sizes[-1] < sizes[0] / 3
    assert encode_gif(frames, shared, loss=0) == encode_gif(frames, shared)


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 2**32 - 1), st.sampled_from([1, 5, 10, 20, 70]))
def test_no_loss_makes_a_file_larger(seed: int, loss: int) -> None:
    """Flat art that moves: there an error may cost more later than it saves at once."""
    random = np.random.default_rng(seed)
    height, width = (int(n) for n in random.integers(24, 90, 2))
    frames = moving_square(int(random.integers(2, 9)), width, height)
    if seed % 2:  # a ramp that drifts
        y, x = np.mgrid[0:height, 0:width]
        frames = [np.stack([x * 3 + n, y * 3, x + y, x * 0 + 255], 2).astype(np.uint8) for n in range(9)]
    shared = share_palette(frames, int(random.integers(8, 256)))
    assert len(encode_gif(frames, shared, loss=loss)) <= len(encode_gif(frames, shared))


def test_the_page_colour_is_left_alone() -> None:
    """Other colours are drawn to it, it is not to them: the page must be met without a seam."""
    page = (200, 201, 199)
    frames = [frame.copy() for frame in lit_ball(4)]
    for frame in frames:
        frame[:, ::3, :3] = page
    shared = share_palette(frames, 64, matte=page, weighed=True)
    for picture in read_gif(encode_gif(frames, shared, loss=60, exact=[page])).pictures():
        assert (picture[:, ::3, :3] == page).all()


def test_errors_weigh_most_where_a_picture_is_smooth_and_dark() -> None:
    picture = np.full((60, 90, 4), 255, np.uint8)
    picture[:, :30, :3] = 128
    picture[:, 30:60, :3] = 10
    picture[:, 60:, :3] = np.random.default_rng(1).integers(0, 256, (60, 30, 1))
    weight = visibility(picture)
    flat, dark, busy = (weight[10:50, x : x + 10] for x in (8, 38, 72))
    assert abs(int(flat.min()) - SCALE) <= 1
    assert dark.min() > flat.max() > 10 * busy.max()


def test_the_entries_end_at_the_mean_of_what_shows_them() -> None:
    frames = [np.dstack([frame, np.full(frame.shape[:2], 255, np.uint8)]) for frame in film(4)]
    shared = share_palette(frames, 256, weighed=True)
    assert not shared.few
    off = []
    for moved in (True, False):
        data = bytearray(encode_gif(frames, shared, loss=30))
        if not moved:
            data[13 : 13 + 3 * len(shared.colours)] = shared.colours.tobytes()
        off.append(
            sum(
                float(
                    (
                        visibility(frame)[:, :, None] * (frame[:, :, :3] - seen[:, :, :3].astype(float)) ** 2
                    ).sum()
                )
                for frame, seen in zip(frames, read_gif(bytes(data)).pictures(), strict=True)
            )
        )
    assert off[0] < off[1]


def film(count: int) -> list[np.ndarray]:
    """Noise with some structure: of more colours than are counted one by one."""
    random = np.random.default_rng(3)
    y, x = np.mgrid[0:90, 0:120]
    base = np.stack([x * 2, y * 2, x + y], axis=2)
    return [
        np.clip(base + random.normal(0, 6, base.shape) + 3 * n, 0, 255).astype(np.uint8) for n in range(count)
    ]
