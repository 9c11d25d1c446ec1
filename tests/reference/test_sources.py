"""Every kind of file that frames come in, read the same as by an independent decoder.

Sources: Truevision TGA 2.0 (fields by number), PNG third edition (APNG, 11.3.6), WebP container specification,
GIF89a, EXIF 2.32 (4.6.4), TIFF 6.0 (section 18), BITMAPV4HEADER; decoders: Pillow, OpenCV, PyAV.
"""

import itertools
import struct
import zipfile
import zlib
from fractions import Fraction
from io import BytesIO
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import pytest
import skimage.data
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageCms

from jayflick.core.errors import InputError
from jayflick.core.formats.apng import encode_apng
from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.formats.gif.retime import retime
from jayflick.core.formats.gif.shared import share_palette
from jayflick.core.formats.png_writer import SIGNATURE, chunk, header
from jayflick.core.pictures.clip import Cut, survey
from jayflick.core.pictures.kinds import read_header, read_picture
from jayflick.core.pictures.moving import open_moving
from jayflick.core.pictures.png import chunks as png_chunks
from jayflick.core.sequence.gather import Found, gather
from jayflick.core.sequence.pieces import Glimpse, Piece, Refused, glimpse, pieces
from jayflick.core.sequence.rhythm import own_rhythm
from jayflick.core.timing.flicks import HUNDREDTH, MILLISECOND, SECOND, even_durations
from jayflick.core.timing.held import gif
from tests.conftest import Pictures, moving_square

PHOTOGRAPH: NDArray[np.uint8] = skimage.data.chelsea()[40:137, 60:181]  # type: ignore[no-untyped-call]  # odd sides; CC0
SOFT = moving_square(5, 40, 30, soft=True)


def saved(picture: Image.Image, kind: str, **options: object) -> bytes:
    out = BytesIO()
    picture.save(out, kind, **options)
    return out.getvalue()


def opencv(data: bytes) -> NDArray[np.uint8]:
    """What OpenCV decodes, as RGBA."""
    read = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    assert read is not None
    if read.dtype == np.uint16:
        read = np.rint(read / 257).astype(np.uint8)
    if read.ndim == 2:
        return np.dstack([read, read, read, np.full_like(read, 255)])
    alpha = read[:, :, 3] if read.shape[2] == 4 else np.full(read.shape[:2], 255, np.uint8)
    return np.dstack([read[:, :, 2], read[:, :, 1], read[:, :, 0], alpha])


def taken(data: bytes, name: str) -> list[Piece]:
    found = list(pieces(data, name))
    assert all(isinstance(piece, Piece) for piece in found), found
    return [piece for piece in found if isinstance(piece, Piece)]


def shown(piece: Piece) -> NDArray[np.uint8]:
    assert piece.data is not None
    return np.array(Image.open(BytesIO(piece.data)).convert("RGBA"))


@pytest.mark.parametrize(
    ("name", "kind", "mode", "off"),
    [
        ("a.bmp", "BMP", "RGB", 0),
        ("a.bmp", "BMP", "L", 0),
        ("a.jpg", "JPEG", "RGB", 2),  # decoders differ in how they interpolate colour
        ("a.jpg", "JPEG", "L", 1),
        ("a.tif", "TIFF", "RGB", 0),
        ("a.tif", "TIFF", "L", 0),
        ("a.webp", "WEBP", "RGB", 1),
        ("a.avif", "AVIF", "RGB", 2),
    ],
)
def test_a_photograph_reads_as_by_opencv(name: str, kind: str, mode: str, off: int) -> None:
    data = saved(Image.fromarray(PHOTOGRAPH).convert(mode), kind)
    got = read_picture(data, name=name)
    assert np.abs(got.astype(int) - opencv(data)).max() <= off
    header = read_header(data, name=name)
    assert (header.width, header.height, header.transparent) == (121, 97, False)


@pytest.mark.parametrize("kind", ["WEBP", "TIFF"])
def test_soft_alpha_stays_straight(kind: str) -> None:
    data = saved(
        Image.fromarray(SOFT[0]), kind, **({"lossless": True, "exact": True} if kind == "WEBP" else {})
    )
    np.testing.assert_array_equal(read_picture(data, name="a"), SOFT[0])


