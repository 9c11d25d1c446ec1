"""Trials through the interface: played, compared, blind too, named, made and taken over."""

import re

import httpx
from playwright.sync_api import Locator, Page, expect

from tests.conftest import lit_ball
from tests.e2e.conftest import Desk
from tests.service.conftest import project_of


def plot(page: Page) -> Locator:
    return page.get_by_role("list", name="Trials").get_by_role("button")


def numbered(page: Page, number: int) -> Locator:
    return page.get_by_role("button", name=re.compile(rf"^Trial {number}: "))


def begun(desk: Desk, count: int = 6, width: int = 160, height: int = 90) -> None:
    """A project as it was brought in, open on Tuning: its first file is its first trial."""
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        project = project_of(client, lit_ball(count, width, height))
    desk.goto(f"/project/{project}")
    desk.settled()
    desk.page.get_by_role("tab", name="Tuning").click()


def colours(desk: Desk, count: int) -> None:
    field = desk.page.get_by_role("textbox", name="Colours, number")
    field.fill(str(count))
    field.press("Enter")
    desk.settled()


def test_every_file_is_a_trial_and_any_can_be_had_again(desk: Desk) -> None:
    begun(desk)
    page = desk.page
    first = desk.kilobytes()
    colours(desk, 12)
    fewer = desk.kilobytes()
    page.keyboard.press("v")
    expect(plot(page)).to_have_count(2)  # measured by and by
    expect(numbered(page, 2)).to_have_accessible_name(re.compile(rf"2: {fewer} KB, SSIM 0\.\d+, in use"))
    expect(page.get_by_role("img", name="Left trial")).to_have_attribute("data-index", re.compile(r"\d"))
    expect(page.get_by_role("img", name="Right trial")).to_have_attribute("data-index", re.compile(r"\d"))
    card = page.get_by_role("region", name="Trial 1")
    name = card.get_by_role("textbox", name="Name of the trial")
    name.fill("For the pier")
    name.press("Enter")
    card.get_by_role("textbox", name="Note on the trial").fill("all its colours")
    page.keyboard.press("Tab")
    expect(numbered(page, 1)).to_have_accessible_name(re.compile("For the pier"))
    card.get_by_role("button", name="Use it").click()
    desk.made()
    assert desk.kilobytes() == first
    expect(plot(page)).to_have_count(2)  # none was made that there was
    page.reload()
    expect(plot(page)).to_have_count(2)
    expect(numbered(page, 1)).to_have_accessible_name(re.compile("in use, For the pier"))
    page.keyboard.press("Control+z")
    desk.made()
    assert desk.kilobytes() == fewer
    expect(numbered(page, 2)).to_have_accessible_name(re.compile("in use"))
    page.keyboard.press("v")
    expect(page.get_by_role("region", name="Stage", exact=True)).to_be_visible()


def test_trials_are_pointed_at_chosen_by_keys_and_gone_through(desk: Desk) -> None:
    begun(desk)
    page = desk.page
    for count in (40, 12, 5):
        colours(desk, count)
    page.get_by_role("button", name=re.compile("^Trials 4")).click()
    expect(plot(page)).to_have_count(4)
    stage = page.get_by_role("region", name="Trials on stage")
    numbered(page, 2).hover()
    expect(stage.get_by_role("region", name="Trial 2")).to_be_visible()
    numbered(page, 3).click()
    page.mouse.move(5, 5)
    expect(stage.get_by_role("region", name="Trial 3")).to_be_visible()
    expect(numbered(page, 3)).to_have_attribute("aria-pressed", "true")
    numbered(page, 3).focus()
    page.keyboard.press("ArrowRight")
    expect(numbered(page, 2)).to_be_focused()
    stage.get_by_role("button", name="Swap sides").click()
    expect(numbered(page, 4)).to_have_attribute("aria-pressed", "true")  # it was on the left
    stage.get_by_role("radio", name="Wipe").click()
    handle = stage.get_by_role("slider", name="Wipe between two trials")
    handle.focus()
    before = int(handle.get_attribute("aria-valuenow") or 0)
    page.keyboard.press("ArrowRight")
    expect(handle).to_have_attribute("aria-valuenow", str(before + 2))
    stage.get_by_role("radio", name="Side by side").click()
    numbered(page, 4).click()
    out = stage.get_by_role("button", name=re.compile("▲ .*frame"))
    expect(out.last).to_be_visible()
    wanted = int(re.findall(r"frames? (\d+)", out.last.inner_text())[0])
    out.last.click()
    at = stage.get_by_role("img", name="Right trial")
    expect(at).to_have_attribute("data-index", re.compile(rf"^[{wanted - 1}-9]"))


def test_a_blind_comparison_tells_at_the_end_which_was_which(desk: Desk) -> None:
    begun(desk)
    page = desk.page
    colours(desk, 4)
    page.keyboard.press("v")
    stage = page.get_by_role("region", name="Trials on stage")
    stage.get_by_role("radio", name="Blind").click()
    blind = stage.get_by_role("group", name="Blind comparison")
    expect(plot(page)).to_have_count(0)
    expect(stage).not_to_contain_text("KB")
    for word in ("A is better", "B is better", "Can’t tell"):
        blind.get_by_role("button", name=word).click()
    expect(blind).to_contain_text("Round 4")
    blind.get_by_role("button", name="Reveal").click()
    which = page.get_by_role("status", name="Which was which")
    expect(which).to_contain_text(re.compile(r"A was [12], \d+ KB; B was [12], \d+ KB"))
    came = re.search(r"(tied after 3|[12] preferred in [12] of 3), 1 undecided", which.inner_text())
    assert came
    blind.get_by_role("button", name="Save as note").click()
    page.reload()
    stage.get_by_role("radio", name="Side by side").click()
    note = stage.get_by_role("textbox", name="Note on the trial")
    expect(note).to_have_value(re.compile(f"blind, 2 and 1: {came[0]}"))


def test_others_and_other_formats_are_made_and_taken_over(desk: Desk) -> None:
    begun(desk, 4, 96, 54)
    page = desk.page
    page.keyboard.press("v")
    stage = page.get_by_role("region", name="Trials on stage")
    stage.get_by_role("button", name="Try others").click()
    expect(page.get_by_role("status", name="Trying")).to_contain_text("tried")
    stage.get_by_role("button", name="Cancel").click()
    stage.get_by_role("button", name="Try others").click()
    expect(plot(page).nth(11)).to_be_visible(timeout=60_000)
    expect(stage.get_by_role("button", name="In other formats")).to_be_visible(timeout=60_000)
    stage.get_by_role("button", name="In other formats").click()
    formats = stage.get_by_role("list", name="In other formats")
    expect(formats.get_by_role("button")).to_have_count(5, timeout=60_000)
    expect(stage.get_by_role("button", name="In other formats")).to_be_visible(timeout=60_000)
    webp = formats.get_by_role("button", name=re.compile(r"^WebP \d+ KB browsers"))
    weighs = int(re.findall(r"(\d+) KB", webp.inner_text())[0])
    webp.click()
    stage.get_by_role("button", name="Use it").click()
    desk.made()
    assert desk.kilobytes() == weighs
    expect(page.get_by_role("tab", name="Tuning")).to_contain_text("quality")
    page.keyboard.press("Control+z")
    desk.made()
    expect(page.get_by_role("tab", name="Tuning")).to_contain_text("colours")
