"""A palette opened, and what is looked at on the stage: errors, changes, single pixels."""

import re
from pathlib import Path
from urllib.parse import unquote

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, Page, expect

from tests.conftest import lit_ball, moving_square
from tests.e2e.conftest import STAGE, Desk
from tests.e2e.test_budget import opened
from tests.server import until


def palette(desk: Desk) -> Locator:
    panel = desk.page.get_by_role("region", name="Tuning controls")
    panel.locator("summary[aria-label='Open the palette']").click()
    colours = panel.get_by_role("listbox", name="Colours of the palette").get_by_role("option")
    expect(colours.first).to_be_visible()
    return colours


def colour_of(swatch: Locator) -> str:
    return (swatch.get_attribute("aria-label") or "").split(",")[0]


def in_use(page: Page) -> int:
    words = page.get_by_role("tab", name="Tuning").inner_text()
    return int(re.findall(r"(\d+)\s+colours", words)[0])


def test_colours_are_lit_found_and_locked(desk: Desk) -> None:
    opened(desk, lit_ball(4, 160, 90), colours=12)
    page = desk.page
    desk.settled()
    before = desk.pixels()
    swatches = palette(desk)
    expect(swatches).to_have_count(12)
    shares = [
        float(re.findall(r"([\d.]+) %", one.get_attribute("aria-label") or "")[0]) for one in swatches.all()
    ]
    assert shares == sorted(shares, reverse=True)
    assert 97 <= sum(shares) <= 103
    third = colour_of(swatches.nth(2))
    swatches.nth(2).hover()
    wanted = tuple(int(third[at : at + 2], 16) for at in (1, 3, 5))
    is_it = (before[:, :, :3] == wanted).all(axis=2)
    lit = desk.pixels()
    assert is_it.any()
    assert (lit[is_it] == before[is_it]).all()
    others = lit[~is_it][:, :3].astype(int)
    assert (np.ptp(others, axis=1) == 0).all(), "the others are grey"
    page.mouse.move(5, 5)
    y, x = np.argwhere(is_it)[0]
    box = page.locator(f"{STAGE} canvas").bounding_box()
    assert box
    scale = box["width"] / 160
    page.mouse.click(box["x"] + (x + 0.5) * scale, box["y"] + (y + 0.5) * scale)
    chosen = page.get_by_role("option", name=re.compile(third))
    expect(chosen).to_have_attribute("aria-selected", "true")
    page.get_by_role("button", name="Lock", exact=True).click()
    desk.settled()
    expect(page.get_by_role("textbox", name="Locked colours")).to_have_value(third)
    expect(page.get_by_role("option", name=re.compile(f"{third}.*locked"))).to_be_visible()
    page.get_by_role("button", name="Unlock").click()
    desk.settled()
    expect(page.get_by_role("textbox", name="Locked colours")).to_have_value("")
    page.get_by_label("Order of the colours").select_option("lightness")
    first = colour_of(swatches.first)
    assert sum(int(first[at : at + 2], 16) for at in (1, 3, 5)) < 120


def test_a_colour_is_dropped_and_two_become_one_once_it_is_told_what_that_brings(desk: Desk) -> None:
    opened(desk, lit_ball(4, 160, 90), colours=12)
    page = desk.page
    desk.settled()
    swatches = palette(desk)
    expect(swatches).to_have_count(12)
    gone = colour_of(swatches.nth(5))
    swatches.nth(5).click()
    page.get_by_role("button", name="Drop", exact=True).click()
    asked = page.get_by_role("group", name=f"Drop {gone}")
    expect(asked).to_contain_text(re.compile(r"[−+]\d+\.\d KB, SSIM [−+]0\.\d+"))
    assert in_use(page) == 12, "nothing is changed before that is wished"
    asked.get_by_role("button", name="Apply").click()
    desk.settled()
    assert in_use(page) == 11
    expect(swatches).to_have_count(11)
    assert gone not in [colour_of(one) for one in swatches.all()]
    one, two = colour_of(swatches.nth(9)), colour_of(swatches.nth(10))
    swatches.nth(9).click()
    page.get_by_role("button", name="Merge").click()
    swatches.nth(10).click()
    asked = page.get_by_role("group", name=f"Merge {one} and {two}")
    expect(asked).to_contain_text("SSIM")
    asked.get_by_role("button", name="Apply").click()
    desk.settled()
    assert in_use(page) == 10
    page.reload()
    desk.settled()
    assert in_use(page) == 10
    for count in (11, 12):
        page.keyboard.press("Control+z")
        desk.settled()
        assert in_use(page) == count


