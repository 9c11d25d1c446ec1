"""A budget met by asking, and likeness beside the bytes, through the interface."""

import re
from typing import Any

import httpx
import pytest
from playwright.sync_api import Locator, Page, expect

from tests.conftest import lit_ball, moving_square
from tests.e2e.conftest import STAGE, Desk
from tests.service.conftest import edit, heavy, project_of


def opened(desk: Desk, frames: Any, **tuning: Any) -> str:
    """A project of some frames, open on Tuning."""
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        project = project_of(client, frames)

        def change(recipe: dict[str, Any]) -> None:
            recipe["outputs"][0]["tuning"].update(dither="none", **tuning)

        edit(client, project, change).raise_for_status()
    desk.goto(f"/project/{project}")
    desk.page.get_by_role("tab", name="Tuning").click()
    return project


def budget(page: Page, kilobytes: int) -> None:
    field = page.get_by_label("Budget in KB")
    field.fill(str(kilobytes))
    field.press("Enter")


def fitting(page: Page) -> Locator:
    return page.get_by_role("region", name="Fit the budget")


def test_one_click_fits_an_output_and_one_undo_takes_it_back(desk: Desk) -> None:
    opened(desk, lit_ball(8, 200, 113))
    page = desk.page
    desk.settled()
    whole = desk.kilobytes()
    most = whole * 6 // 10
    budget(page, most)
    desk.settled()
    expect(page.get_by_role("tab", name="Hand-off")).to_contain_text("over budget")
    likeness = page.get_by_role("status", name="Likeness")
    expect(likeness).to_contain_text("SSIM")
    fit = fitting(page)
    fit.get_by_role("button", name=f"Fit under {most} KB").click()
    expect(fit).to_contain_text(re.compile(r"the best of \d+ files tried"))
    desk.settled()
    assert 0.95 * most <= desk.kilobytes() <= most
    expect(fit.get_by_role("img", name=re.compile(r"tried, from \d+ to \d+ KB; budget"))).to_be_visible()
    expect(likeness).to_contain_text("SSIM")
    page.reload()
    expect(fit).to_contain_text(re.compile(r"the best of \d+ files tried"))
    page.keyboard.press("Control+z")
    desk.settled()
    assert desk.kilobytes() == whole
    expect(fit).to_contain_text("best: ")  # what was found is still there
    fit.get_by_role("button", name="Use it").click()
    desk.settled()
    assert desk.kilobytes() <= most
    budget(page, 2 * most)
    expect(fit).to_contain_text(f"tried, for {most} KB")  # of that budget it is not known


def test_what_cannot_be_reached_is_said_with_what_would_have_to_give(desk: Desk) -> None:
    opened(desk, lit_ball(8, 200, 113))
    page = desk.page
    desk.settled()
    budget(page, 1)
    desk.settled()
    fit = fitting(page)
    fit.get_by_role("button", name="Fit under 1 KB").click()
    expect(fit).to_contain_text("1 KB cannot be reached by what may change. Allow another size or rate")
    before = desk.kilobytes()
    expect(fit).to_contain_text("smallest: ")
    assert desk.kilobytes() == before, "nothing is taken over that does not fit"
    fit.get_by_text("may change: all but size, rate").click()
    fit.get_by_role("button", name="size", exact=True).click()
    fit.get_by_role("button", name="Fit under 1 KB").click()
    expect(fit).to_contain_text("the best of")
    desk.settled()
    assert desk.kilobytes() == 1
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("from 200 × 113")


def test_a_search_is_called_off_and_what_it_tried_stays(desk: Desk) -> None:
    opened(desk, heavy(10, seed=51))
    page = desk.page
    desk.settled()
    budget(page, 20)
    desk.settled()
    fit = fitting(page)
    fit.get_by_role("button", name="Fit under 20 KB").click()
    expect(page.get_by_role("status", name="Search")).to_contain_text("tried")
    fit.get_by_role("button", name="Cancel").click()
    expect(fit.get_by_role("button", name="Fit under 20 KB")).to_be_visible()
    expect(fit.get_by_role("img", name=re.compile("tried, from"))).to_be_visible()
    page.reload()
    expect(fit.get_by_role("img", name=re.compile("tried, from"))).to_be_visible()


def test_a_rule_of_bytes_is_put_right_by_fitting_first(desk: Desk) -> None:
    opened(desk, lit_ball(8, 200, 113))
    page = desk.page
    desk.settled()
    most = desk.kilobytes() * 7 // 10
    budget(page, most)
    desk.settled()
    page.get_by_role("tab", name="Hand-off").click()
    rules = page.get_by_role("region", name="Rules check")
    expect(rules).to_contain_text("Bytes")
    rules.get_by_role("button", name=f"Fit under {most} KB").click()
    expect(rules).to_contain_text("passes")
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("200 × 113")


