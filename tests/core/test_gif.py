"""Coding and decoding GIF files of our own: what goes in comes out, and only what changes is written."""

import itertools
import struct
from typing import Any, get_args

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jayflick.core.dither.kinds import Dither
from jayflick.core.dither.quantise import Quantiser
from jayflick.core.dither.thresholds import thresholds
from jayflick.core.errors import InputError
from jayflick.core.formats.gif import lzw
from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.own_tables import OwnTables
from jayflick.core.formats.gif.reader import describe, read_gif
from jayflick.core.formats.gif.retime import retime
from jayflick.core.formats.gif.shared import share_palette
from jayflick.core.framing.alpha import settle
from jayflick.core.palette.levels import FINE
from jayflick.core.palette.nearest import Nearest
from jayflick.core.pictures.kinds import read_header, read_picture
from jayflick.core.recipe import Alpha
from jayflick.core.sequence.gather import Found, gather
from jayflick.core.sequence.pieces import Piece, Refused, pieces
from tests.conftest import Pictures, moving_square, steps_of
from tests.odd_gifs import NONE, ODD


def coded(frames: Pictures, colours: int = 256, **options: Any) -> bytes:
    return encode_gif(frames, share_palette(frames, colours), **options)


def flat_art(seed: int, *, clear: bool) -> Pictures:
    """Random blocks of few colours, some of them transparent, moving at random."""
    random = np.random.default_rng(seed)
    height, width = random.integers(1, 24, 2)
    colours = random.integers(0, 256, (int(random.integers(1, 9)), 4)).astype(np.uint8)
    colours[:, 3] = random.choice([0, 255], len(colours)) if clear else 255
    colours[colours[:, 3] == 0] = 0
    frames = []
    canvas = np.zeros((height, width), np.int64)
    for _ in range(random.integers(1, 8)):
        top, left = random.integers(0, height), random.integers(0, width)
        canvas = canvas.copy()
        canvas[top : top + 7, left : left + 9] = random.integers(0, len(colours))
        frames.append(colours[canvas])
    return frames


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32 - 1), st.booleans())
def test_art_of_few_colours_comes_back_pixel_for_pixel(seed: int, clear: bool) -> None:
    frames = flat_art(seed, clear=clear)
    for wanted, seen in zip(frames, steps_of(coded(frames, amount=60)), strict=True):
        np.testing.assert_array_equal(seen[seen[:, :, 3] > 0], wanted[wanted[:, :, 3] > 0])
        np.testing.assert_array_equal(seen[:, :, 3], wanted[:, :, 3])


