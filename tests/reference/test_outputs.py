"""Our files as other decoders read them: pictures, times, repeat, size, alpha, and what containers say.

Sources: PNG third edition, 11.3.6 (APNG); WebP container specification; Truevision TGA 2.0, section C.3 (image
descriptor); ISO/IEC 14496-12 (order of boxes); ITU-T H.273 (code points of BT.709).
"""

import struct
from io import BytesIO
from pathlib import Path
from typing import Any

import av
import imagecodecs
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageSequence

from jayflick.core.formats.apng import encode_apng
from jayflick.core.pictures.png import chunks
from jayflick.core.render import Rendered, render
from jayflick.core.sequence.files import FileFrame, look_at
from jayflick.core.stages import Stages
from tests.conftest import Pictures, lit_ball, moving_square, save_frames
from tests.core.test_formats import output, recipe

ART: dict[str, Pictures] = {
    "soft": moving_square(6, 47, 33, soft=True),
    "gradient": moving_square(6, 96, 64),
    "held": [frame for frame in moving_square(3, 60, 40, soft=True) for _ in range(2)],
    "film": lit_ball(5, 161, 90),
}
"""Soft edges; few colours to a row; equal neighbours; more than 256 colours, most pixels moving."""


def blinking() -> Pictures:
    """Art that comes and goes over a still, soft ground: what is cleared away and what returns both pay."""
    ground = moving_square(1, 90, 70, soft=True)[0]
    random = np.random.default_rng(3)
    frames = []
    for index in range(7):
        frame = ground.copy()
        if index % 2:
            frame[20:60, 10:80] = random.integers(0, 256, (40, 70, 4))
        frames.append(frame)
    return frames


ART["blinking"] = blinking()


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Any:
    folder = tmp_path_factory.mktemp("art")
    stages = Stages(folder / "stages")
    frames: dict[str, list[FileFrame]] = {}

    def make(art: str, form: str, **settings: Any) -> Rendered:
        if art not in frames:
            found = look_at(save_frames(folder / art, ART[art]), folder)[1]
            frames[art] = list(found.values())
        rhythm = settings.pop("rhythm", {"rate": "24"})
        return render(recipe(output(form, **settings), **rhythm), frames[art], "it", stages)

    return make


def assert_equal_where_seen(pictures: Any, art: str) -> None:
    """The same pixels, where any can be seen."""
    count = 0
    for ours, source in zip(pictures, ART[art], strict=True):
        there = source[:, :, 3] > 0
        np.testing.assert_array_equal(ours[:, :, 3], source[:, :, 3])
        np.testing.assert_array_equal(ours[there], source[there])
        count += 1
    assert count == len(ART[art])


def psnr(ours: NDArray[np.uint8], source: NDArray[np.uint8]) -> float:
    """Over white, in dB."""
    over = [
        picture[:, :, :3] * (picture[:, :, 3:] / 255.0) + 255 - picture[:, :, 3:].astype(float)
        for picture in (ours, source)
    ]
    return float(10 * np.log10(255**2 / max(np.mean((over[0] - over[1]) ** 2), 1e-9)))


def pillow(data: bytes) -> tuple[list[NDArray[np.uint8]], list[float], int]:
    """Pictures, delays in ms and repeat, as Pillow reads them."""
    with Image.open(BytesIO(data)) as image:
        pictures, delays = [], []
        for frame in ImageSequence.Iterator(image):
            pictures.append(np.array(frame.convert("RGBA")))
            delays.append(float(frame.info.get("duration", 0)))
        return pictures, delays, int(image.info.get("loop", -1))


