"""Our files as others read them: Pillow and PyAV decode them to the same pixels, delays and repeat."""

import struct
from collections.abc import Callable
from io import BytesIO

import av
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageSequence

from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.own_tables import OwnTables
from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.formats.gif.retime import retime
from jayflick.core.formats.gif.shared import share_palette
from jayflick.core.framing.alpha import settle
from jayflick.core.recipe import Alpha
from tests.conftest import Pictures, lit_ball, moving_square


def holed(frame: NDArray[np.uint8], at: int) -> NDArray[np.uint8]:
    frame = frame.copy()
    frame[5:30, at : at + 20] = 0
    return frame


def of_256_colours(count: int) -> Pictures:
    """Opaque art of just so many colours, of which a strip moves."""
    cells = np.arange(256, dtype=np.uint8).reshape(16, 16).repeat(3, 0).repeat(3, 1)
    frames = []
    for n in range(count):
        shown = cells.copy()
        shown[20:30] = np.roll(shown[20:30], 3 * n, axis=1)
        frames.append(np.dstack([shown, 255 - shown, shown // 2, np.full_like(shown, 255)]))
    return frames


CASES: dict[str, Callable[[], Pictures]] = {
    "opaque": lambda: moving_square(9, 80, 60),
    "held": lambda: [frame for frame in moving_square(3, 80, 60) for _ in range(2)],
    "clear": lambda: [settle(frame, Alpha()) for frame in moving_square(9, 80, 60, soft=True)],
    "lit, with a hole that moves": lambda: [holed(frame, 5 * n) for n, frame in enumerate(lit_ball(5))],
    "of 256 colours": lambda: of_256_colours(5),
    "over a page": lambda: [
        settle(f, Alpha(edges="matte", matte="#336699")) for f in moving_square(5, soft=True)
    ],
}


def made(frames: Pictures, repeat: int = 0, own: OwnTables | None = None) -> bytes:
    colours = 256 if len(np.unique(frames[0].reshape(-1, 4), axis=0)) == 256 else 24
    gif = read_gif(encode_gif(frames, share_palette(frames, colours, kept=True), amount=70, own=own))
    return retime(gif, [4, 5, 100, 7, 2, 3, 8, 9, 1000][: len(gif.frames)], repeat)


TABLES = pytest.mark.parametrize("own", [None, OwnTables(24)], ids=["one table", "a table each"])


@TABLES
@pytest.mark.parametrize("case", CASES)
def test_pillow_sees_what_our_reader_sees(case: str, own: OwnTables | None) -> None:
    data = made(CASES[case](), own=own)
    gif = read_gif(data)
    if case.startswith("lit"):
        assert (gif.palette is None) == (own is not None)
    with Image.open(BytesIO(data)) as picture:
        shown = [np.array(frame.convert("RGBA")) for frame in ImageSequence.Iterator(picture)]
        delays = [frame.info["duration"] for frame in ImageSequence.Iterator(picture)]
    assert delays == [frame.delay * 10 for frame in gif.frames]
    for ours, theirs in zip(gif.pictures(), shown, strict=True):
        np.testing.assert_array_equal(ours[:, :, 3], theirs[:, :, 3])
        there = ours[:, :, 3] > 0
        np.testing.assert_array_equal(ours[there], theirs[there])


@TABLES
@pytest.mark.parametrize("case", CASES)
def test_pyav_sees_what_our_reader_sees(case: str, own: OwnTables | None) -> None:
    data = made(CASES[case](), own=own)
    gif = read_gif(data)
    with av.open(BytesIO(data), format="gif") as container:
        assert isinstance(container, av.container.InputContainer)
        decoded = list(container.decode(video=0))
    starts = np.cumsum([0, *[frame.delay for frame in gif.frames]])[:-1]
    assert [frame.pts for frame in decoded] == starts.tolist()
    for ours, frame in zip(gif.pictures(), decoded, strict=True):
        theirs = frame.to_ndarray(format="rgba")
        there = ours[:, :, 3] > 0
        np.testing.assert_array_equal(ours[there], theirs[there])
        np.testing.assert_array_equal(ours[:, :, 3], theirs[:, :, 3])


@pytest.mark.parametrize(("repeat", "loop"), [(0, 0), (1, None), (2, 1), (5, 4)])
def test_pillow_finds_the_repeat(repeat: int, loop: int | None) -> None:
    with Image.open(BytesIO(made(moving_square(3), repeat))) as picture:
        assert picture.info.get("loop") == loop


def test_our_reader_reads_what_pillow_writes() -> None:
    frames = [Image.fromarray(frame) for frame in moving_square(5, soft=True)]
    out = BytesIO()
    frames[0].save(
        out, "GIF", save_all=True, append_images=frames[1:], duration=[20, 50, 90, 1000, 30], loop=2, disposal=2
    )
    gif = read_gif(out.getvalue())
    assert [frame.delay for frame in gif.frames] == [2, 5, 9, 100, 3]
    assert gif.repeat == 3
    with Image.open(out) as picture:
        for ours, theirs in zip(gif.pictures(), ImageSequence.Iterator(picture), strict=True):
            wanted = np.array(theirs.convert("RGBA"))
            np.testing.assert_array_equal(ours[ours[:, :, 3] > 0], wanted[wanted[:, :, 3] > 0])


@pytest.mark.parametrize("interlace", [0, 1])
def test_our_reader_reads_interlaced_pictures(interlace: int) -> None:
    """GIF89a, Appendix E."""
    out = BytesIO()
    Image.fromarray(moving_square(1, 37, 29)[0]).convert("P").save(out, "GIF", interlace=interlace)
    gif = read_gif(out.getvalue())
    assert gif.frames[0].interlaced is bool(interlace)
    with Image.open(out) as picture:
        np.testing.assert_array_equal(next(gif.pictures()), np.array(picture.convert("RGBA")))


def test_our_reader_reads_local_palettes() -> None:
    random = np.random.default_rng(4)
    red, blue = (Image.fromarray(random.integers(0, 256, (30, 40, 3)).astype(np.uint8)) for _ in range(2))
    out = BytesIO()
    red.save(out, "GIF", save_all=True, append_images=[blue], duration=40)
    gif = read_gif(out.getvalue())
    assert gif.frames[1].local_palette is not None
    with Image.open(out) as picture:
        for ours, theirs in zip(gif.pictures(), ImageSequence.Iterator(picture), strict=True):
            np.testing.assert_array_equal(ours, np.array(theirs.convert("RGBA")))


def test_the_blocks_stand_as_the_specification_lays_them_out() -> None:
    """GIF89a (CompuServe, 1990), section by section."""
    data = made(moving_square(2, 300, 27))
    assert data[:6] == b"GIF89a"  # 17, header
    width, height, flags, background, aspect = struct.unpack("<HHBBB", data[6:13])  # 18, logical screen
    assert (width, height, background, aspect) == (300, 27, 0, 0)
    assert flags & 0x80
    at = 13 + 3 * (2 << (flags & 7))  # 19, global colour table
    assert data[at : at + 3] == b"\x21\xff\x0b"  # 26, application extension
    assert data[at + 3 : at + 19] == b"NETSCAPE2.0\x03\x01\x00\x00\x00"
    at += 19
    control = data[at : at + 8]  # 23, graphic control extension
    assert control[:3] == b"\x21\xf9\x04"
    assert control[3] >> 2 & 7 in (1, 2)
    assert struct.unpack("<H", control[4:6]) == (4,)
    assert control[7] == 0
    at += 8
    assert data[at] == 0x2C  # 20, image descriptor
    assert struct.unpack("<HHHHB", data[at + 1 : at + 10]) == (0, 0, 300, 27, 0)
    at += 10
    assert data[at] == (flags & 7) + 1  # 22, LZW minimum code size
    at += 1
    sizes = []
    while data[at]:  # 15, data sub-blocks
        sizes.append(data[at])
        at += data[at] + 1
    assert set(sizes[:-1]) <= {255}  # full but for the last
    assert data[-1] == 0x3B  # 27, trailer
