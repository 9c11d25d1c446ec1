"""What part of the picture leaves: pulled, moved by keys, typed and trimmed; the exported file is read back."""

from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from tests.e2e.conftest import Desk, pull_and_call_off


def exported(desk: Desk) -> Image.Image:
    """The GIF of the output on show, as it is downloaded."""
    page = desk.page
    desk.settled()
    page.get_by_role("tab", name="Hand-off").click()
    with page.expect_download() as started:
        page.get_by_role("link", name="Download pier-bell.gif").click()
    page.get_by_role("tab", name="Framing").click()
    return Image.open(BytesIO(Path(started.value.path()).read_bytes()))


def numbers(page: Page) -> list[int]:
    names = ("Left", "Top", "Crop across", "Crop down")
    return [int(page.get_by_role("textbox", name=name, exact=True).input_value()) for name in names]


def test_a_crop_is_pulled_moved_typed_and_leaves_as_it_is_shown(desk: Desk) -> None:
    page = desk.page
    desk.open("Pier bell")
    whole = np.array(exported(desk).convert("RGB")).astype(int)
    page.keyboard.press("x")
    box = page.get_by_role("group", name="Crop box")
    expect(box).to_have_accessible_name("Crop box, 420 by 280 at 0, 0")
    corner = page.get_by_role("button", name="Bottom right corner").bounding_box()
    frame = page.get_by_role("img", name="The whole frame, playing").bounding_box()
    assert corner is not None
    assert frame is not None
    scale = frame["width"] / 420
    pull_and_call_off(page, (corner["x"] + 7, corner["y"] + 7), (-120, -90))
    page.mouse.move(corner["x"] + 7, corner["y"] + 7)
    page.mouse.down()
    page.mouse.move(frame["x"] + 1, frame["y"] + 1)  # let slip into a point
    page.mouse.up()
    expect(box).to_have_accessible_name("Crop box, 420 by 280 at 0, 0")
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()
    page.mouse.move(corner["x"] + 7, corner["y"] + 7)
    page.mouse.down()
    page.mouse.move(corner["x"] + 7 - 180 * scale, corner["y"] + 7 - 100 * scale, steps=6)
    page.mouse.up()
    expect(box).to_have_accessible_name("Crop box, 240 by 180 at 0, 0")
    box.focus()
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowDown")
    expect(box).to_have_accessible_name("Crop box, 240 by 180 at 11, 1")
    page.get_by_role("textbox", name="Crop across").fill("200")
    page.keyboard.press("Enter")
    page.get_by_role("textbox", name="Top", exact=True).fill("9999")  # outside: it stays in the field
    page.keyboard.press("Enter")
    expect(page.get_by_role("textbox", name="Top", exact=True)).to_have_attribute("aria-invalid", "true")
    page.keyboard.press("Escape")
    assert numbers(page) == [11, 1, 200, 180]
    page.keyboard.press("x")
    shown = exported(desk)
    assert shown.size == (200, 180)
    # The same colours where it was cut: the palette is chosen anew, so not to the level.
    assert np.abs(np.array(shown.convert("RGB")).astype(int) - whole[1:181, 11:211]).mean() < 3
    page.get_by_role("combobox", name="Ratio of the crop").select_option("1:1")
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("180 × 180")
    page.get_by_role("button", name="Motion").click()  # the picket stands still, the boat and the bell do not
    expect(page.get_by_role("tab", name="Framing")).not_to_contain_text("180 × 180", timeout=60_000)
    left, top, width, height = numbers(page)
    assert left >= 0 < top
    assert width * height < 420 * 280
    page.get_by_role("button", name="None", exact=True).click()
    desk.settled()
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("420 × 280")
