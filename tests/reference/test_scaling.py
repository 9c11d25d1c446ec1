"""Scaling held against OpenCV and Pillow, both given linear light."""

from typing import Any

import cv2
import numpy as np
import pytest
import skimage.data
from numpy.typing import NDArray
from PIL import Image

from jayflick.core.framing.art import art_of, suited
from jayflick.core.framing.resample import Filter, resample
from jayflick.core.srgb import LINEAR, to_levels, to_linear


def photograph(*, soft: bool) -> NDArray[np.uint8]:
    picture = np.full((300, 460, 4), 255, np.uint8)
    load: Any = skimage.data.coffee
    picture[:, :, :3] = load()[60:360, 80:540]
    if soft:  # clear, soft and solid areas with colour under all of them
        picture[:, :, 3] = np.clip(np.hypot(*np.mgrid[-150:150, -230:230]) * 2 - 120, 0, 255)
    return picture


def light(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Premultiplied linear light and alpha, all 0 to 1."""
    alpha = picture[:, :, 3:] / 255.0
    return np.dstack([LINEAR[picture[:, :, :3]] * alpha, alpha]).astype(np.float32)


def levels(made: NDArray[Any]) -> NDArray[np.float64]:
    alpha = np.clip(made[:, :, 3:], 0, 1)
    colour = to_levels(np.clip(made[:, :, :3] / np.maximum(alpha, 1e-4), 0, 1).astype(np.float64))
    return np.dstack([colour, alpha]) * 255


def by_opencv(picture: NDArray[np.uint8], width: int, height: int) -> NDArray[np.float64]:
    return levels(cv2.resize(light(picture), (width, height), interpolation=cv2.INTER_AREA))


def by_pillow(picture: NDArray[np.uint8], width: int, height: int) -> NDArray[np.float64]:
    planes = [Image.fromarray(plane) for plane in np.ascontiguousarray(light(picture).transpose(2, 0, 1))]
    made = [np.asarray(plane.resize((width, height), Image.Resampling.LANCZOS)) for plane in planes]
    return levels(np.dstack(made))


@pytest.mark.parametrize("soft", [False, True])
@pytest.mark.parametrize(
    ("by", "width", "height"),
    [("area", 139, 91), ("area", 230, 150), ("lanczos", 139, 91), ("lanczos", 301, 299), ("lanczos", 700, 333)],
)
def test_scaled_as_others_scale_linear_light(by: Filter, width: int, height: int, soft: bool) -> None:
    picture = photograph(soft=soft)
    ours = resample(picture, width, height, by).astype(np.float64)
    theirs = (by_opencv if by == "area" else by_pillow)(picture, width, height)
    np.testing.assert_allclose(ours[:, :, 3], theirs[:, :, 3], atol=0.51)
    seen = theirs[:, :, 3] > 16  # the colour of what can hardly be seen is lost in rounding alpha
    np.testing.assert_allclose(ours[seen], theirs[seen], atol=0.6)


def test_the_transfer_function_has_the_published_values() -> None:
    # IEC 61966-2-1: 0.04045 is the end of its straight part, which has a slope of 1 / 12.92.
    assert to_linear(np.array([0.04045])) == pytest.approx(0.0031308, abs=1e-7)
    # Half the light is level 188 (0.7354 of 255), as usually quoted; both ways undo each other.
    assert round(float(to_levels(np.array([0.5]))[0]) * 255) == 188
    np.testing.assert_allclose(to_levels(LINEAR) * 255, np.arange(256), atol=1e-9)


def test_black_and_white_lines_keep_their_light() -> None:
    lines = np.full((40, 40, 4), 255, np.uint8)
    lines[::2, :, :3] = 0
    for by in ("area", "lanczos"):
        assert resample(lines, 20, 20, by)[5:15, 5:15, :3].mean() == pytest.approx(188, abs=1)


def test_the_kind_of_art_is_told_and_gets_the_filter_that_suits_it() -> None:
    sprite = np.zeros((24, 16, 4), np.uint8)
    sprite[4:20, 3:13] = (200, 60, 40, 255)
    sprite[8:12, 6:10] = (20, 30, 60, 255)
    assert art_of(sprite) == "pixels"
    assert art_of(photograph(soft=False)) == art_of(photograph(soft=True)) == "smooth"
    assert art_of(np.zeros_like(sprite)) is None
    assert suited("pixels", (16, 24), (48, 72)) == "nearest"
    assert suited("pixels", (16, 24), (40, 60)) == suited("smooth", (1920, 1080), (580, 326)) == "area"
    assert suited("smooth", (400, 300), (300, 225)) == suited("smooth", (64, 64), (128, 128)) == "lanczos"
    big = resample(sprite, 48, 72, "nearest")
    np.testing.assert_array_equal(big, sprite.repeat(3, axis=0).repeat(3, axis=1))
    # At other factors every pixel has its share, and colours only meet along borders.
    uneven = resample(sprite, 40, 60, "area")
    known = {tuple(colour) for colour in sprite.reshape(-1, 4).tolist()}
    mixed = [tuple(colour) not in known for colour in uneven.reshape(-1, 4).tolist()]
    assert 0 < np.mean(mixed) < 0.15
