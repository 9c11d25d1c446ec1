"""Frames with colour tables of their own: what stays as it was, how near each is, and when they pay."""

from unittest import mock

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from jayflick.core.dither.kinds import Dither
from jayflick.core.formats.gif import lossy, own_tables, search, side_by_side
from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.own_tables import OwnTables
from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.formats.gif.shared import share_palette
from jayflick.core.formats.gif.weighing import cost
from jayflick.core.quality.visible import SCALE, visibility
from tests.conftest import Pictures, lit_ball, moving_square, steps_of
from tests.core.test_loss import drifting

EACH = OwnTables(255)
IF_IT_PAYS = OwnTables(255, where_they_pay=True)


def firsts_of(frames: Pictures) -> list[int]:
    return [next(i for i, f in enumerate(frames) if np.array_equal(f, frame)) for frame in frames]


def scenes() -> Pictures:
    """Three soft pictures, none of the others' hues, each of which moves a little."""
    y, x = np.mgrid[0:60, 0:80]
    frames = []
    for scene in range(3):
        for step in range(3):
            frame = np.full((60, 80, 4), 255, np.uint8)
            frame[:, :, scene] = np.clip(2 * x + y + 4 * step, 0, 255)
            frame[:, :, (scene + 1) % 3] = np.clip(3 * y - step, 0, 255)
            frame[:, :, (scene + 2) % 3] = 20
            frames.append(frame)
    return frames


def error(frames: Pictures, data: bytes) -> float:
    pairs = zip(frames, steps_of(data), strict=True)
    return float(np.mean([((a[:, :, :3].astype(float) - b[:, :, :3]) ** 2).mean() for a, b in pairs]))


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 2**32 - 1),
    st.booleans(),
    st.sampled_from([0, 20, 45, 100]),
    st.sampled_from([0, 70]),
    st.booleans(),
    st.sampled_from(["diffusion", "ordered", "noise"]),
    st.sampled_from([0, 9]),
    st.sampled_from([2, 20, 256]),
)
def test_each_frame_is_as_near_as_its_own_table_and_loss_allow(
    seed: int, clear: bool, loss: int, amount: int, sparing: bool, dither: Dither, reach: int, colours: int
) -> None:
    """No error builds up, whatever the tables; what stands still does not change, clear stays clear, and what
    comes again is as near to its first showing as the table it got allows."""
    frames = drifting(seed, clear=clear)
    firsts = firsts_of(frames)
    own = OwnTables(colours)

    def coded() -> bytes:
        shared = share_palette(frames, 2)
        return encode_gif(
            frames,
            shared,
            loss=loss,
            amount=amount,
            sparing=sparing,
            dither=dither,
            reach=reach,
            firsts=firsts,
            own=own,
        )

    with mock.patch.object(
        own_tables, "at_means", lambda colours, *_: colours
    ):  # entries that move afterwards blur the bound
        data = coded()
        assert data == coded()
    gif = read_gif(data)
    if gif.palette is not None:  # one table held everything
        return
    seen = steps_of(data)
    tables = [frame for frame in gif.frames for _ in range(frame.delay)]
    bound = max(search.LEFT, search.OTHER) * lossy.price(loss) * 12  # a code has at most 12 bits
    limits: list[NDArray[np.float64]] = []
    for index, (source, shown, frame) in enumerate(zip(frames, seen, tables, strict=True)):
        assert frame.local_palette is not None
        np.testing.assert_array_equal(shown[:, :, 3], source[:, :, 3])
        there = source[:, :, 3] > 0
        before = firsts[index]
        aim = (seen[before] if before < index else source)[:, :, :3].astype(int)
        entries = frame.local_palette[: frame.transparent].astype(int)
        fresh = ((aim[:, :, None] - entries) ** 2).sum(axis=3).min(axis=2)
        if before < index:
            off = ((shown[:, :, :3].astype(int) - aim) ** 2).sum(axis=2)
            assert (off <= fresh)[there].all()
            limits.append(limits[before] + np.sqrt(fresh))
            continue
        limit = np.sqrt(fresh + bound / (visibility(source) / SCALE)) + 2 * 3**0.5 * reach
        if index:
            still = (source == frames[index - 1]).all(axis=2)
            if not clear:
                np.testing.assert_array_equal(shown[still], seen[index - 1][still])
            # Where a source moves within tolerance, its pixel may be one that an earlier table gave.
            limit = np.where(still | (reach > 0), np.maximum(limit, limits[-1]), limit)
        limits.append(limit)
        if amount == 0 and (
            index == 0 or frame is not tables[index - 1]
        ):  # of one that was merged the table is not there
            off = np.sqrt(((shown[:, :, :3].astype(int) - aim) ** 2).sum(axis=2))
            assert (off <= limit + 1e-6)[there].all()


