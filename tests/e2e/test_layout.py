"""What is used daily is seen without scrolling, in a usual window; in smaller ones nothing is cut."""

import re

import pytest
from playwright.sync_api import Locator, Page, ViewportSize, expect

from tests.e2e.conftest import STAGE, Desk


def controls(page: Page) -> Locator:
    return page.get_by_role("region", name=re.compile(r" controls$"))


def out_of_sight(page: Page, wanted: list[Locator]) -> list[str]:
    """Those that are not whole within the panel and the window, the panel not scrolled."""
    assert controls(page).evaluate("(panel) => panel.scrollTop") == 0
    panel = controls(page).bounding_box()
    size = page.viewport_size
    assert panel
    assert size
    cut = []
    for one in wanted:
        expect(one).to_be_visible()
        box = one.bounding_box()
        assert box
        bottom = min(panel["y"] + panel["height"], size["height"])
        right = min(panel["x"] + panel["width"], size["width"])
        if not (
            panel["y"] <= box["y"]
            and box["y"] + box["height"] <= bottom + 1
            and box["x"] + box["width"] <= right
        ):
            cut.append(str(one))
    return cut


def wider_than_it_is(page: Page, element: str) -> bool:
    return bool(page.locator(element).first.evaluate("(one) => one.scrollWidth > one.clientWidth + 1"))


@pytest.mark.parametrize("project", ["Tern in flight", "Kite over the pier", "Terns from above", "Gull across"])
def test_daily_controls_are_in_sight(desk: Desk, project: str) -> None:
    page = desk.page
    desk.goto("/")
    page.get_by_role("link", name=project, exact=True).click()
    expect(page.locator(f"{STAGE} canvas").first).to_be_visible()
    panel = controls(page)
    cut = {}

    def look(key: str, *wanted: Locator) -> None:
        cut[key] = out_of_sight(page, list(wanted))
        assert not wider_than_it_is(page, "section[aria-label$=' controls']"), key

    page.keyboard.press("g")
    look("gather", *(panel.get_by_role("button", name=name) for name in ("Choose a folder…", "Choose files…")))
    page.keyboard.press("r")
    for part, name in (("Order", "Reverse all"), ("Pace", None), ("Delays", None), ("Seam", None)):
        panel.get_by_role("radio", name=part).click()
        look(part, *([panel.get_by_role("button", name=name)] if name else []))
    page.keyboard.press("f")
    look(
        "framing",
        panel.get_by_role("textbox", name="Width", exact=True),
        panel.get_by_role("group", name="Usual widths"),
        panel.get_by_role("combobox", name="Resampling"),
    )
    page.keyboard.press("t")
    look("tuning", panel.get_by_role("textbox", name="Budget in KB"))
    page.keyboard.press("h")
    look(
        "hand-off",
        panel.get_by_role("textbox", name="File name"),
        panel.get_by_role("link", name=re.compile("^Download ")),
        panel.get_by_role("link", name="All in one zip"),
        panel.get_by_role("button", name="Send"),
    )
    assert not any(cut.values()), cut


def test_the_strip_s_bar_is_one_line_with_frames_selected_too(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    bar = "section[aria-label='Rhythm strip'] > div"
    sizes: list[ViewportSize] = [{"width": width, "height": 800} for width in (1280, 1100, 900, 820)]
    for size in sizes:
        page.set_viewport_size(size)
        page.keyboard.press("Escape")
        for _ in range(2):
            assert not wider_than_it_is(page, f"{bar} > div"), size
            box = page.locator(bar).first.bounding_box()
            assert box
            assert box["height"] < 40
            page.keyboard.press("Control+a")


def test_in_a_small_window_the_controls_lie_over_the_stage_and_are_put_away(desk: Desk) -> None:
    desk.open("Dusk lamp")
    page = desk.page
    toggle = page.get_by_role("button", name=re.compile("^(Hide|Show) controls$"))
    expect(toggle).to_be_hidden()
    for width, height in ((1099, 800), (900, 700), (820, 700)):
        page.set_viewport_size({"width": width, "height": height})
        assert not page.evaluate("() => document.documentElement.scrollWidth > innerWidth")
        for key in "grfth":
            page.keyboard.press(key)
            assert not wider_than_it_is(page, "section[aria-label$=' controls']"), (width, key)
            box = controls(page).bounding_box()
            assert box
            assert box["x"] + box["width"] <= width
            assert box["y"] + box["height"] <= height
    toggle.click()
    expect(controls(page)).to_be_hidden()
    expect(toggle).to_have_accessible_name("Show controls")
    page.keyboard.press("t")  # what is asked for is shown
    expect(page.get_by_role("slider", name="Colours")).to_be_visible()


def test_a_key_leads_into_the_controls_and_back(desk: Desk) -> None:
    desk.open("Dusk lamp")
    page = desk.page
    page.keyboard.press("t")
    page.get_by_role("slider", name="Playhead").focus()
    page.keyboard.press("F6")
    expect(page.get_by_role("button", name="Fit under")).to_be_focused()
    page.keyboard.press("F6")
    expect(page.get_by_role("slider", name="Playhead")).to_be_focused()
    page.set_viewport_size({"width": 900, "height": 700})
    page.get_by_role("button", name="Hide controls").click()
    page.keyboard.press("F6")  # opens them, too
    expect(page.get_by_role("button", name="Fit under")).to_be_focused()
    page.keyboard.press("F6")
    page.keyboard.press("h")  # the keys are the bench's again
    expect(page.get_by_role("region", name="Hand-off controls")).to_be_visible()
