"""Worked examples and constants that others have published."""

from collections.abc import Callable
from functools import partial

import numpy as np
import pytest
import skimage.data
from benchmarks.encoders import ours, palette_filters
from skimage.color import deltaE_ciede2000, rgb2lab
from skimage.filters import gaussian
from skimage.metrics import peak_signal_noise_ratio, structural_similarity

from jayflick.core.dither.choose import suits_dither
from jayflick.core.formats.gif import lzw
from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.formats.gif.shared import share_palette
from jayflick.core.quality.ssim import ssim
from jayflick.demo.lamp import draw_lamp
from tests.conftest import Pictures, lit_ball

SAMPLE_ROWS = ["1111122222"] * 3 + ["1110000222"] * 2 + ["2220000111"] * 2 + ["2222211111"] * 3
SAMPLE_CODES = "8C 2D 99 87 2A 1C DC 33 A0 02 75 EC 95 FA A8 DE 60 8C 04 91 4C 01"


def test_the_worked_lzw_example_of_whats_in_a_gif() -> None:
    """M. Flickinger, "What's In A GIF", LZW image data: a 10 × 10 picture of four colours and its 22 bytes.

    The bytes are quoted from memory; that they decode to the published picture shows them to be right.
    """
    published = np.frombuffer(bytes.fromhex(SAMPLE_CODES), np.uint8)
    picture = np.array([[int(pixel) for pixel in row] for row in SAMPLE_ROWS], np.uint8)
    np.testing.assert_array_equal(lzw.decode(published, 2, 100).reshape(10, 10), picture)
    np.testing.assert_array_equal(lzw.encode(picture, picture, 0, size=2, free=False), published)


def panned(name: str, count: int = 4, width: int = 220, height: int = 160) -> Pictures:
    """A camera passing over one of scikit-image's photographs."""
    photograph = getattr(skimage.data, name)()
    frames = []
    for index in range(count):
        frame = np.full((height, width, 4), 255, np.uint8)
        frame[:, :, :3] = photograph[40 : 40 + height, 60 + 9 * index : 60 + 9 * index + width]
        frames.append(frame)
    return frames


def gliding(count: int = 6) -> Pictures:
    """The demo's lamp, in part."""
    parts = [draw_lamp(index, 48)[120:360, 300:700, :3] for index in range(count)]
    return [np.dstack([part, np.full(part.shape[:2], 255, np.uint8)]) for part in parts]


@pytest.mark.parametrize(
    ("name", "frames"),
    [("lamp", gliding), ("ball", lambda: lit_ball(12)), ("coffee", lambda: panned("coffee"))],
)
@pytest.mark.parametrize("colours", [24, 128])
def test_dither_is_chosen_only_where_nobody_would_undo_it(
    name: str, frames: Callable[[], Pictures], colours: int
) -> None:
    """Within 0.01 SSIM of undithered, as scikit-image measures it, and at most 1.35 times its bytes."""
    pictures = frames()
    wanted = np.vstack([frame[:, :, :3] for frame in pictures])
    files, likeness = [], []
    for amount in (0, 60):
        files.append(encode_gif(pictures, share_palette(pictures, colours), amount=amount))
        seen = np.vstack([picture[:, :, :3] for picture in read_gif(files[-1]).pictures()])
        likeness.append(structural_similarity(wanted, seen, channel_axis=2))  # type: ignore[no-untyped-call]
        assert abs(ssim(wanted, seen) - likeness[-1]) < 1e-6
    serves = len(files[1]) <= 1.35 * len(files[0]) and likeness[1] >= likeness[0] - 0.01
    if suits_dither(pictures[:4], colours, 60):
        assert serves
    if name == "lamp":
        assert not serves


