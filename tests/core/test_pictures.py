"""PNG files read whole, or refused with the reason. PNG specification, third edition, by section."""

import struct
import subprocess
import sys
import tracemalloc
import zlib
from io import BytesIO
from random import Random
from typing import Any

import imagecodecs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from PIL import Image

from jayflick.core.errors import InputError
from jayflick.core.pictures.fingerprint import reduced
from jayflick.core.pictures.kinds import read_header, read_picture


def png(picture: Image.Image, **options: object) -> bytes:
    out = BytesIO()
    picture.save(out, "PNG", **options)
    return out.getvalue()


def chunk(tag: bytes, body: bytes) -> bytes:
    """Section 5.3: length, type, data, CRC."""
    return struct.pack(">I", len(body)) + tag + body + struct.pack(">I", zlib.crc32(tag + body))


def bare(
    width: int, height: int, depth: int, kind: int, rows: bytes, *extra: bytes, interlaced: bool = False
) -> bytes:
    header = struct.pack(">IIBBBBB", width, height, depth, kind, 0, 0, interlaced)
    parts = [chunk(b"IHDR", header), *extra, chunk(b"IDAT", zlib.compress(rows)), chunk(b"IEND", b"")]
    return b"\x89PNG\r\n\x1a\n" + b"".join(parts)


SAMPLE = png(Image.fromarray(np.arange(48 * 40 * 4, dtype=np.uint8).reshape(40, 48, 4)))


@pytest.mark.parametrize(
    ("mode", "expected"),
    [
        ("L", (90, 90, 90, 255)),
        ("RGB", (90, 20, 30, 255)),
        ("RGBA", (90, 20, 30, 40)),
        ("LA", (90, 90, 90, 40)),
    ],
)
def test_every_colour_type_becomes_straight_rgba(mode: str, expected: tuple[int, ...]) -> None:
    colour: Any = {"L": 90, "LA": (90, 40), "RGB": (90, 20, 30), "RGBA": (90, 20, 30, 40)}[mode]
    data = png(Image.new(mode, (3, 2), colour))
    assert read_picture(data, name="x.png")[1, 2].tolist() == list(expected)


def test_palettes_are_expanded_with_their_transparency() -> None:
    # Section 11.3.1.1: tRNS gives the alpha of the first palette entries.
    palette = chunk(b"PLTE", bytes([10, 20, 30, 40, 50, 60]))
    data = bare(2, 1, 1, 3, b"\0\x40", palette, chunk(b"tRNS", b"\x80"))
    assert read_header(data, name="x.png").transparent
    assert read_picture(data, name="x.png").tolist() == [[[10, 20, 30, 128], [40, 50, 60, 255]]]


def read_by_pillow(data: bytes) -> NDArray[np.uint8]:
    return np.array(Image.open(BytesIO(data)).convert("RGBA"))


@given(
    st.sampled_from([3, 4]),
    st.integers(1, 9),
    st.lists(st.sampled_from(range(5)), min_size=1, max_size=9),
    st.randoms(use_true_random=False),
)
def test_rows_of_every_filter_type_are_read_as_pillow_reads_them(
    channels: int, width: int, filters: list[int], random: Random
) -> None:
    """Section 9.2: whatever bytes follow a filter type, they are a row; small steps make predictors tie."""
    most = random.choice([1, 3, 255])
    samples = [bytes(random.randint(0, most) for _ in range(width * channels)) for _ in filters]
    rows = b"".join(bytes([kind]) + row for kind, row in zip(filters, samples, strict=True))
    data = bare(width, len(filters), 8, {3: 2, 4: 6}[channels], rows)
    np.testing.assert_array_equal(read_picture(data, name="x.png"), read_by_pillow(data))


def test_what_is_interlaced_or_holds_more_than_its_rows_is_read_too() -> None:
    first, second = b"\0\x0a\x14\x1e", b"\0\x28\x32\x3c"
    for data in (
        bare(2, 1, 8, 2, first + second, interlaced=True),  # section 8.1: in passes one and six
        bare(1, 1, 8, 2, first + b"and more"),
    ):
        np.testing.assert_array_equal(read_picture(data, name="x.png"), read_by_pillow(data))