@pytest.mark.parametrize("options", [{}, {"loss": 40}, {"amount": 60}, {"reach": 6}])
def test_drawn_art_that_comes_again_looks_as_it_did(options: dict[str, int]) -> None:
    frames = []
    for index in range(6):  # more colours in all than one table holds
        frame = np.full((40, 60, 4), 255, np.uint8)
        frame[:, :, 0] = np.arange(60) * 4
        frame[:, :, 1] = 40 * index
        frames.append(frame)
    frames += frames[4:0:-1]
    firsts = firsts_of(frames)
    shared = share_palette(frames, 255)
    assert not shared.lossless
    seen = steps_of(encode_gif(frames, shared, firsts=firsts, own=EACH, **options))  # type: ignore[arg-type]
    for index, first in enumerate(firsts):
        np.testing.assert_array_equal(seen[index], seen[first])


def test_scenes_of_other_hues_are_truer_with_a_table_each() -> None:
    frames = scenes()
    shared = share_palette(frames, 256)
    one, each = encode_gif(frames, shared), encode_gif(frames, shared, own=EACH)
    assert error(frames, each) < error(frames, one) / 2
    assert all(frame.local_palette is not None for frame in read_gif(each).frames)
    assert read_gif(each).palette is None


@pytest.mark.parametrize("loss", [0, 30, 90])
def test_the_better_of_the_two_is_taken(loss: int) -> None:
    frames = scenes()
    shared = share_palette(frames, 256, weighed=loss > 0)
    one, each = (encode_gif(frames, shared, loss=loss, own=own) for own in (None, EACH))
    costs = {cost(data, frames, loss): data for data in (each, one)}
    assert encode_gif(frames, shared, loss=loss, own=IF_IT_PAYS) == costs[min(costs)]


def test_one_table_stays_where_others_could_not_keep_what_is_promised() -> None:
    """Clear art and frames that come again stay as exact as they are; and nothing beats a lossless table."""
    film = lit_ball(4)
    few = [frame & np.uint8(0xC0) | np.uint8(0x3F) for frame in moving_square(4)]
    clear = [frame.copy() for frame in film]
    clear[2][5:20, 5:20] = 0
    for frames, colours in ((clear, 64), ([*film, film[1]], 64), (few, 255)):
        shared = share_palette(frames, colours)
        assert shared.lossless == (frames is few)
        firsts = firsts_of(frames)
        one = encode_gif(frames, shared, firsts=firsts)
        assert encode_gif(frames, shared, firsts=firsts, own=IF_IT_PAYS) == one


def test_locked_colours_and_the_page_are_in_every_table() -> None:
    page, house = (200, 201, 199), (12, 200, 77)
    frames = [frame.copy() for frame in lit_ball(4)]
    for frame in frames:
        frame[:, ::3, :3] = page
        frame[::4, 1::3, :3] = house
    shared = share_palette(frames, 64, matte=page, locked=[house], weighed=True)
    data = encode_gif(frames, shared, loss=60, own=OwnTables(64, page, [house]), exact=[house, page])
    gif = read_gif(data)
    assert all(house in {tuple(entry) for entry in frame.local_palette.tolist()} for frame in gif.frames)  # type: ignore[union-attr]
    for picture in gif.pictures():
        assert (picture[:, ::3, :3] == page).all()
        assert (picture[::4, 1::3, :3] == house).all()


@pytest.mark.parametrize("own", [EACH, IF_IT_PAYS])
def test_frames_side_by_side_and_one_after_the_other_are_the_same_bytes(
    own: OwnTables, monkeypatch: pytest.MonkeyPatch
) -> None:
    frames = scenes()
    shared = share_palette(frames, 40, weighed=True)
    alone = encode_gif(frames, shared, loss=40, own=own)
    monkeypatch.setattr(side_by_side, "SMALL", 0)
    assert encode_gif(frames, shared, loss=40, own=own) == alone


def test_the_smallest_of_pictures() -> None:
    for frames in (
        [np.full((1, 1, 4), 255, np.uint8)] * 2,
        [np.zeros((3, 1, 4), np.uint8)] * 3,
        [np.array([[[n * 90, n, 7, 255]]], np.uint8) for n in range(3)],
        lit_ball(1),
    ):
        shared = share_palette(frames, 2)
        for loss in (0, 50):
            seen = steps_of(encode_gif(frames, shared, loss=loss, own=EACH))
            assert len(seen) == len(frames)
            assert [(a[:, :, 3] == b[:, :, 3]).all() for a, b in zip(seen, frames, strict=True)]