def rgba(pictures: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Pictures with an alpha channel, whatever they had."""
    if pictures.shape[-1] == 4:
        return pictures
    return np.concatenate([pictures, np.full((*pictures.shape[:-1], 1), 255, np.uint8)], axis=-1)


def patched(seed: int) -> Pictures:
    """Frames of which parts change: to colours of a few, or to any colour and alpha over a clear canvas."""
    random = np.random.default_rng(seed)
    width, height = random.integers(1, 70, 2)
    few = np.array(
        [[0, 0, 0, 0], [255, 0, 0, 255], [0, 0, 255, 128], [9, 9, 9, 255], [250, 250, 250, 40]], np.uint8
    )
    any_colour = seed % 2
    frame = few[random.integers(0, 5, (height, width))]
    if any_colour:
        frame = np.zeros_like(frame)
    frames = [frame]
    for _ in range(random.integers(0, 6)):
        frame = frame.copy()
        for _ in range(random.integers(0, 3)):
            left, top = random.integers(0, width), random.integers(0, height)
            across, down = random.integers(1, width + 1), random.integers(1, height + 1)
            part = frame[top : top + down, left : left + across]
            if random.random() < 0.3:
                part[:] = few[random.integers(0, 5)]
            elif any_colour:
                part[::2] = random.integers(0, 256, part[::2].shape, np.uint8)
            else:
                part[:] = few[random.integers(0, 5, part.shape[:2])]
        frames.append(frame)
    return frames


@pytest.mark.parametrize("seed", range(0, 90, 30))
def test_any_apng_is_the_same_for_three_decoders(seed: int) -> None:
    for frames in map(patched, range(seed, seed + 30)):
        data = encode_apng(frames, 3).data
        with av.open(BytesIO(data), format="apng") as container:
            shown = [frame.to_ndarray(format="rgba") for frame in container.decode(video=0)]  # type: ignore[union-attr]
        theirs = rgba(imagecodecs.apng_decode(data)).reshape(len(frames), *frames[0].shape)
        for pictures in (pillow(data)[0], theirs, shown):
            for read, frame in zip(pictures, frames, strict=True):
                there = frame[:, :, 3] > 0
                np.testing.assert_array_equal(read[:, :, 3], frame[:, :, 3])
                np.testing.assert_array_equal(read[there], frame[there])


@pytest.mark.parametrize("effort", [1, 6])
@pytest.mark.parametrize("art", ART)
def test_an_apng_is_equal_to_its_frames_for_three_decoders(made: Any, art: str, effort: int) -> None:
    data = made(art, "apng", effort=effort).data
    assert_equal_where_seen(pillow(data)[0], art)
    assert_equal_where_seen(rgba(imagecodecs.apng_decode(data)), art)
    with av.open(BytesIO(data), format="apng") as container:
        shown = [frame.to_ndarray(format="rgba") for frame in container.decode(video=0)]  # type: ignore[union-attr]
    assert_equal_where_seen(shown, art)


def test_an_apng_holds_exact_fractions_a_repeat_and_sound_checksums(made: Any) -> None:
    rhythm = {"rate": "24000/1001", "repeat": 3, "holds": {2: 705_600_000}}
    data = made("soft", "apng", rhythm=rhythm).data
    found = list(chunks(data, "a.png"))  # refuses a wrong CRC
    (plays,) = [struct.unpack(">II", body) for tag, body in found if tag == b"acTL"]
    delays = [struct.unpack_from(">HH", body, 20) for tag, body in found if tag == b"fcTL"]
    assert plays == (6, 3)
    assert [over / under for over, under in delays] == pytest.approx([1001 / 24000, 1, *[1001 / 24000] * 4])
    numbers = [struct.unpack_from(">I", body)[0] for tag, body in found if tag in (b"fcTL", b"fdAT")]
    assert numbers == list(range(len(numbers)))


@pytest.mark.parametrize("art", ["soft", "held", "film"])
def test_a_lossless_webp_is_equal_and_lasts_as_long(made: Any, art: str) -> None:
    rhythm = {"rate": "24", "repeat": 2}
    rendered = made(art, "webp", lossless=True, effort=2, rhythm=rhythm)
    pictures, delays, loop = pillow(rendered.data)
    shown = [pictures[at] for at in rendered.timed.at]  # of equal neighbours the file has one
    assert_equal_where_seen(shown, art)
    assert (sum(delays), loop) == (rendered.info["duration_ms"], 2)
    assert len(pictures) == rendered.info["count"] == (3 if art == "held" else len(ART[art]))
    assert rendered.info["duration_ms"] == round(len(ART[art]) * 1000 / 24)


@pytest.mark.parametrize(("form", "settings", "least"), [("webp", {}, 34), ("avif", {"speed": 8}, 30)])
@pytest.mark.parametrize("art", ["soft", "film"])
def test_formats_with_loss_keep_size_time_and_likeness(
    made: Any, form: str, settings: dict[str, Any], least: float, art: str
) -> None:
    rendered = made(art, form, **settings)
    pictures, delays, _ = pillow(rendered.data)
    assert [delays[at] for at in rendered.timed.at] == rendered.held.milliseconds
    assert sum(delays) == rendered.info["duration_ms"]
    for at, source in zip(rendered.timed.at, ART[art], strict=True):
        assert psnr(pictures[at], source) > least
    assert rendered.info["transparent"] == (art == "soft")


@pytest.mark.parametrize(
    ("codec", "least"), [("h264", 30), ("vp9", 29), ("prores", 45), ("png", 90), ("qtrle", 90)]
)
def test_clips_are_silent_constant_tagged_and_alike(made: Any, codec: str, least: float) -> None:
    """Odd sides stay where they may; alpha where there is room for it; the index stands first in an MP4."""
    settings = {"over": "#ffffff"} if codec == "h264" else {}
    rendered = made("soft", "video", codec=codec, quality=95, rhythm={"rate": "24000/1001"}, **settings)
    data = rendered.data
    with av.open(BytesIO(data)) as container:
        assert [stream.type for stream in container.streams] == ["video"]
        stream: Any = container.streams.video[0]
        assert stream.average_rate * 1001 == 24000
        context = stream.codec_context
        assert (context.width, context.height) == ((46, 32) if codec == "h264" else (47, 33))
        if codec in ("h264", "vp9", "prores"):
            colours = context.color_primaries, context.color_trc, context.colorspace, context.color_range
            assert [int(code) for code in colours] == [1, 1, 1, 1]
        decoder: Any = context
        if codec == "vp9":
            decoder = av.CodecContext.create("libvpx-vp9", "r")
            decoder.extradata = context.extradata
        shown = [
            frame.reformat(format="rgba", src_colorspace=1, dst_color_range=2).to_ndarray()
            for packet in container.demux(stream)  # type: ignore[union-attr]
            for frame in decoder.decode(packet if packet.size else None)
        ]
    assert len(shown) == rendered.info["count"] == 6
    for ours, source in zip(shown, ART["soft"], strict=True):
        assert psnr(ours, source[: ours.shape[0], : ours.shape[1]]) > least
        if codec != "h264":
            assert np.abs(ours[:, :, 3].astype(int) - source[:, :, 3]).mean() < 3
    if codec == "h264":
        assert data.index(b"moov") < data.index(b"mdat")


def test_a_clip_over_a_colour_and_one_of_opaque_art_have_no_alpha(made: Any) -> None:
    for art, settings in (("soft", {"over": "#336699"}), ("film", {})):
        rendered = made(art, "video", codec="vp9", **settings)
        with av.open(BytesIO(rendered.data)) as container:
            assert "alpha_mode" not in container.streams.video[0].metadata
        assert not rendered.info["transparent"]


@pytest.mark.parametrize("art", ["soft", "film"])
def test_numbered_sets_are_equal_to_the_framed_frames(made: Any, art: str) -> None:
    for settings in ({}, {"picture": "tga"}, {"picture": "tga", "rle": True}):
        files = made(art, "frames", **settings).timed.files
        data = [file.read() for file in files]
        if settings.get("picture") == "tga":
            # A picture type of 2 or 10, 32 bits, 8 of them attributes, from the top left.
            wanted = (10 if settings.get("rle") else 2, 32, 0x28)
            assert {(one[2], one[16], one[17]) for one in data} == {wanted}
        shown = [np.array(Image.open(BytesIO(one)).convert("RGBA")) for one in data]
        for ours, source in zip(shown, ART[art], strict=True):
            np.testing.assert_array_equal(ours, source)


def test_other_pixels_of_a_set_are_what_they_are_called(made: Any) -> None:
    source = ART["soft"][2]
    alpha = source[:, :, 3:].astype(float) / 255

    def third(**settings: Any) -> Image.Image:
        return Image.open(BytesIO(made("soft", "frames", **settings).timed.files[2].read()))

    multiplied = np.array(third(pixels="premultiplied"))
    np.testing.assert_allclose(multiplied[:, :, :3], source[:, :, :3] * alpha, atol=0.51)
    flat = third(pixels="rgb", over="#336699")
    assert flat.mode == "RGB"
    wanted = source[:, :, :3] * alpha + np.array([0x33, 0x66, 0x99]) * (1 - alpha)
    np.testing.assert_allclose(np.array(flat), wanted, atol=0.51)
    grey = third(pixels="grey", over="#336699")
    assert grey.mode == "L"
    np.testing.assert_allclose(np.array(grey), wanted @ [0.2126, 0.7152, 0.0722], atol=1)
    indexed = third(pixels="palette")
    assert (indexed.mode, len(indexed.convert("RGBA").getcolors() or [])) == ("P", 2)
    jpeg = third(picture="jpeg", pixels="rgb", over="#336699")
    assert (jpeg.format, jpeg.size) == ("JPEG", (47, 33))
    assert np.abs(np.array(jpeg, float) - wanted).mean() < 6


def test_a_still_is_the_frame_it_names(made: Any) -> None:
    for picture, name in (("png", "a.png"), ("webp", "a.webp")):
        shown = Image.open(BytesIO(made("soft", "still", frame=4, picture=picture, file_name=name).data))
        assert (shown.format or "").lower() == picture
        assert psnr(np.array(shown.convert("RGBA")), ART["soft"][3]) > 30
    np.testing.assert_array_equal(
        np.array(Image.open(BytesIO(made("film", "still", frame=2).data)).convert("RGBA")), ART["film"][1]
    )


def test_what_info_says_is_what_was_measured(made: Any, tmp_path: Path) -> None:
    from jayflick.core.formats.describe import describe_file

    for form, settings in (
        ("gif", {}),
        ("apng", {}),
        ("webp", {"effort": 0}),
        ("avif", {"speed": 10}),
        ("video", {"codec": "qtrle"}),
        ("still", {}),
    ):
        rendered = made("held", form, **settings)
        found = describe_file(rendered.data, rendered.timed.files[0].name)
        for key in ("format", "width", "height", "count", "bytes", "transparent"):
            assert found[key] == rendered.info[key], (form, key)
        if form != "still":
            assert found["duration_ms"] == pytest.approx(rendered.info["duration_ms"], abs=0.01), form
            assert len(found["frames"]) == found["count"]
        if form in ("gif", "apng"):
            costs = [0] * found["count"]
            for picture, cost in zip(rendered.timed.at, rendered.coded.costs, strict=True):
                costs[picture] += cost
            assert [frame["bytes"] for frame in found["frames"]] == costs