@pytest.mark.parametrize("by", ["mouse", "keyboard"])
def test_what_stands_out_is_named_and_gone_to(desk: Desk, by: str) -> None:
    opened(desk, moving_square(6, 160, 120), colours=6)
    page = desk.page
    desk.settled()
    out = page.get_by_role("button", name=re.compile("▲ (bands|edges|hue|crawling).*frame"))
    expect(out).to_be_visible()
    if by == "mouse":
        out.click()
    else:
        out.focus()
        page.keyboard.press("Enter")
    expect(page.get_by_role("radio", name="Wipe")).to_be_checked()
    first, _, last = re.sub(r"[^\d–]", "", out.inner_text().split("frame")[-1]).partition("–")
    shown = page.locator(f"{STAGE} canvas")
    expect(shown).to_have_attribute("data-index", re.compile(r"^\d+$"))
    at = int(shown.get_attribute("data-index") or -1) + 1
    assert int(first) <= at <= int(last or first)
    page.get_by_role("radio", name="Result", exact=True).click()


def test_all_that_are_over_are_fitted_at_once_and_each_is_one_undo(desk: Desk) -> None:
    project = opened(desk, lit_ball(6, 160, 90))
    page = desk.page
    desk.settled()
    most = desk.kilobytes() * 6 // 10
    with httpx.Client(base_url=desk.base, timeout=60) as client:

        def change(recipe: dict[str, Any]) -> None:
            (first,) = recipe["outputs"]
            first["target"] = {"figures": {"bytes": {"stop": {"most": most * 1024}}}}
            recipe["outputs"].append({**first, "id": "two", "name": "Two", "file_name": "two.gif"})
            recipe["outputs"].append(
                {**first, "id": "free", "name": "Free", "file_name": "3.gif", "target": None}
            )

        edit(client, project, change).raise_for_status()
    page.reload()
    desk.made()
    fitting(page).get_by_role("button", name="Fit all 2 over budget").click()
    for name in ("Page loop", "Two"):
        stub = page.get_by_role("button", name=re.compile(f"^{name}")).first
        expect(stub).to_contain_text("✓", timeout=60_000)
    expect(fitting(page)).to_contain_text("the best of")
    document = desk.get(f"/api/projects/{project}").json()
    sizes = {one["output_id"]: one["info"]["bytes"] for one in document["results"]}
    assert max(sizes["page"], sizes["two"]) <= most * 1024 < sizes["free"]
    for _ in range(2):
        page.keyboard.press("Control+z")
    desk.made()
    expect(fitting(page).get_by_role("button", name="Fit all 2 over budget")).to_be_visible()


def test_one_figure_is_shared_out_over_all_outputs(desk: Desk) -> None:
    project = opened(desk, lit_ball(5, 120, 68))
    page = desk.page
    desk.settled()
    with httpx.Client(base_url=desk.base, timeout=60) as client:

        def change(recipe: dict[str, Any]) -> None:
            (first,) = recipe["outputs"]
            small = {"id": "small", "name": "Small", "file_name": "small.gif", "size": {"width": 60}}
            recipe["outputs"].append({**first, **small})

        edit(client, project, change).raise_for_status()
    page.reload()
    desk.made()
    together = page.get_by_role("region", name="All outputs together")
    expect(together).to_contain_text(re.compile(r"All 2: \d+ KB, budget"))
    now = int(re.findall(r"(\d+) KB", together.inner_text())[0])
    field = together.get_by_role("textbox", name="Budget of all outputs in KB")
    field.fill(str(now // 2))
    field.press("Enter")
    together.get_by_role("button", name="Fit").click()
    expect(together).to_contain_text(
        re.compile(rf"\d+ KB of {now // 2} KB; the worst is \w+.*, SSIM 0\.\d+"), timeout=60_000
    )
    together.get_by_role("button", name="Use these").click()
    expect(together).to_contain_text("in use", timeout=60_000)
    sizes = [one["info"]["bytes"] for one in desk.get(f"/api/projects/{project}").json()["results"]]
    assert len(sizes) == 2
    assert sum(sizes) <= now // 2 * 1024
    page.keyboard.press("Control+z")
    expect(together.get_by_role("button", name="Use these")).to_be_visible()
    page.reload()
    expect(together).to_contain_text("the worst is")
    field.fill("1")
    field.press("Enter")
    together.get_by_role("button", name="Fit").click()
    expect(together).to_contain_text("1 KB cannot be reached together", timeout=60_000)