def art_of(colours: int, count: int, width: int) -> Pictures:
    """Opaque art of so many colours, of which parts move."""
    random = np.random.default_rng(colours + 1000 * width + count)
    palette = random.permutation(1 << 16)[:colours].astype("<u4") * 255 | np.uint32(0xFF000000)
    first = np.resize(random.permutation(colours), (-(-2 * colours // width), width))
    frames = [first]
    for _ in range(count - 1):
        frames.append(np.where(random.random(first.shape) < 0.1, random.permutation(first), frames[-1]))
    return [palette[picture].astype("<u4").view(np.uint8).reshape(*picture.shape, 4) for picture in frames]


@pytest.mark.parametrize("width", [1, 7, 64, 301])
@pytest.mark.parametrize(("colours", "clear"), [(254, 0), (255, 0), (256, 0), (257, 0), (255, 1), (256, 1)])
def test_opaque_art_may_use_all_256_places(colours: int, clear: int, width: int) -> None:
    """Nothing is marked as unchanged then. Whatever else needs a place for it has 255."""
    for count in (1, 2, 5):
        frames = art_of(colours, count, width)
        frames[-1][0, :clear] = 0
        shared = share_palette(frames, 256, kept=True)
        whole = colours == 256 and not clear
        assert shared.lossless == (colours < 256 or whole)
        assert len(shared.colours) == colours if shared.lossless else len(shared.colours) <= 255
        data = encode_gif(frames, shared)
        for seen, wanted in zip(steps_of(data), frames, strict=True):
            np.testing.assert_array_equal(seen[:, :, 3], wanted[:, :, 3])
            if shared.lossless:
                np.testing.assert_array_equal(seen[wanted[:, :, 3] > 0], wanted[wanted[:, :, 3] > 0])


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(2, 8), st.booleans())
def test_lzw_gives_back_what_it_was_given(seed: int, size: int, free: bool) -> None:
    random = np.random.default_rng(seed)
    height, width = random.integers(1, 90, 2)
    none = (1 << size) - 1
    wanted = (random.integers(0, 1 << size, (height, width)) // random.integers(1, 4)).astype(np.uint8)
    canvas = np.where(random.random((height, width)) < 0.6, wanted, none).astype(np.uint8)
    stream = lzw.encode(wanted, canvas, none, size=size, free=free)
    back = lzw.decode(stream, size, height * width).reshape(height, width)
    if free:
        back = np.where(back == none, canvas, back)
    np.testing.assert_array_equal(back, wanted)


def codes_of(wanted: list[int], canvas: list[int], none: int) -> int:
    """How many codes it takes, without a clear, if each pixel is decided on as it comes."""
    known: dict[tuple[int, ...], int] = {(n,): n for n in range(none + 1)}
    prefix: tuple[int, ...] = ()
    count = 1
    for own, shown in zip(wanted, canvas, strict=True):
        ways = [none, own] if own == shown else [own]
        found = next(((*prefix, way) for way in ways if (*prefix, way) in known), None)
        if found is None:
            known[(*prefix, ways[0])] = len(known)
            count += 1
            found = (ways[0],)
        prefix = found
    return count


@pytest.mark.parametrize("colours", [2, 3, 5])
def test_a_pixel_that_is_shown_already_is_taken_as_it_lengthens_the_run(colours: int) -> None:
    """Flat art that changes in blocks takes a tenth fewer codes than if each pixel were decided as it comes."""
    random = np.random.default_rng(3)
    wanted = random.integers(0, colours, (15, 23)).repeat(4, 0).repeat(4, 1)[:60, :90].astype(np.uint8)
    shown = (random.random((20, 30)) < 0.3).repeat(3, 0).repeat(3, 1)
    canvas = np.where(shown, wanted, (wanted + 1) % colours).astype(np.uint8)
    stream = lzw.encode(wanted, canvas, colours, size=4, free=True)
    once = codes_of(wanted.ravel().tolist(), canvas.ravel().tolist(), colours)
    first = 16 + 2
    bits = sum((first + n - 1).bit_length() for n in range(once))  # Appendix F: a code is as long as the newest
    assert 8 * len(stream) < 0.92 * bits


def test_what_does_not_change_is_not_written_again() -> None:
    frames = moving_square(8)
    data = coded(frames)
    info = describe(read_gif(data), len(data))
    assert info["frames"][0]["box"] == [0, 0, 48, 32]
    for frame in info["frames"][1:]:
        _, top, width, height = frame["box"]
        assert (top, height) == (7, 12)
        assert width < 24
    assert sum(frame["bytes"] for frame in info["frames"][1:]) < 2 * info["frames"][0]["bytes"]


ALL_WAYS: list[dict[str, Any]] = [
    {},
    {"loss": 30},
    {"own": OwnTables(256)},
    {"own": OwnTables(256), "loss": 30},
    {"own": OwnTables(256, where_they_pay=True), "amount": 70, "reach": 4},
]


@pytest.mark.parametrize("options", ALL_WAYS)
@pytest.mark.parametrize("known", [True, False], ids=["known to be equal", "found to be equal"])
def test_frames_that_look_the_same_are_one_that_lasts(options: dict[str, Any], known: bool) -> None:
    """Held drawings, clear ones, the way back and the turn of a loop: each run is one frame of the file, and
    every frame shows what it does where each is different."""
    a, b, c = moving_square(3, soft=True)
    none = np.zeros_like(a)
    for kinds, order in (
        ((a, b, c), "aabbbcbba"),
        ((a, none, b), "abbbaacc"),
        ((none, a, b), "aabbc"),
        ((a,), "aaa"),
    ):
        names = dict(zip("abc", (settle(kind, Alpha()) for kind in kinds), strict=False))
        frames = [names[name] for name in order]
        firsts = [order.index(name) for name in order] if known else None
        data = coded(frames, firsts=firsts, **options)
        runs = [len(list(run)) for _, run in itertools.groupby(order)]
        if known or "own" not in options:
            assert [frame.delay for frame in read_gif(data).frames] == runs
        for wanted, seen in zip(frames, steps_of(data), strict=True):
            np.testing.assert_array_equal(seen[:, :, 3], wanted[:, :, 3])
            if not options:
                np.testing.assert_array_equal(seen[seen[:, :, 3] > 0], wanted[wanted[:, :, 3] > 0])


@pytest.mark.parametrize("dither", get_args(Dither))
@pytest.mark.parametrize("loss", [0, 30])
def test_still_areas_stay_still_under_dither(dither: str, loss: int) -> None:
    still = moving_square(1, 64, 64)[0]
    frames = [still.copy() for _ in range(4)]
    for index, frame in enumerate(frames):
        frame[:, : 8 + index, :3] = index * 60  # something changes at the left, upstream of the errors
    pictures = list(read_gif(coded(frames, 8, amount=100, dither=dither, loss=loss)).pictures())
    for before, after in itertools.pairwise(pictures):
        np.testing.assert_array_equal(before[:, 16:], after[:, 16:])


@pytest.mark.parametrize("dither", ["diffusion", "ordered", "noise"])
@pytest.mark.parametrize("level", [32, 100, 200])
def test_dither_keeps_the_mean_where_plain_choice_loses_it(dither: Dither, level: int) -> None:
    palette = np.array([[0, 0, 0], [255, 255, 255]], np.uint8)
    grey = np.full((64, 64, 4), 255, np.uint8)
    grey[:, :, :3] = level

    def mean(amount: int) -> float:
        squares = thresholds(dither, 8)
        near = Nearest.of(palette, FINE)
        quantiser = Quantiser(near, 64, 64, amount=amount, reach=0, thresholds=squares)
        quantiser.take(grey, slice(0, 64), quantiser.carry())
        shown = quantiser.shown
        return float(palette[shown].mean())

    assert mean(0) in (0.0, 255.0)
    assert abs(mean(100) - level) < 4


def test_soft_art_is_cleared_away_so_that_frames_do_not_pile_up() -> None:
    frames = [settle(frame, Alpha()) for frame in moving_square(6, soft=True)]
    gif = read_gif(coded(frames))
    for wanted, seen in zip(frames, gif.pictures(), strict=True):
        np.testing.assert_array_equal(wanted, seen)
    assert gif.frames[-1].disposal == 2  # the next round begins on an empty canvas
    once = read_gif(retime(gif, [4] * 6, 1))
    assert once.frames[-1].disposal == 1  # unless there is none, and it rests on its last frame
    np.testing.assert_array_equal(list(once.pictures())[-1], frames[-1])


def test_wholly_transparent_and_single_frames_are_files_too() -> None:
    nothing = np.zeros((3, 5, 4), np.uint8)
    assert not any(picture.any() for picture in read_gif(coded([nothing, nothing])).pictures())
    one = flat_art(7, clear=False)[-1]
    (seen,) = read_gif(coded([one])).pictures()
    np.testing.assert_array_equal(seen, one)
    assert read_gif(coded([one])).frames[0].transparent is None  # nothing to mark in a single opaque frame


def test_colours_are_never_more_than_asked_for() -> None:
    frames = moving_square(4, 96, 64)
    for colours in (2, 3, 16, 200, 256):
        data = coded(frames, colours, amount=60)
        assert describe(read_gif(data), len(data))["colours"] <= min(colours, 255)


def test_new_delays_touch_nothing_but_delays() -> None:
    data = coded(moving_square(3))
    gif = read_gif(data)
    timed = retime(gif, [4, 100, 65535], 0)
    again = read_gif(timed)
    assert [frame.delay for frame in again.frames] == [4, 100, 65535]
    assert again.repeat == 0
    assert retime(again, [1, 1, 1], 1) == data  # playing once has no repeat block
    assert read_gif(retime(gif, [1, 2, 3], 7)).repeat == 7


def test_every_way_of_being_broken_is_an_error_that_names_the_file() -> None:
    data = coded(moving_square(4))
    for cut in range(0, len(data) - 1, 7):
        with pytest.raises(InputError, match=r"broken\.gif: "):
            describe(read_gif(data[:cut], name="broken.gif"), cut, name="broken.gif")
    random = np.random.default_rng(11)
    refused = 0
    for _ in range(600):
        mutated = bytearray(data)
        for _ in range(random.integers(1, 6)):
            mutated[random.integers(6, len(data))] = random.integers(0, 256)
        try:
            describe(read_gif(bytes(mutated), name="broken.gif"), len(data), name="broken.gif")
        except InputError as error:
            assert error.file == "broken.gif"  # noqa: PT017
            refused += 1
    assert refused > 50


def test_clear_art_is_written_no_larger_than_it_is() -> None:
    frame = np.zeros((40, 60, 4), np.uint8)
    frame[10:20, 30:45] = (200, 30, 30, 255)
    later = np.roll(frame, 5, axis=1)
    gif = read_gif(coded([frame, later, np.zeros_like(frame)]))
    assert [written.box for written in gif.frames] == [(30, 10, 15, 10), (35, 10, 15, 10), (0, 0, 1, 1)]
    for wanted, seen in zip([frame, later, np.zeros_like(frame)], gif.pictures(), strict=True):
        np.testing.assert_array_equal(seen, wanted)


@pytest.mark.parametrize("dither", ["diffusion", "ordered", "noise"])
def test_dither_of_few_colours_invents_no_noise(dither: str) -> None:
    """Flat art of a few more colours than fit: dither only touches what the palette cannot show."""
    random = np.random.default_rng(5)
    colours = random.integers(0, 256, (300, 3)).astype(np.uint8)
    frame = np.full((60, 80, 4), 255, np.uint8)
    frame[:, :, :3] = colours[np.arange(4800).reshape(60, 80) // 16]
    (seen,) = read_gif(coded([frame], amount=100, dither=dither)).pictures()
    off = np.abs(seen[:, :, :3].astype(int) - frame[:, :, :3]).max(axis=2)
    assert np.median(off) == 0
    assert off.mean() < 4


def test_a_still_area_costs_the_fewest_codes_there_can_be() -> None:
    """Codes of a run grow by one pixel each (Appendix F): n codes cover n(n + 1) / 2 pixels."""
    still = np.full((200, 200), 7, np.uint8)
    data = lzw.encode(still, still, 255, size=8, free=True)
    codes = next(n for n in range(1, 1000) if n * (n + 1) // 2 >= still.size)
    assert lzw.decode(data, 8, still.size).tolist() == [255] * still.size
    assert len(data) <= (codes + 3) * 10 // 8 + 1


def placed(canvas: tuple[int, int], at: tuple[int, int]) -> tuple[bytes, np.ndarray]:
    """A GIF of one image of 10 × 6 somewhere on a canvas, which our encoder never writes; and the image."""
    y, x = np.mgrid[0:6, 0:10]
    image = np.stack([x * 20, y * 40, x * 0 + 90, x * 0 + 255], -1).astype(np.uint8)
    data = bytearray(coded([image]))
    struct.pack_into("<HH", data, 6, *canvas)
    struct.pack_into("<HH", data, data.index(b"\x2c\0\0\0\0\x0a\0\x06\0") + 1, *at)
    return bytes(data), image


@pytest.mark.parametrize("at", [(0, 0), (3, 2), (12, 9), (20, 2), (65_535, 65_535)])
def test_an_image_that_is_not_as_large_as_its_canvas_is_seen_where_it_lies(at: tuple[int, int]) -> None:
    """Around it nothing is drawn; what reaches outside the canvas is cut (GIF89a, section 20)."""
    data, image = placed((16, 12), at)
    left, top = min(at[0], 30), min(at[1], 30)  # far outside is outside
    wanted = np.zeros((40, 40, 4), np.uint8)
    wanted[top : top + 6, left : left + 10] = image
    seen = read_picture(data, name="wave.gif")
    np.testing.assert_array_equal(seen, wanted[:12, :16])
    header = read_header(data, name="wave.gif")
    assert (header.width, header.height, header.transparent) == (16, 12, True)
    shown = describe(read_gif(data), len(data))
    assert (shown["width"], shown["height"], shown["count"], shown["transparent"]) == (16, 12, 1, True)


def test_a_gif_without_an_image_is_refused() -> None:
    data, _ = placed((10, 6), (0, 0))
    bare = data[: data.index(b"\x2c\0\0\0\0")] + b"\x3b"
    with pytest.raises(InputError, match="holds no frames"):
        read_header(bare, name="wave.gif")


@pytest.mark.parametrize("what", ODD)
def test_gifs_that_browsers_show_come_in_as_far_as_they_go(what: str) -> None:
    data, count, said = ODD[what]
    found = [piece for piece in pieces(data, "odd.gif") if isinstance(piece, Piece)]
    assert len(found) == count
    (sequence,), _ = gather(Found(one.name, one.header, None, one.fingerprint) for one in found)
    remarks = [problem["message"] for problem in sequence.problems if problem["kind"] == "converted"]
    assert said in " ".join(remarks)
    assert bool(said) == bool(remarks)


@pytest.mark.parametrize("what", NONE)
def test_a_gif_of_which_nothing_can_be_shown_is_refused(what: str) -> None:
    assert all(isinstance(piece, Refused) for piece in pieces(NONE[what], "odd.gif"))


@pytest.mark.parametrize("what", [what for what in ODD if ODD[what][2]])
def test_what_we_hand_off_is_judged_strictly(what: str) -> None:
    with pytest.raises(InputError):
        describe(read_gif(ODD[what][0]), 0)