def dimmed(name: str) -> Pictures:
    """The same at night: a quarter of its levels, and none of them bright."""
    return [np.dstack([frame[:, :, :3] // 4, frame[:, :, 3]]).astype(np.uint8) for frame in panned(name)]


CLIPS: dict[str, Callable[[], Pictures]] = {
    **{name: partial(panned, name) for name in ("astronaut", "coffee", "chelsea", "rocket", "retina")},
    **{f"{name} at night": partial(dimmed, name) for name in ("coffee", "rocket")},
    "lamp": gliding,
    "ball": partial(lit_ball, 8),
}


@pytest.mark.parametrize("clip", CLIPS)
def test_undithered_files_are_no_larger_and_more_alike_than_those_of_the_palette_filters(clip: str) -> None:
    """PyAV's palettegen and paletteuse without dither; PSNR, SSIM, CIEDE2000 as scikit-image measures them."""
    frames = CLIPS[clip]()
    wanted = np.vstack([frame[:, :, :3] for frame in frames])

    def judged(data: bytes) -> tuple[int, float, float, float]:
        seen = np.vstack([picture[:, :, :3] for picture in read_gif(data).pictures()])
        similarity = structural_similarity(wanted, seen, channel_axis=2)  # type: ignore[no-untyped-call]
        noise = peak_signal_noise_ratio(wanted, seen)  # type: ignore[no-untyped-call]
        hue = deltaE_ciede2000(rgb2lab(wanted), rgb2lab(seen)).mean()  # type: ignore[no-untyped-call]
        return len(data), float(noise), float(similarity), float(hue)

    size, noise, similarity, hue = judged(ours(frames, 0)())
    their_size, their_noise, their_similarity, their_hue = judged(palette_filters(frames, "none")())
    assert size <= 1.01 * their_size  # at night the colours are so few that both write nearly the same codes
    assert noise >= their_noise
    assert similarity >= their_similarity
    assert hue <= 1.1 * their_hue


@pytest.mark.parametrize("clip", ["astronaut", "coffee", "chelsea", "coffee at night", "lamp"])
def test_with_loss_files_as_alike_as_the_filters_take_a_fifth_less(clip: str) -> None:
    """Some loss is found at which neither PSNR nor SSIM is lower, as scikit-image measures them."""
    frames = CLIPS[clip]()
    wanted = np.vstack([frame[:, :, :3] for frame in frames])

    def judged(data: bytes) -> tuple[float, float]:
        seen = np.vstack([picture[:, :, :3] for picture in read_gif(data).pictures()])
        similarity = structural_similarity(wanted, seen, channel_axis=2)  # type: ignore[no-untyped-call]
        return float(peak_signal_noise_ratio(wanted, seen)), float(similarity)  # type: ignore[no-untyped-call]

    theirs = palette_filters(frames, "none")()
    noise, similarity = judged(theirs)
    palette = share_palette(frames, 256, weighed=True)
    for loss in (40, 32, 28, 24, 20, 16, 12, 8):
        data = encode_gif(frames, palette, loss=loss)
        found = judged(data)
        if found[0] >= noise and found[1] >= similarity:
            assert len(data) <= 0.8 * len(theirs)
            return
    pytest.fail("no loss is as good")


@pytest.mark.parametrize("clip", CLIPS)
def test_our_ordered_dither_is_nearer_than_the_filters_in_as_many_bytes(clip: str) -> None:
    """PyAV's paletteuse with its Bayer dither; PSNR as they are, and seen through scikit-image's Gaussian."""
    frames = CLIPS[clip]()
    wanted = np.vstack([frame[:, :, :3] for frame in frames]).astype(float)

    def judged(data: bytes) -> tuple[int, float, float]:
        seen = np.vstack([picture[:, :, :3] for picture in read_gif(data).pictures()]).astype(float)
        near, afar = (
            float(peak_signal_noise_ratio(a, b, data_range=255))  # type: ignore[no-untyped-call]
            for a, b in ((wanted, seen), (blurred(wanted), blurred(seen)))
        )
        return len(data), near, afar

    size, near, afar = judged(encode_gif(frames, share_palette(frames, 256), dither="ordered", amount=100))
    their_size, their_near, their_afar = judged(palette_filters(frames, "bayer")())
    assert size <= 1.05 * their_size
    assert near >= their_near + 4
    assert afar >= their_afar + 2


def blurred(pictures: np.ndarray) -> np.ndarray:
    return np.asarray(gaussian(pictures, sigma=(1.2, 1.2, 0)))  # type: ignore[no-untyped-call]