def test_a_32_bit_bmp_keeps_its_alpha() -> None:
    height, width = SOFT[0].shape[:2]
    rows = SOFT[0][::-1, :, [2, 1, 0, 3]].tobytes()
    masks = struct.pack("<4I", 0xFF0000, 0xFF00, 0xFF, 0xFF000000)
    info = struct.pack("<IiiHHIIiiII", 108, width, height, 1, 32, 3, len(rows), 2835, 2835, 0, 0) + masks
    data = struct.pack("<2sIHHI", b"BM", 122 + len(rows), 0, 0, 122) + info.ljust(108, b"\0") + rows
    np.testing.assert_array_equal(read_picture(data, name="a.bmp"), SOFT[0])
    np.testing.assert_array_equal(opencv(data), SOFT[0])


@pytest.mark.parametrize("alpha", [False, True])
@pytest.mark.parametrize("runs", ["none", "in rows", "across rows"])
@pytest.mark.parametrize("corner", [0x00, 0x10, 0x20, 0x30])
def test_a_tga_from_any_corner(alpha: bool, runs: str, corner: int) -> None:
    picture = SOFT[2] if alpha else np.dstack([PHOTOGRAPH[:30, :40], np.full((30, 40), 255, np.uint8)])
    each = 4 if alpha else 3
    rows = picture[:, :, [2, 1, 0, 3][:each]]
    rows = rows if corner & 0x20 else rows[::-1]  # field 5.6, bit 5: from the top
    rows = rows[:, ::-1] if corner & 0x10 else rows  # bit 4: from the right
    lines = rows if runs == "in rows" else rows.reshape(1, -1, each)
    coded = rows.tobytes() if runs == "none" else b"".join(part for line in lines for part in packed(line))
    header = struct.pack(
        "<BBBHHBHHHHBB", 3, 0, 2 if runs == "none" else 10, 0, 0, 0, 0, 0, 40, 30, each * 8, corner | 8 * alpha
    )
    data = header + b"id!" + coded
    np.testing.assert_array_equal(read_picture(data, name="a.tga"), picture)
    if not corner & 0x10 and runs != "across rows":  # Pillow reads neither right-hand corners nor such runs
        read = np.array(Image.open(BytesIO(data)).convert("RGBA"))
        np.testing.assert_array_equal(read_picture(data, name="a.tga"), read)


def packed(pixels: NDArray[np.uint8]) -> list[bytes]:
    """Run-length packets (TGA 2.0, image types 9 to 11): runs where pixels repeat, raw ones elsewhere."""
    parts, at = [], 0
    while at < len(pixels):
        run = 1
        while run < 128 and at + run < len(pixels) and (pixels[at + run] == pixels[at]).all():
            run += 1
        parts.append(bytes([127 + run]) + pixels[at].tobytes() if run > 1 else b"\0" + pixels[at].tobytes())
        at += run
    return parts


def test_a_tga_whose_alpha_was_never_set_is_opaque() -> None:
    rows = np.dstack([PHOTOGRAPH[:4, :5, ::-1], np.zeros((4, 5), np.uint8)]).tobytes()
    data = struct.pack("<BBBHHBHHHHBB", 0, 0, 2, 0, 0, 0, 0, 0, 5, 4, 32, 0x20) + rows
    got = read_picture(data, name="a.tga")
    np.testing.assert_array_equal(got[:, :, :3], PHOTOGRAPH[:4, :5])
    assert (got[:, :, 3] == 255).all()


@pytest.mark.parametrize("channels", [1, 3, 4])
def test_a_16_bit_tiff_is_rounded_not_cut(channels: int) -> None:
    random = np.random.default_rng(3)
    deep = random.integers(0, 65536, (9, 11, channels)).astype(np.uint16)
    out = BytesIO()
    extra: Any = {"extrasamples": ["unassalpha"]} if channels == 4 else {}
    tifffile.imwrite(
        out, deep[:, :, 0] if channels == 1 else deep, photometric="rgb" if channels > 1 else None, **extra
    )
    np.testing.assert_array_equal(read_picture(out.getvalue(), name="a.tif"), opencv(out.getvalue()))
    assert read_header(out.getvalue(), name="a.tif").notes == ("16 bits a sample brought to 8",)


