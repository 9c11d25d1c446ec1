"""What is done to pictures by mouse, numbers and keys: cut into views, lined up, matched, moved between.

The exported files are read back.
"""

import re
from io import BytesIO
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageSequence
from playwright.sync_api import Page, expect

from jayflick.demo.buoy import GUTTER, SIZE, draw_by_hand, draw_lenses
from tests.e2e.conftest import Desk
from tests.e2e.test_outputs import add, demo_frames

WIDTH, HEIGHT = SIZE


def download(desk: Desk, name: str) -> bytes:
    """The file of the output on show."""
    desk.settled()
    page = desk.page
    page.get_by_role("tab", name="Hand-off").click()
    with page.expect_download() as started:
        page.get_by_role("link", name=f"Download {name}").click()
    return Path(started.value.path()).read_bytes()


def pictures(data: bytes) -> list[NDArray[np.int64]]:
    return [np.array(one.convert("RGB"), np.int64) for one in ImageSequence.Iterator(Image.open(BytesIO(data)))]


def fill(page: Page, name: str, value: object) -> None:
    page.get_by_role("textbox", name=name, exact=True).fill(str(value))
    page.keyboard.press("Enter")


def framing(page: Page, part: str) -> None:
    page.get_by_role("tab", name="Framing").click()
    page.get_by_role("radio", name=part, exact=True).click()


def undo_all(desk: Desk) -> None:
    """The project as it was, for other tests."""
    back = desk.page.get_by_role("button", name="Undo")
    while back.is_enabled():
        back.click()
        expect(desk.page.get_by_role("status", name="Saving")).to_have_text("All changes saved")
    expect(desk.page.get_by_role("tab", name="Hand-off")).to_contain_text("ready", timeout=60_000)


def flicker(frames: list[NDArray[np.int64]]) -> float:
    """How far the mean luma (ITU-R BT.709) of neighbours differs, as a standard deviation in levels."""
    return float(np.diff([(frame @ (0.2126, 0.7152, 0.0722)).mean() for frame in frames]).std())