def test_a_palette_is_taken_away_and_brought(desk: Desk, tmp_path: Path) -> None:
    opened(desk, lit_ball(4, 160, 90), colours=6)
    page = desk.page
    desk.settled()
    swatches = palette(desk)
    expect(swatches).to_have_count(6)
    link = page.get_by_role("link", name="Export")
    listed = unquote((link.get_attribute("href") or "").split(",", 1)[1]).split()
    assert listed == [colour_of(one) for one in swatches.all()]
    brought = tmp_path / "pier.txt"
    brought.write_bytes(b"#000\n#ffcc88\r\n#804020\n")
    field = page.get_by_label("Import a palette from a picture or a list of colours")
    field.set_input_files(brought)
    desk.settled()
    expect(swatches).to_have_count(3)
    assert {colour_of(one) for one in swatches.all()} == {"#000000", "#ffcc88", "#804020"}
    brought.write_text("a palette, they said")
    field.set_input_files(brought)
    expect(page.get_by_text("pier.txt: 'a' is not a colour")).to_be_visible()
    desk.forgiven += ["status of 422"]
    page.keyboard.press("Control+z")
    desk.settled()
    expect(swatches).to_have_count(6)
    picture = tmp_path / "lamp.png"
    Image.fromarray(
        np.array([[[16, 16, 16], [255, 204, 136]], [[128, 64, 32], [192, 128, 64]]], np.uint8)
    ).save(picture)
    field.set_input_files(picture)
    desk.settled()
    expect(swatches).to_have_count(4)
    assert {colour_of(one) for one in swatches.all()} == {"#101010", "#ffcc88", "#804020", "#c08040"}


def test_errors_changes_and_pixels_are_shown_as_they_are(desk: Desk) -> None:
    opened(desk, moving_square(4, 160, 90), colours=8)
    page = desk.page
    desk.settled()
    result = desk.pixels().astype(float)
    page.keyboard.press("2")
    until(lambda: (desk.pixels() != result).any())  # once it is there
    source = desk.pixels().astype(float)
    off = np.sqrt(((source - result)[:, :, :3] ** 2 * (0.299, 0.587, 0.114)).sum(axis=2))
    page.keyboard.press("6")
    expect(page.get_by_text("32 levels")).to_be_visible()
    until(lambda: (desk.pixels()[:, :, 3] == 255).all())  # once its source is there
    heat = desk.pixels()[:, :, :3].sum(axis=2)
    assert (heat[off < 0.5] == 0).all()
    assert (heat[off >= 1.5] > 0).all()
    page.keyboard.press("End")
    page.keyboard.press("1")
    last = desk.pixels()
    page.keyboard.press("ArrowLeft")
    same = (desk.pixels() == last).all(axis=2)
    page.keyboard.press("ArrowRight")
    page.keyboard.press("7")
    expect(page.get_by_text("changed pixels; the rest is dimmed")).to_be_visible()
    shown = desk.pixels()
    assert (shown[~same] == last[~same]).all()
    assert (shown[same][:, :3] <= last[same][:, :3] // 2).all()
    page.keyboard.press("1")
    page.keyboard.press("l")
    box = page.locator(f"{STAGE} canvas").first.bounding_box()
    assert box
    scale = box["width"] / 160
    page.mouse.move(box["x"] + 70.5 * scale, box["y"] + 40.5 * scale)
    loupe = page.get_by_role("group", name="Loupe at 70, 40")
    ours = "#{:02x}{:02x}{:02x}".format(*last[40, 70, :3])
    expect(loupe.get_by_role("status", name="Pixel of the result")).to_have_text(ours)
    expect(loupe.get_by_role("status", name="Pixel of the source")).to_have_text(re.compile("#[0-9a-f]{6}"))
    loupe.focus()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("group", name="Loupe at 70, 41")).to_be_visible()
    page.keyboard.press("l")


def test_the_strip_tells_likeness_and_the_panel_what_bytes_are_spent_on(desk: Desk) -> None:
    opened(desk, lit_ball(4, 160, 90), colours=12)
    page = desk.page
    desk.settled()
    expect(page.get_by_role("status", name="Spent on")).to_have_text(
        re.compile(r"palettes 0\.0 · pictures \d+\.\d · rest 0\.\d KB")
    )
    strip = page.get_by_role("region", name="Rhythm strip")
    expect(strip).to_contain_text(re.compile(r"\d\.\d KB"))
    strip.get_by_label("Bars").select_option("likeness")
    expect(strip).to_contain_text(re.compile(r"0\.\d{4}"))
    first = re.findall(r"0\.\d{4}", strip.inner_text())
    page.keyboard.press("End")
    expect(strip).not_to_contain_text(first[-1])