@pytest.mark.parametrize("channels", [3, 4])
def test_an_interlaced_png_is_read_whole(channels: int) -> None:
    picture = np.random.default_rng(5).integers(0, 256, (13, 21, channels)).astype(np.uint8)
    passes = ((0, 0, 8, 8), (4, 0, 8, 8), (0, 4, 4, 8), (2, 0, 4, 4), (0, 2, 2, 4), (1, 0, 2, 2), (0, 1, 1, 2))
    lines = [row for x, y, across, down in passes for row in picture[y::down, x::across]]  # section 8.2: Adam7
    header = struct.pack(">IIBBBBB", 21, 13, 8, 2 if channels == 3 else 6, 0, 0, 1)
    body = zlib.compress(b"".join(b"\0" + line.tobytes() for line in lines if line.size))
    data = b"\x89PNG\r\n\x1a\n"
    for tag, part in ((b"IHDR", header), (b"IDAT", body), (b"IEND", b"")):
        data += struct.pack(">I", len(part)) + tag + part + struct.pack(">I", zlib.crc32(tag + part))
    np.testing.assert_array_equal(read_picture(data, name="a.png")[:, :, :channels], picture)
    np.testing.assert_array_equal(np.array(Image.open(BytesIO(data)))[:, :, :channels], picture)


@pytest.mark.parametrize("turn", range(1, 9))
def test_what_was_held_sideways_is_turned(turn: int) -> None:
    exif = Image.Exif()
    exif[0x0112] = turn  # EXIF 2.32, 4.6.4 A: orientation
    data = saved(Image.fromarray(PHOTOGRAPH), "JPEG", exif=exif, quality=95)
    got = read_picture(data, name="a.jpg")
    decoded: Any = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    seen = decoded[:, :, ::-1]  # turned by OpenCV itself
    assert np.abs(got[:, :, :3].astype(int) - seen).max() <= 2
    header = read_header(data, name="a.jpg")
    assert (header.height, header.width) == got.shape[:2]


def test_other_colours_are_brought_to_srgb_and_it_is_said() -> None:
    cmyk = Image.fromarray(PHOTOGRAPH).convert("CMYK")
    data = saved(cmyk, "JPEG", quality=95)
    assert "CMYK brought to sRGB" in read_header(data, name="a.jpg").notes
    assert np.abs(read_picture(data, name="a.jpg")[:, :, :3].astype(int) - PHOTOGRAPH).mean() < 12
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("XYZ")).tobytes()
    plain = saved(
        Image.fromarray(PHOTOGRAPH), "PNG", icc_profile=lab
    )  # a profile that does not fit is passed over
    np.testing.assert_array_equal(read_picture(plain, name="a.png")[:, :, :3], PHOTOGRAPH)


# files that hold many pictures


def test_an_animated_gif_comes_apart_with_its_times() -> None:
    images = [Image.fromarray(frame) for frame in moving_square(5)]
    data = saved(
        images[0], "GIF", save_all=True, append_images=images[1:], duration=[40, 50, 100, 1000, 0], loop=3
    )
    got = taken(data, "wave.gif")
    assert [piece.duration for piece in got] == [
        4 * HUNDREDTH,
        5 * HUNDREDTH,
        10 * HUNDREDTH,
        100 * HUNDREDTH,
        10 * HUNDREDTH,
    ]
    assert {piece.repeat for piece in got} == {4}  # three more rounds after the first
    with Image.open(BytesIO(data)) as seen:
        for index, piece in enumerate(got):
            seen.seek(index)
            np.testing.assert_array_equal(shown(piece), np.array(seen.convert("RGBA")))


