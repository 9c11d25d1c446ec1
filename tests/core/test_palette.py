"""Palettes chosen by the error they leave, and nearest entries found exactly."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jayflick.core.dither.quantise import Quantiser
from jayflick.core.palette import histogram
from jayflick.core.palette.choose import choose_palette
from jayflick.core.palette.histogram import EXACT_LIMIT, Counted, Histogram
from jayflick.core.palette.levels import COARSE, EACH, FINE, SOFT, Levels
from jayflick.core.palette.nearest import Nearest, fill_cell


def added(*frames: np.ndarray) -> Histogram:
    histogram = Histogram.empty()
    for frame in frames:
        histogram.add(frame)
    return histogram


def counted(*frames: np.ndarray) -> Counted:
    return added(*frames).counted()


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(2, 255))
def test_the_nearest_entry_is_the_nearest_of_all(seed: int, entries: int) -> None:
    random = np.random.default_rng(seed)
    spread = random.choice([4, 40, 256])  # crowded palettes as well as wide ones
    palette = np.unique(random.integers(0, spread, (entries, 3)).astype(np.uint8), axis=0)
    near = Nearest.of(palette, EACH)
    colours = random.integers(0, 256, (300, 3))
    distances = ((colours[:, None, :] - palette[None].astype(np.int64)) ** 2).sum(axis=2)
    for (r, g, b), row in zip(colours.tolist(), distances, strict=True):
        tables = near.candidates, near.table, near.exact, EACH.index, EACH.middle
        pick = fill_cell(r, g, b, near.entries, *tables)
        assert row[pick] == row.min()


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(2, 255), st.sampled_from([0, 60, 100]), st.booleans())
def test_a_colour_of_the_palette_shows_itself_and_flat_areas_stay_flat(
    seed: int, entries: int, amount: int, few: bool
) -> None:
    """However colours share cells of the look-up, whatever errors reach a pixel: black is black."""
    random = np.random.default_rng(seed)
    spread = int(random.choice([4, 40, 256]))  # crowded dark palettes as well as wide ones
    palette = np.unique(random.integers(0, spread, (entries, 3)).astype(np.uint8), axis=0)
    frame = np.full((24, 40, 4), 255, np.uint8)
    held = random.integers(0, len(palette), (24, 40))
    held[:, 20:] = held[0, 20]  # flat
    frame[:, :, :3] = palette[held]
    frame[8:12, 4:36, :3] = random.integers(0, 256, (4, 32, 3))  # with colours it has not, across both halves
    levels = EACH if few else SOFT if amount else FINE
    quantiser = Quantiser(Nearest.of(palette, levels), 24, 40, amount=amount, reach=0)
    quantiser.take(frame, slice(0, 24), quantiser.carry())
    shown = palette[quantiser.shown]
    of_palette = (frame[:, :, None, :3] == palette[None, None]).all(axis=3).any(axis=2)
    np.testing.assert_array_equal(shown[of_palette], frame[:, :, :3][of_palette])


def test_the_page_colour_is_in_the_palette_exactly() -> None:
    random = np.random.default_rng(2)
    frame = np.full((200, 300, 4), 255, np.uint8)
    frame[:, :, :3] = random.integers(0, 256, (200, 300, 3))  # more colours than are counted one by one
    frame[:4, :64, :3] = (0x26, 0x2A, 0x2E)
    colours = choose_palette(counted(frame), 32, (0x26, 0x2A, 0x2E))
    assert [0x26, 0x2A, 0x2E] in colours.tolist()
    assert len(colours) <= 32
    dark = np.minimum(frame, [9, 9, 9, 255]).astype(np.uint8)
    assert [200, 200, 200] not in choose_palette(
        counted(dark), 32, (200, 200, 200)
    ).tolist()  # it does not occur


def test_few_colours_are_kept_exactly() -> None:
    random = np.random.default_rng(3)
    colours = np.unique(random.integers(0, 256, (200, 3)).astype(np.uint8), axis=0)
    frame = np.full((20, 40, 4), 255, np.uint8)
    frame[:, :, :3] = colours[random.integers(0, len(colours), (20, 40))]
    used = np.unique(frame[:, :, :3].reshape(-1, 3), axis=0)
    palette = choose_palette(counted(frame), 255)
    assert sorted(map(tuple, palette.tolist())) == sorted(map(tuple, used.tolist()))


@pytest.mark.parametrize("spread", [12, 256], ids=["few colours", "more than are counted one by one"])
def test_counting_in_parts_is_counting_whole(spread: int) -> None:
    random = np.random.default_rng(5)
    frames = [
        np.dstack([random.integers(0, spread, (90, 160, 3)), random.integers(0, 2, (90, 160)) * 255])
        for _ in range(4)
    ]
    frames = [frame.astype(np.uint8) for frame in frames]
    whole, first = counted(*frames), added(*frames[:3])
    first.merge(added(*frames[3:]))
    both = first.counted()
    assert both.exact is whole.exact is (spread == 12)
    assert len(whole.pixels) <= EXACT_LIMIT or spread == 256
    assert both.dump() == whole.dump()
    assert whole.pixels.sum() == sum((frame[:, :, 3] > 0).sum() for frame in frames)
    assert whole.transparent


@pytest.mark.parametrize("most", [1, 999, 20000])
def test_it_does_not_matter_how_often_counts_are_summed_up(most: int, monkeypatch: pytest.MonkeyPatch) -> None:
    random = np.random.default_rng(7)
    frames = [random.integers(0, 256, (97, 131, 4)).astype(np.uint8) | np.uint8(1) for _ in range(2)]
    at_once = counted(*frames).dump()
    monkeypatch.setattr(histogram, "_MOST_WAITING", most)
    assert counted(*frames).dump() == at_once


@pytest.mark.parametrize("spread", [12, 256])
@pytest.mark.parametrize("weighed", [False, True])
def test_what_was_counted_is_the_same_once_it_was_kept(spread: int, weighed: bool) -> None:
    """And tells of every colour that was seen that it was; of groups, of their neighbours in it as well."""
    random = np.random.default_rng(4)
    frame = np.dstack([random.integers(0, spread, (90, 160, 3)), np.full((90, 160), 255)]).astype(np.uint8)
    frame[:, :, 0] |= np.uint8(64)
    before = Histogram.empty(weighed=weighed)
    before.add(frame, np.full((90, 160), 3, np.uint16) if weighed else None)
    after = Counted.parse(before.counted().dump())
    assert after.dump() == before.counted().dump()
    np.testing.assert_array_equal(choose_palette(after, 20), choose_palette(before.counted(), 20))
    for pixel in frame[::9, ::9, :3].reshape(-1, 3):
        assert after.holds((int(pixel[0]), int(pixel[1]), int(pixel[2])))
    for red in range(64):
        assert not after.holds((red, 5, 5))


def test_more_entries_never_serve_worse() -> None:
    random = np.random.default_rng(9)
    frame = np.full((64, 64, 4), 255, np.uint8)
    frame[:, :, :3] = random.integers(0, 256, (64, 64, 3))
    found = counted(frame)
    errors = []
    for most in (4, 16, 64, 255):
        palette = choose_palette(found, most).astype(np.int64)
        assert len(palette) <= most
        pixels = frame[:, :, :3].reshape(-1, 1, 3).astype(np.int64)
        errors.append(((pixels - palette[None]) ** 2).sum(axis=2).min(axis=1).mean())
    assert errors == sorted(errors, reverse=True)


def test_two_halves_of_the_rows_make_the_whole() -> None:
    random = np.random.default_rng(6)
    frame = np.dstack([random.integers(0, 256, (120, 161, 3)), np.full((120, 161), 255)]).astype(np.uint8)
    frame[7, 3, 3] = 0
    full = added(frame)  # already more colours than are counted one by one
    halves = added(frame)
    for half in (0, 1):
        halves.add(frame, rows=slice(half, None, 2))
    full.add(frame)
    assert halves.counted().dump() == full.counted().dump()
    odd = added(np.where(np.arange(4) == 3, 255, frame).astype(np.uint8))
    assert not odd.transparent
    odd.add(frame, rows=slice(0, None, 2))  # the clear pixel's row is not counted, but still looked at
    assert odd.transparent


@pytest.mark.parametrize("levels", [EACH, FINE, SOFT, COARSE])
def test_every_group_of_colours_has_a_place_of_its_own(levels: Levels) -> None:
    level = np.unique(levels.middle, return_index=True)[1]  # one level of each group
    index = levels.index.astype(np.int64)
    red, green, blue = (index[channel, level] for channel in range(3))
    places = red[:, None, None] + green[None, :, None] + blue[None, None, :]
    assert places.min() >= 0
    assert places.max() < levels.size
    assert np.bincount(places.ravel()).max() == 1