def test_three_views_on_one_picture_become_a_steady_clip_and_a_gif(desk: Desk) -> None:
    page = desk.page
    desk.open("Three lenses")
    page.keyboard.press("g")
    page.get_by_role("button", name="Cut into views…").click()
    fill(page, "Views across", 300)  # not taken
    expect(page.get_by_role("textbox", name="Views across")).to_have_attribute("aria-invalid", "true")
    page.keyboard.press("Escape")
    fill(page, "Gutter", 700)
    expect(page.get_by_text("do not hold so many views")).to_be_visible()
    fill(page, "Gutter", GUTTER)
    expect(page.get_by_text(f"Each {WIDTH} × {HEIGHT}.")).to_be_visible()
    page.get_by_role("button", name="Cut into 3 × 1").click()
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("3 frames")
    desk.settled()

    framing(page, "Line up")
    fill(page, "Anchor frame", 2)
    page.get_by_role("radio", name="box", exact=True).click()
    for name, value in (("left", 155), ("top", 95), ("across", 80), ("down", 130)):
        fill(page, f"Subject {name}", value)
    expect(page.get_by_role("group", name=re.compile("Subject box, 80 by 130 at 155, 95"))).to_be_visible()
    page.get_by_role("button", name="Line up", exact=True).click()
    page.get_by_role("radio", name="crop", exact=True).click()
    framing(page, "Tone")
    fill(page, "Frame to match", 2)
    expect(page.get_by_role("figure", name=re.compile("^Flicker"))).to_contain_text("steady")
    page.get_by_role("tab", name="Rhythm").click()
    page.get_by_role("radio", name="Order", exact=True).click()
    fill(page, "Order by numbers", "1-2-3-2")
    page.get_by_role("radio", name="Pace", exact=True).click()
    fill(page, "Duration", "4s")
    gif = download(desk, "three-lenses.gif")
    add(page, "MP4")
    clip = download(desk, "three-lenses.mp4")

    lasts = [one.info["duration"] for one in ImageSequence.Iterator(Image.open(BytesIO(gif)))]
    assert (len(lasts), sum(lasts)) == (4, 4000)
    frames = pictures(gif)
    height, width = frames[0].shape[:2]
    assert 300 < width < WIDTH
    assert 240 < height < HEIGHT
    assert flicker(frames) < 0.5
    views = [draw_lenses()[:, n * (WIDTH + GUTTER) :][:, :WIDTH].astype(np.int64) for n in (0, 1, 2, 1)]
    assert flicker(views) > 5

    # The buoy stands where it stood; what is farther off moves.
    red = [(frame[:, :, 0] > 150) & (frame[:, :, 1] < 90) for frame in frames]
    low = [np.argwhere(one[height // 2 :]).mean(axis=0) for one in red]
    assert np.abs(np.ptp(low, axis=0)).max() < 1.5
    before = [(view[:, :, 0] > 130) & (view[:, :, 1] < 90) for view in views]
    assert np.ptp([np.argwhere(one[HEIGHT // 2 :]).mean(axis=0)[1] for one in before]) > 12
    with av.open(BytesIO(clip)) as container:
        assert [stream.type for stream in container.streams] == ["video"]
        assert container.duration == 4_000_000  # type: ignore[union-attr]
        shown = [frame.to_ndarray(format="rgb24") for frame in container.decode(video=0)]  # type: ignore[union-attr]
    assert all(side % 2 == 0 for side in shown[0].shape[:2])
    assert np.abs(shown[0].astype(int) - frames[0][: shown[0].shape[0], : shown[0].shape[1]]).mean() < 6
    undo_all(desk)
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("1 frame")


def test_a_hand_that_shakes_and_a_light_that_flickers_are_put_right_in_two_actions(desk: Desk) -> None:
    page = desk.page
    desk.open("Buoy by hand")
    shaky = pictures(download(desk, "buoy-by-hand.gif"))
    framing(page, "Line up")
    page.get_by_role("button", name="Line up", exact=True).click()
    expect(page.get_by_text(re.compile("enlarging by .* % hides the edges"))).to_be_visible()
    page.get_by_role("radio", name="Tone", exact=True).click()
    page.get_by_role("button", name="Match all").click()
    steady = pictures(download(desk, "buoy-by-hand.gif"))
    assert steady[0].shape == shaky[0].shape == (HEIGHT, WIDTH, 3)
    assert flicker(steady) * 10 < flicker(shaky)
    away = np.s_[40:, :170]  # hills, sea and boat, without the lamp that goes on and off
    moved = [np.abs(frame[away] - steady[0][away]).mean() for frame in steady]
    assert max(moved) < 4
    assert max(np.abs(frame[away] - shaky[0][away]).mean() for frame in shaky) > 3 * max(moved)
    assert flicker([draw_by_hand(index, 24).astype(np.int64) for index in range(24)]) > 3

    # By hand: the arrow keys move the frame that is shown, while the difference shows.
    framing(page, "Line up")
    page.keyboard.press("End")
    page.get_by_role("radio", name="difference", exact=True).click()
    frame = page.get_by_role("group", name=re.compile("^Frame 24, moved by"))
    right = page.get_by_role("textbox", name="Moved right")
    was = float(right.input_value())
    frame.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Alt+ArrowLeft")
    expect(right).to_have_value(f"{was + 10.9:.3f}".rstrip("0").rstrip("."))
    page.keyboard.press("Control+z")  # one gesture
    expect(right).to_have_value(f"{was:.3f}".rstrip("0").rstrip("."))
    page.get_by_role("radio", name="result", exact=True).click()
    undo_all(desk)


def test_tones_are_set_for_all_and_for_a_selection_and_settings_by_keys(desk: Desk) -> None:
    page = desk.page
    desk.open("Buoy by hand")
    before = pictures(download(desk, "buoy-by-hand.gif"))
    framing(page, "Tone")
    page.get_by_role("slider", name="Saturation").focus()
    page.keyboard.press("Home")
    expect(page.get_by_role("textbox", name="Saturation, number")).to_have_value("-100")
    page.get_by_role("listbox", name="Frames").get_by_role("option").nth(2).click()
    expect(page.get_by_text("1 selected frame", exact=True)).to_be_visible()
    fill(page, "Exposure, number", "-1.5")
    fill(page, "Gamma, number", "1.234")  # no such step
    expect(page.get_by_role("textbox", name="Gamma, number")).to_have_attribute("aria-invalid", "true")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    made = pictures(download(desk, "buoy-by-hand.gif"))
    assert max(np.ptp(frame, axis=2).max() for frame in made) == 0  # grey
    light = [frame.mean() / was.mean() for frame, was in zip(made, before, strict=True)]
    assert light[2] < 0.8 * min(light[:2] + light[3:])
    undo_all(desk)


def test_soft_art_over_a_page_colour_has_no_rim(desk: Desk, tmp_path: Path) -> None:
    page = desk.page
    desk.open("Tern in flight")
    add(page, "APNG")
    framing(page, "Alpha")
    page.get_by_role("radio", name="over a colour").click()
    fill(page, "Page colour", "#e8dcc6")
    made = pictures(download(desk, "tern.png"))
    paper = np.array([0xE8, 0xDC, 0xC6])
    for path, frame in zip(demo_frames(tmp_path), made, strict=True):
        art = np.array(Image.open(path), np.int64)
        alpha = art[:, :, 3:] / 255
        true = art[:, :, :3] * alpha + paper * (1 - alpha)  # Porter and Duff's "over", 1984
        assert np.abs(frame - true).max() <= 2
    # Edges are looked at as alpha alone, and over three backdrops at once.
    framing(page, "Alpha")
    page.get_by_role("radio", name="3 backdrops").click()
    stage = page.get_by_role("img", name="The picture, playing")
    expect(stage).to_have_attribute("width", "768")
    page.get_by_role("radio", name="alpha", exact=True).click()
    expect(stage).to_have_attribute("width", "256")
    fill(page, "Choke, number", "0.5")
    undo_all(desk)


def test_in_betweens_are_compared_and_taken_in_the_same_time(desk: Desk) -> None:
    page = desk.page
    desk.open("Tern in flight")
    page.keyboard.press("Home")
    page.get_by_role("tab", name="Rhythm").click()
    page.get_by_role("radio", name="Order", exact=True).click()
    page.get_by_role("radio", name="compare").click()
    compared = page.get_by_role("region", name="In-betweens compared")
    for name in ("blended", "moved", "torn: blended there"):
        picture = compared.get_by_role("img", name=name, exact=True)
        expect(picture).to_be_visible()
        page.wait_for_function(
            "image => image.complete && image.naturalWidth === 256", arg=picture.element_handle()
        )
    expect(compared).to_contain_text("from frame 1 to 2")
    page.get_by_role("radio", name="result", exact=True).click()
    fill(page, "In-betweens", 1)
    desk.settled()
    moved = pictures(download(desk, "tern.gif"))
    page.get_by_role("tab", name="Rhythm").click()
    page.get_by_role("radio", name="blend", exact=True).click()
    data = download(desk, "tern.gif")
    blended = pictures(data)
    assert len(moved) == len(blended) == 47
    assert sum(one.info["duration"] for one in ImageSequence.Iterator(Image.open(BytesIO(data)))) == 1000
    np.testing.assert_array_equal(moved[0].shape, blended[0].shape)
    assert np.abs(moved[1] - blended[1]).max() > 20
    undo_all(desk)


def test_a_cut_out_is_placed_by_hand_and_flies(desk: Desk) -> None:
    page = desk.page
    desk.open("Tern in flight")
    page.get_by_role("tab", name="Gather").click()
    page.get_by_role("button", name="Move it…").click()
    fill(page, "Cut-out frame", 6)
    fill(page, "Frames in the move", 5)
    for name in ("Start", "End"):
        fill(page, f"{name} size", 50)
    start = page.get_by_role("button", name=re.compile("^Start, at 64, 128"))
    box, stage = start.bounding_box(), page.get_by_role("img", name="The cut-out from its start").bounding_box()
    assert box is not None
    assert stage is not None
    scale = stage["width"] / 256
    page.mouse.move(box["x"] + 9, box["y"] + 9)
    page.mouse.down()
    page.mouse.move(box["x"] + 9 + 6 * scale, box["y"] + 9 + 30 * scale, steps=4)
    page.mouse.up()
    moved = page.get_by_role("button", name=re.compile("^Start, at 70, 158"))
    moved.focus()
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("textbox", name="Start x")).to_have_value("69")
    expect(page.get_by_role("textbox", name="Start y")).to_have_value("168")
    page.get_by_role("button", name="Make 5 frames").click()
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("5 frames")
    alpha = [
        np.array(one.convert("RGBA"))[:, :, 3] > 0
        for one in ImageSequence.Iterator(Image.open(BytesIO(download(desk, "tern.gif"))))
    ]
    middles = [np.argwhere(one).mean(axis=0) for one in alpha]
    assert len(middles) == 5
    # From 69, 168 to 192, 128 in equal steps; the art's middle lies as far from the picture's in each.
    np.testing.assert_allclose(np.diff(middles, axis=0), [[-10, 30.75]] * 4, atol=1.5)
    undo_all(desk)
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("24 frames")


def test_a_picture_is_dragged_on_its_canvas_and_its_colour_taken_for_the_page(desk: Desk) -> None:
    page = desk.page
    desk.open("Buoy by hand")
    framing(page, "Crop, size")
    fill(page, "Percent", 50)
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("180 × 135")
    page.get_by_role("button", name="Proportions locked").click()
    fill(page, "Height", 200)
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("180 × 200")
    desk.settled()
    art = page.get_by_role("group", name="Picture on its canvas, 180 by 135 at 0, 32")
    box = art.bounding_box()
    assert box is not None
    scale = box["width"] / 180
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 20 * scale, steps=4)
    page.mouse.up()
    page.get_by_role("group", name="Picture on its canvas, 180 by 135 at 0, 52").focus()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("textbox", name="Top on the canvas")).to_have_value("53")
    desk.settled()
    page.get_by_role("radio", name="Alpha", exact=True).click()
    page.get_by_role("radio", name="fill", exact=True).click()
    desk.settled()
    page.get_by_role("button", name="Take it from the picture").click()
    stage = page.get_by_role("img", name="The picture, playing")
    seen = stage.bounding_box()
    assert seen is not None
    stage.click(position={"x": seen["width"] / 2, "y": seen["height"] * 70 / 200})  # the sky
    colour = page.get_by_role("textbox", name="Page colour", exact=True)
    expect(colour).not_to_have_value("#ffffff")
    paper = [int(colour.input_value()[at : at + 2], 16) for at in (1, 3, 5)]
    made = pictures(download(desk, "buoy-by-hand.gif"))
    for frame in made:
        assert frame.shape == (200, 180, 3)
        assert (frame[:53] == paper).all()
        assert (frame[188:] == paper).all()
        assert (frame[60:180] != paper).any()
    # Made smaller by a corner, proportions kept, and by key; by a percentage it lies where it lay.
    framing(page, "Crop, size")
    corner = page.get_by_role("button", name="Bottom right corner of the picture").bounding_box()
    assert corner is not None
    x, y = corner["x"] + corner["width"] / 2, corner["y"] + corner["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 36 * scale, y - 27 * scale, steps=4)
    page.mouse.up()
    page.get_by_role("group", name="Picture on its canvas, 144 by 108 at 0, 53").focus()
    page.keyboard.press("-")
    expect(page.get_by_role("textbox", name="Width of the picture")).to_have_value("143")
    fill(page, "Picture in percent", "25 %")
    expect(page.get_by_role("group", name=re.compile("^Picture on its canvas, 90 by 68 at"))).to_be_visible()
    for frame in pictures(download(desk, "buoy-by-hand.gif")):
        assert frame.shape == (200, 180, 3)
        assert (frame[130:] == paper).all()
        assert (frame[:, 100:] == paper).all()
    undo_all(desk)