def test_an_animated_png_keeps_fractions_of_a_second() -> None:
    images = [Image.fromarray(frame) for frame in SOFT]
    data = bytearray(saved(images[0], "PNG", save_all=True, append_images=images[1:], duration=40, loop=2))
    at = data.index(b"fcTL") + 4
    data[at + 20 : at + 24] = struct.pack(">HH", 1001, 30000)  # 11.3.6.2: delay_num, delay_den
    data[at + 26 : at + 30] = struct.pack(">I", __import__("zlib").crc32(bytes(data[at - 4 : at + 26])))
    got = taken(bytes(data), "a.png")
    assert got[0].duration == SECOND * 1001 // 30000
    assert [piece.duration for piece in got[1:]] == [40 * MILLISECOND] * 4
    assert got[0].repeat == 2
    for piece, frame in zip(got, SOFT, strict=True):
        np.testing.assert_array_equal(shown(piece), frame)


def test_an_animated_webp_comes_apart() -> None:
    images = [Image.fromarray(frame) for frame in SOFT]
    times = [33, 40, 1, 250, 40]
    data = saved(
        images[0],
        "WEBP",
        save_all=True,
        append_images=images[1:],
        duration=times,
        loop=0,
        lossless=True,
        exact=True,
    )
    got = taken(data, "a.webp")
    assert [piece.duration for piece in got] == [time * MILLISECOND for time in times]
    for piece, frame in zip(got, SOFT, strict=True):
        seen = shown(piece)
        np.testing.assert_array_equal(seen[:, :, 3], frame[:, :, 3])
        np.testing.assert_array_equal(seen[frame[:, :, 3] > 0], frame[frame[:, :, 3] > 0])


def test_the_pages_of_a_tiff_are_frames_without_a_time() -> None:
    out = BytesIO()
    tifffile.imwrite(out, np.stack([frame[:, :, :3] for frame in moving_square(4)]), photometric="rgb")
    got = taken(out.getvalue(), "a.tif")
    assert [piece.duration for piece in got] == [None] * 4
    for piece, frame in zip(got, moving_square(4), strict=True):
        np.testing.assert_array_equal(shown(piece), frame)


def film(
    frames: Pictures,
    kind: str,
    codec: str,
    pixels: str,
    stamps: list[int] | None = None,
    base: Fraction = Fraction(1, 25),
) -> bytes:
    out = BytesIO()
    with av.open(out, "w", format=kind) as container:
        stream: Any = container.add_stream(codec, rate=1 / base)
        stream.height, stream.width = frames[0].shape[:2]
        stream.pix_fmt = pixels
        stream.time_base = base
        for index, frame in enumerate(frames):
            picture = av.VideoFrame.from_ndarray(frame, format="rgba").reformat(format=pixels)
            picture.pts, picture.time_base = (stamps or list(range(len(frames))))[index], base
            container.mux(stream.encode(picture))
        container.mux(stream.encode(None))
    return out.getvalue()