@pytest.mark.parametrize("channels", [1, 2, 3, 4])
def test_sixteen_bits_are_rounded_not_cut(channels: int) -> None:
    # Section 13.12: a sample is scaled by 255/65535 and rounded; 257 is 1, 385 is 1.498, 386 is 1.502.
    values = np.array([0, 127, 129, 257, 385, 386, 65279, 65535], np.uint16)
    deep: NDArray[np.uint16] = np.repeat(values[None, :, None], channels, axis=2)
    got = read_picture(bytes(imagecodecs.png_encode(deep[:, :, 0] if channels == 1 else deep)), name="deep.png")
    rounded = np.rint(values / 257).astype(int).tolist()
    assert got[0, :, 0].tolist() == rounded
    assert got[0, :, 3].tolist() == (rounded if channels in (2, 4) else [255] * 8)


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "the file is empty"),
        (b"plain words", "not a supported picture format"),
        (SAMPLE[:5], "ends early, after 5 bytes"),
        (SAMPLE[: len(SAMPLE) // 2], "ends early"),
        (SAMPLE[:-1], "ends early"),
        (SAMPLE[:60] + b"\xff\xff" + SAMPLE[62:], "damaged near byte"),
        (bare(30000, 30000, 8, 6, b""), "30000 × 30000 is more than the 32 million pixels"),
        (bare(0, 4, 8, 6, b""), "header makes no sense"),
        (bare(4, 4, 3, 6, b""), "header makes no sense"),
        (b"\x89PNG\r\n\x1a\n" + chunk(b"IEND", b""), "header is missing"),
        (bare(4, 4, 8, 6, b"\0" * 7), "picture data is damaged"),
        (bare(4, 4, 16, 6, b"\0" * 7), "picture data is damaged"),
        (bare(1, 2, 8, 2, b"\0abc\5abc"), "picture data is damaged"),  # there is no filter type 5
    ],
)
def test_what_is_wrong_is_said_with_the_name(data: bytes, reason: str) -> None:
    with pytest.raises(InputError, match=reason) as caught:
        read_picture(data, name="wave_7.png")
    assert str(caught.value).startswith("wave_7.png: ")
    assert caught.value.remedy


def test_no_cut_and_no_flip_goes_unnoticed_or_crashes() -> None:
    for cut in range(0, len(SAMPLE), 13):
        with pytest.raises(InputError):
            read_picture(SAMPLE[:cut], name="x.png")
    random = np.random.default_rng(2)
    for _ in range(300):
        mutated = bytearray(SAMPLE)
        mutated[random.integers(0, len(SAMPLE))] ^= 1 << random.integers(0, 8)
        with pytest.raises(InputError):  # every byte is under a checksum or the signature
            read_picture(bytes(mutated), name="x.png")


@pytest.mark.parametrize("opaque", [True, False])
def test_an_overview_is_what_pillow_averages(opaque: bool) -> None:
    picture = np.random.default_rng(5).integers(0, 256, (37, 53, 4)).astype(np.uint8)
    if opaque:
        picture[..., 3] = 255
    wanted = Image.fromarray(picture).reduce(3)
    assert reduced(picture, 17, 12).tobytes() == wanted.tobytes()


def test_memory_that_one_frame_leaves_is_there_for_the_next() -> None:
    code = """if True:
        import resource
        import numpy as np
        from jayflick.core.heap import keep_freed_memory
        keep_freed_memory()
        for number in range(9):
            np.ones((1080, 1920, 4), np.uint8)
            if number == 0:
                before = resource.getrusage(resource.RUSAGE_SELF).ru_minflt
        print(resource.getrusage(resource.RUSAGE_SELF).ru_minflt - before)
    """
    faults = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert int(faults) < 500  # eight frames are 16,200 pages


@pytest.mark.parametrize("kind", ["PNG", "BMP", "TGA", "TIFF", "WEBP"])
def test_reading_a_picture_takes_little_more_memory_than_the_picture(kind: str) -> None:
    out = BytesIO()
    Image.new("RGBA", (1024, 1000), (40, 90, 200, 128)).save(out, kind)
    read_picture(out.getvalue(), name=f"a.{kind.lower()}")  # what is made once for all is no part of it
    tracemalloc.start()
    try:
        picture = read_picture(out.getvalue(), name=f"a.{kind.lower()}")
        assert tracemalloc.get_traced_memory()[1] < 2.5 * picture.nbytes
    finally:
        tracemalloc.stop()
