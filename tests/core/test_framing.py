"""Sizes in proportion, scaling without bleeding, soft edges settled."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from jayflick.core.errors import InputError
from jayflick.core.framing.alpha import settle, unmatte
from jayflick.core.framing.resample import Filter, resample
from jayflick.core.framing.scale import frame_picture
from jayflick.core.framing.size import place
from jayflick.core.pictures.fingerprint import fingerprint
from jayflick.core.pictures.header import Header
from jayflick.core.recipe import Alpha, Cropping, Size
from jayflick.core.sequence.gather import Found, gather

FILTERS: tuple[Filter, ...] = ("area", "lanczos", "nearest")


def test_688_by_416_at_580_wide_is_351_high() -> None:
    # Common practice, no published source.
    assert place(Size(width=580), 688, 416).canvas == (580, 351)


@given(st.integers(1, 4000), st.integers(1, 4000), st.integers(1, 4096))
def test_the_other_side_follows_to_the_nearest_pixel(width: int, height: int, wanted: int) -> None:
    exact = height * wanted / width
    if exact > 4096.4:
        with pytest.raises(InputError, match="longest side"):
            place(Size(width=wanted), width, height)
        return
    if exact <= 4096:
        canvas = place(Size(width=wanted), width, height).canvas
        assert canvas[0] == wanted
        assert abs(canvas[1] - exact) <= 0.5 or canvas[1] == 1


@given(st.integers(20, 900), st.integers(20, 900), st.integers(1, 900), st.integers(1, 900))
def test_contain_shows_all_and_cover_leaves_nothing_bare(
    width: int, height: int, across: int, down: int
) -> None:
    inside = place(Size(width=across, height=down, fit="contain"), width, height)
    assert inside.picture[0] <= across
    assert inside.picture[1] <= down
    assert across == inside.picture[0] or down == inside.picture[1]
    over = place(Size(width=across, height=down, fit="cover"), width, height)
    assert over.picture[0] >= across
    assert over.picture[1] >= down
    assert place(Size(width=across, height=down, fit="stretch"), width, height).picture == (across, down)


@pytest.mark.parametrize(
    ("at", "left", "top"),
    [
        ("top-left", 0, 0),
        ("top", 15, 0),
        ("top-right", 30, 0),
        ("left", 0, 5),
        ("centre", 15, 5),
        ("right", 30, 5),
        ("bottom-left", 0, 10),
        ("bottom", 15, 10),
        ("bottom-right", 30, 10),
        ((-3, 7), -3, 7),
    ],
)
def test_a_picture_is_placed_on_its_canvas_where_it_is_said(at: Any, left: int, top: int) -> None:
    where = place(Size(width=50, height=40, fit="place", at=at), 20, 30)
    assert (where.canvas, where.picture, where.left, where.top) == ((50, 40), (20, 30), left, top)
    picture = np.full((30, 20, 4), 200, np.uint8)
    shown = frame_picture(picture, Cropping(), Size(width=50, height=40, fit="place", at=at), "area")
    rows, columns = np.flatnonzero(shown[:, :, 3].any(axis=1)), np.flatnonzero(shown[:, :, 3].any(axis=0))
    assert (columns[0], columns[-1]) == (max(left, 0), left + 19)
    assert (rows[0], rows[-1]) == (top, min(top + 29, 39))
    # Of one that covers, the same point is kept.
    over = place(Size(width=10, height=30, fit="cover", at=at), 20, 30)
    if isinstance(at, str):
        assert over.left == (0 if "left" in at else -10 if "right" in at else -5)


@given(
    st.tuples(st.integers(1, 49), st.integers(1, 49)),
    st.tuples(st.integers(1, 60), st.integers(1, 60)),
    st.tuples(st.integers(-120, 120), st.integers(-120, 120)),
    st.sampled_from(["contain", "cover", "stretch", "place"]),
    st.sampled_from(
        [None, {"percent": 30}, {"percent": 250.5}, {"width": 17}, {"height": 9}, {"width": 70, "height": 3}]
    ),
)
def test_at_any_offset_and_fit_a_picture_is_drawn_where_it_belongs(
    source: tuple[int, int], canvas: tuple[int, int], at: tuple[int, int], fit: Any, on: Any
) -> None:
    random = np.random.default_rng(source[0] + 50 * source[1])
    picture = random.integers(1, 256, (source[1], source[0], 4), np.uint8)
    own = {"picture": on} if fit == "place" else {}
    size = Size.model_validate({"width": canvas[0], "height": canvas[1], "fit": fit, "at": at, **own})
    where = place(size, *source)
    shown = frame_picture(picture, Cropping(), size, "nearest")
    whole = resample(picture, *where.picture, "nearest")
    assert shown.shape == (canvas[1], canvas[0], 4)
    assert (where.left, where.top) == ((0, 0) if fit == "stretch" else at)
    for y in range(0, canvas[1], 3):
        for x in range(0, canvas[0], 3):
            across, down = x - where.left, y - where.top
            inside = 0 <= across < where.picture[0] and 0 <= down < where.picture[1]
            assert shown[y, x].tolist() == (whole[down, across].tolist() if inside else [0, 0, 0, 0])


def test_crops_and_places_are_those_the_client_shows() -> None:
    cases = json.loads((Path(__file__).parent / "placed.json").read_text(encoding="utf-8"))
    for size, source, box in cases["placed"]:
        where = place(Size.model_validate(size), *source)
        assert [where.left, where.top, *where.picture] == box
    for crop, drawn_on, sides, box in cases["crops"]:
        cropping = Cropping.model_validate({"crop": crop, "drawn_on": drawn_on})
        assert list(cropping.crop_of(*sides) or ()) == box


def test_a_picture_lies_on_its_canvas_at_any_share_of_its_size() -> None:
    def lies(**picture: object) -> tuple[int, int]:
        size = {"width": 1080, "height": 1620, "fit": "place", "picture": picture or None}
        return place(Size.model_validate(size), 1920, 1080).picture

    assert lies() == (1920, 1080)
    assert lies(percent=30) == (576, 324)
    assert lies(width=580) == (580, 326)
    assert lies(height=540) == (960, 540)
    assert lies(width=300, height=900) == (300, 900)
    for wrong in ({"percent": 30, "width": 5}, {"percent": 0}, {"width": 5000}):
        with pytest.raises(ValueError, match="picture"):
            lies(**wrong)
    with pytest.raises(InputError, match="million pixels are the most"):
        place(Size(width=4096, height=1, fit="cover"), 1, 900)


@given(st.integers(1, 900), st.integers(1, 900), st.integers(1, 900), st.integers(1, 900))
def test_inside_is_in_proportion_never_larger_and_has_nothing_around_it(
    width: int, height: int, across: int, down: int
) -> None:
    for size in (Size(width=across, height=down, fit="inside"), Size(width=across, fit="inside")):
        made = place(size, width, height)
        assert made.canvas == made.picture
        assert made.canvas[0] <= min(across, width)
        assert made.canvas[1] <= (min(size.height or height, height))
        exact = made.canvas[0] * height / width, made.canvas[1] * width / height
        assert (
            abs(made.canvas[1] - exact[0]) <= 0.5 or abs(made.canvas[0] - exact[1]) <= 0.5 or 1 in made.canvas
        )


def test_hidden_colours_never_bleed_into_an_edge() -> None:
    picture = np.zeros((40, 40, 4), np.uint8)
    picture[:, :] = (0, 255, 0, 0)  # bright green that nobody is meant to see
    picture[10:30, 10:30] = (200, 0, 0, 255)
    for by in FILTERS:
        small = frame_picture(picture, Cropping(), Size(width=13), by)
        there = small[small[:, :, 3] > 8]
        assert there[:, 1].max() <= 2


def test_cropping_comes_before_scaling_and_stays_inside() -> None:
    picture = np.full((30, 50, 4), 255, np.uint8)
    assert frame_picture(picture, Cropping(crop=(5, 5, 20, 10)), Size(width=40), "area").shape == (20, 40, 4)
    with pytest.raises(InputError, match="reaches outside the 50 × 30 frames"):
        frame_picture(picture, Cropping(crop=(40, 0, 20, 10)), Size(), "area")


def test_a_dithered_edge_has_as_many_pixels_as_it_is_opaque_and_lies_still() -> None:
    ramp = np.full((64, 256, 4), 90, np.uint8)
    ramp[:, :, 3] = np.append(np.repeat(np.arange(31) * 8, 8), [255] * 8)  # 32 steps of 8 pixels
    made = settle(ramp, Alpha(edges="dither"))
    assert set(np.unique(made[:, :, 3])) == {0, 255}
    kept = made[:, :, 3].mean(axis=0).reshape(-1, 8).mean(axis=1)
    np.testing.assert_allclose(kept, ramp[0, ::8, 3], atol=2.1)
    assert (made[made[:, :, 3] == 255][:, :3] == 90).all()
    assert not made[:, 0].any()
    assert (made[:, 255, 3] == 255).all()
    moved = settle(np.ascontiguousarray(ramp[8:, 8:]), Alpha(edges="dither"))
    np.testing.assert_array_equal(moved, made[8:, 8:])


def test_soft_edges_are_cut_off_laid_over_the_page_or_filled() -> None:
    edge = np.array([[[200, 100, 0, 0], [200, 100, 0, 64], [200, 100, 0, 191], [200, 100, 0, 255]]], np.uint8)
    cut = settle(edge, Alpha(edges="cutoff", cutoff=128))
    assert cut.tolist() == [[[0, 0, 0, 0], [0, 0, 0, 0], [200, 100, 0, 255], [200, 100, 0, 255]]]
    over = settle(edge, Alpha(edges="matte", matte="#0000ff"))
    assert over[0, 0].tolist() == [0, 0, 0, 0]
    assert over[0, 1].tolist() == [50, 25, 191, 255]  # 64/255 of the picture over 191/255 of the page
    filled = settle(edge, Alpha(edges="fill", matte="#0000ff"))
    assert filled[0, 0].tolist() == [0, 0, 255, 255]
    opaque = np.full((2, 2, 4), 255, np.uint8)
    assert settle(opaque, Alpha()) is opaque


def ring(over: int | None) -> np.ndarray:
    """A ring with soft edges, in a bright and a dark colour; with ``over`` (a grey level) shining through."""
    y, x = np.mgrid[0:120, 0:160].astype(float)
    cover = np.clip(26 - np.abs(np.hypot(x - 80, y - 60) - 34), 0, 12) / 12
    picture = np.zeros((120, 160, 4), np.uint8)
    colour = np.where((x > 80)[:, :, None], [230, 150, 40], [60, 30, 120])
    alpha = np.rint(cover * 255)[:, :, None]
    if over is not None:
        colour = colour * alpha / 255 + over * (1 - alpha / 255)
    picture[:, :, :3] = np.rint(colour) * (alpha > 0)
    picture[:, :, 3:] = alpha
    return picture


@pytest.mark.parametrize(("over", "rim", "colour"), [(0, "black", "#000000"), (255, "white", "#ffffff")])
def test_a_rim_is_recognised_and_unmatte(over: int, rim: str, colour: str) -> None:
    straight, rimmed = ring(None), ring(over)
    assert (fingerprint(straight).rim, fingerprint(rimmed).rim) == ("", rim)
    mended = unmatte(rimmed, colour)
    seen = straight[:, :, 3] > 40  # below that 8 bits hold too little of the colour
    assert np.abs(mended.astype(int) - straight)[seen].max() <= 4
    np.testing.assert_array_equal(mended[:, :, 3], straight[:, :, 3])
    found = [
        Found(f"ring_{n}.png", Header(160, 120, "8-bit RGBA", True), None, fingerprint(rimmed)) for n in (1, 2)
    ]
    (sequence,), _ = gather(found)
    assert f"{rim}-rim" in [problem["kind"] for problem in sequence.problems]


def test_what_multiplied_alpha_holds_is_what_pillow_makes_of_it() -> None:
    multiplied = np.asarray(Image.fromarray(ring(None)).convert("RGBa")).copy()  # Pillow as the reference
    assert fingerprint(multiplied).rim == "black"
    assert np.abs(unmatte(multiplied, "#000000").astype(int) - ring(None))[ring(None)[:, :, 3] > 40].max() <= 4


@pytest.mark.parametrize("level", [20, 240])
def test_art_that_is_dark_or_bright_throughout_tells_nothing(level: int) -> None:
    picture = ring(None)
    picture[:, :, :3] = level
    assert fingerprint(picture).rim == ""