@pytest.mark.parametrize(
    ("name", "kind", "codec", "pixels"),
    [
        ("a.mkv", "matroska", "ffv1", "bgr0"),
        ("a.mov", "mov", "qtrle", "argb"),
        ("a.avi", "avi", "ffv1", "bgr0"),
    ],
)
def test_a_lossless_clip_comes_apart_pixel_for_pixel(name: str, kind: str, codec: str, pixels: str) -> None:
    frames = moving_square(6, 64, 48)
    got = taken(film(frames, kind, codec, pixels), name)
    for piece, frame in zip(got, frames, strict=True):
        np.testing.assert_array_equal(shown(piece), frame)
    assert [piece.duration for piece in got] == [SECOND // 25] * 6


@pytest.mark.parametrize(
    ("name", "kind", "codec"),
    [
        ("a.mp4", "mp4", "libx264"),
        ("a.webm", "webm", "libvpx-vp9"),
        ("a.mpg", "mpeg", "mpeg2video"),
        ("a.ts", "mpegts", "mpeg2video"),
    ],
)
def test_a_common_clip_keeps_its_frames_and_rate(name: str, kind: str, codec: str) -> None:
    frames = moving_square(8, 64, 48)
    data = film(frames, kind, codec, "yuv420p")
    got = taken(data, name)
    with av.open(BytesIO(data), "r") as container:
        seen = [frame.to_ndarray(format="yuv444p") for frame in container.decode(video=0)]
    assert len(got) == len(seen) == 8
    for piece, (luma, blue, red) in zip(got, seen, strict=True):
        # ITU-R BT.601-7, items 2.5.1 to 2.5.3: the colours that the decoder's levels stand for.
        levels = [255 / 219 * (luma - 16.0), 255 / 224 * (blue - 128.0), 255 / 224 * (red - 128.0)]
        rows = [[1, 0, 1.402], [1, -0.344136, -0.714136], [1, 1.772, 0]]
        exact = np.clip(np.einsum("cl,lyx->yxc", rows, levels), 0, 255)
        off = np.abs(shown(piece)[:, :, :3] - exact)
        assert off.mean() <= 1.5
        assert (off <= 6).mean() >= 0.97  # what is left are edges, where colour has half the resolution
        assert (shown(piece)[:, :, 3] == 255).all()
    rhythm = own_rhythm(
        gather(Found(p.name, p.header, None, p.fingerprint, p.duration) for p in got)[0][0].files
    )
    assert rhythm.rate == "25"


@pytest.mark.parametrize(
    ("name", "kind", "codec", "pixels"),
    [
        ("a.mp4", "mp4", "libx264", "yuv420p"),  # entered at a key frame, frames out of order
        ("a.webm", "webm", "libvpx-vp9", "yuva420p"),  # alpha: read from the start
        ("a.mpg", "mpeg", "mpeg2video", "yuv420p"),
        ("a.ts", "mpegts", "mpeg2video", "yuv420p"),
        ("a.avi", "avi", "ffv1", "bgr0"),
    ],
)
def test_a_part_of_a_clip_is_the_same_as_that_part_of_all_of_it(
    name: str, kind: str, codec: str, pixels: str
) -> None:
    data = film(moving_square(40, 64, 48), kind, codec, pixels)
    whole = taken(data, name)
    assert survey(data, name).count == len(whole) == 40
    for first, last, step in ((1, None, 1), (14, 31, 1), (14, 31, 3), (40, 40, 1), (3, 99, 7)):
        part = [piece for piece in pieces(data, name, cut=Cut(first, last, step)) if isinstance(piece, Piece)]
        wanted = whole[first - 1 : last : step]
        assert [piece.fingerprint.digest for piece in part] == [piece.fingerprint.digest for piece in wanted]
        assert [piece.name for piece in part] == [f"{name}/{n:04}.png" for n in range(1, len(wanted) + 1)]
        assert sum(piece.duration or 0 for piece in part) == sum(
            piece.duration or 0 for piece in whole[first - 1 : last]
        )
    (seen,) = glimpse(data, name, 17)
    assert isinstance(seen, Glimpse)
    small = np.array(Image.open(BytesIO(seen.picture)).convert("RGB"), int)
    assert np.abs(small - shown(whole[16])[:, :, :3]).mean() < 8
    for nothing in (glimpse(data, name, 41), pieces(data, name, cut=Cut(41))):
        (refused,) = nothing
        assert isinstance(refused, Refused)


def test_film_time_stamps_are_exact_and_irregular_ones_are_kept() -> None:
    base = Fraction(1001, 30000)
    exact = taken(film(moving_square(4), "mp4", "libx264", "yuv420p", base=base), "a.mp4")
    assert [piece.duration for piece in exact] == [SECOND * 1001 // 30000] * 4  # SMPTE ST 12-1: 30000/1001
    stamps = [0, 2, 3, 7, 8]
    uneven = taken(film(moving_square(5), "matroska", "ffv1", "bgr0", stamps, Fraction(1, 10)), "a.mkv")
    assert [piece.duration for piece in uneven] == [SECOND // 10 * frames for frames in (2, 1, 4, 1, 1)]
    rhythm = own_rhythm([Found(p.name, p.header, None, p.fingerprint, p.duration) for p in uneven])
    assert (rhythm.delay, rhythm.holds) == (SECOND // 10, {1: SECOND // 5, 3: SECOND * 4 // 10})


@pytest.mark.parametrize("rate", ["24", "30", "23", "7"])
def test_a_rate_whose_remainder_was_spread_is_that_rate_again(rate: str) -> None:
    """Our own file, and one of Pillow's whose frame boundaries are rounded to the nearest hundredth."""
    frames = moving_square(31)
    coded = read_gif(encode_gif(frames, share_palette(frames, 16)))
    ours = retime(coded, gif(even_durations(31, Fraction(rate))).units, 0)
    ends = [round(100 * number / Fraction(rate)) for number in range(32)]
    out = BytesIO()
    images = [Image.fromarray(frame).convert("RGB") for frame in frames]
    spread = [10 * (b - a) for a, b in itertools.pairwise(ends)]
    images[0].save(out, "GIF", save_all=True, append_images=images[1:], duration=spread, loop=0)
    for data in (ours, out.getvalue()):
        rhythm = own_rhythm(
            [Found(p.name, p.header, None, p.fingerprint, p.duration, 0) for p in taken(data, "a.gif")]
        )
        assert (rhythm.rate, rhythm.delay, rhythm.holds, rhythm.repeat) == (rate, None, {}, 0)
    poses = retime(coded, [30, 4, 5, 4] + [4] * 27, 0)
    held = own_rhythm(
        [Found(p.name, p.header, None, p.fingerprint, p.duration, 0) for p in taken(poses, "a.gif")]
    )
    assert (held.delay, held.holds) == (4 * SECOND // 100, {1: 30 * SECOND // 100, 3: 5 * SECOND // 100})


def test_vp9_keeps_its_alpha() -> None:
    got = taken(film(SOFT, "webm", "libvpx-vp9", "yuva420p"), "a.webm")
    assert len(got) == 5
    for piece, frame in zip(got, SOFT, strict=True):
        assert np.abs(shown(piece)[:, :, 3].astype(int) - frame[:, :, 3]).mean() < 6


def test_pixels_that_are_not_square_are_made_so() -> None:
    out = BytesIO()
    with av.open(out, "w", format="mp4") as container:
        stream: Any = container.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        stream.codec_context.sample_aspect_ratio = Fraction(3, 2)
        picture = av.VideoFrame.from_ndarray(moving_square(1, 64, 48)[0], format="rgba").reformat(
            format="yuv420p"
        )
        container.mux(stream.encode(picture))
        container.mux(stream.encode(None))
    (got,) = taken(out.getvalue(), "a.mp4")
    assert (got.header.width, got.header.height) == (96, 48)


# archives


def test_an_archive_brings_its_folders_and_refuses_what_could_do_harm(tmp_path: Path) -> None:
    out = BytesIO()
    good = saved(Image.fromarray(SOFT[0]), "PNG")
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for folder in ("walk", "dive"):
            for number in (2, 10, 1):
                archive.writestr(f"{folder}/{number}.png", good)
        archive.writestr("walk/3.png", good[:50])
        archive.writestr("../up_1.png", good)
        archive.writestr("/etc/abs_1.png", good)
        archive.writestr("walk/.hidden.png", good)
        archive.writestr("inner.zip", b"PK\5\6" + bytes(18))
        link = zipfile.ZipInfo("walk/4.png")
        link.external_attr = 0o120777 << 16
        archive.writestr(link, "/etc/passwd")
    found = list(pieces(out.getvalue(), "set.zip"))
    refused = {piece.name: piece.error.message for piece in found if isinstance(piece, Refused)}
    assert "ends early" in refused.pop("walk/3.png")
    assert refused == {
        "up_1.png": "its name points outside the archive",
        "etc/abs_1.png": "its name points outside the archive",
        "inner.zip": "is an archive in an archive",
        "walk/4.png": "is a link, not a file",
    }
    sequences, _ = gather(Found(piece.name, piece.header) for piece in found if isinstance(piece, Piece))
    assert {s.pattern: s.numbers for s in sequences} == {"walk/#.png": [1, 2, 10], "dive/#.png": [1, 2, 10]}
    assert sorted(s.labels[0] for s in sequences) == ["dive", "walk"]


def test_a_bomb_is_met_within_the_limits(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("jayflick.core.sequence.archives.MAX_UNPACKED", 3_000_000)
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for number in range(9):
            archive.writestr(f"zeros_{number}.png", bytes(1_000_000))
    assert len(out.getvalue()) < 20_000
    last = list(pieces(out.getvalue(), "bomb.zip"))[-1]
    assert isinstance(last, Refused)
    assert last.error.message.startswith("unpacks to more than")


@pytest.mark.parametrize(
    "name", ["a.zip", "a.tar", "a.tar.gz", "a.gif", "a.png", "a.webp", "a.mp4", "a.tif", "a.tga"]
)
def test_nonsense_of_any_name_is_one_clear_refusal(name: str) -> None:
    marks = {
        "a.zip": b"PK\3\4",
        "a.gif": b"GIF89a",
        "a.png": b"\x89PNG\r\n\x1a\n",
        "a.webp": b"RIFF\0\0\0\0WEBP",
    }
    marks |= {"a.mp4": b"\0\0\0\x18ftypisom", "a.tif": b"II*\0"}
    data = marks.get(name, b"") + bytes(range(256)) * 3
    (refused,) = pieces(data, name)
    assert isinstance(refused, Refused)
    assert isinstance(refused.error, InputError)
    assert refused.error.remedy


def test_every_way_an_apng_clears_and_lays_frames_is_seen_as_ffmpeg_sees_it() -> None:
    """All pairs of disposal and blending, boxes of many sizes, clear, soft and solid pixels."""
    random = np.random.default_rng(6)
    width, height = 19, 13
    data = bytearray(SIGNATURE + header(width, height, 8, 6) + chunk(b"acTL", struct.pack(">II", 24, 0)))
    sequence = 0
    for number in range(24):
        across, down = int(random.integers(1, 15)), int(random.integers(1, 9))
        if number == 0:
            across, down = width, height
        left, top = (int(random.integers(0, room + 1)) for room in (width - across, height - down))
        control = sequence, across, down, left, top, number + 1, 10, number % 3, number // 3 % 2
        data += chunk(b"fcTL", struct.pack(">IIIIIHHBB", *control))
        rows = random.choice(np.array([0, 0, 90, 255], np.uint8), (down, across * 4))
        body = zlib.compress(np.pad(rows, ((0, 0), (1, 0))).tobytes())
        data += chunk(b"fdAT", struct.pack(">I", sequence + 1) + body) if number else chunk(b"IDAT", body)
        sequence += 2 if number else 1
    data += chunk(b"IEND", b"")
    moving = open_moving(bytes(data), "all.png")
    assert moving.durations == tuple((number + 1) * SECOND // 10 for number in range(24))
    with av.open(BytesIO(data), format="apng") as container:
        shown = [frame.to_ndarray(format="rgba") for frame in container.decode(video=0)]  # type: ignore[union-attr]
    for number, (ours, theirs) in enumerate(zip(moving.pictures, shown, strict=True)):
        there = ours[:, :, 3] > 0
        assert np.abs(ours[:, :, 3].astype(int) - theirs[:, :, 3]).max() <= 1, number
        assert np.abs(ours[there].astype(int) - theirs[there]).max() <= 1, number


def test_an_apng_whose_palette_comes_after_its_first_control_has_its_colours() -> None:
    # PNG third edition, section 5.6: fcTL may stand anywhere before IDAT, and so may PLTE.
    frames = [np.full((6, 9, 4), colour, np.uint8) for colour in ((200, 90, 40, 255), (20, 90, 240, 255))]
    found = list(png_chunks(encode_apng(frames, 3).data, "a.png"))
    palette = [one for one in found if one[0] in (b"PLTE", b"tRNS")]
    rest = [one for one in found if one not in palette]
    first = next(index for index, (tag, _) in enumerate(rest) if tag == b"fcTL")
    data = SIGNATURE + b"".join(chunk(*one) for one in [*rest[: first + 1], *palette, *rest[first + 1 :]])
    assert [one.tolist() for one in open_moving(data, "a.png").pictures] == [one.tolist() for one in frames]
    with av.open(BytesIO(data), format="apng") as container:
        theirs = [frame.to_ndarray(format="rgba") for frame in container.decode(video=0)]  # type: ignore[union-attr]
    assert [one.tolist() for one in theirs] == [one.tolist() for one in frames]
