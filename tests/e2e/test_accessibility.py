"""Every screen by day and by night against axe-core's rules (Deque; WCAG 2.1 A and AA among them)."""

import re
from pathlib import Path
from typing import Any

from playwright.sync_api import expect

from jayflick.demo import DEMO
from tests.e2e.conftest import Desk
from tests.e2e.test_pictures import undo_all
from tests.e2e.test_proof import standins

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
OF_COLOUR = ["color-contrast", "link-in-text-block"]
"""The rules that look at colours."""
FILES = {project.folder: project.files for project in DEMO}


def violations(desk: Desk) -> list[str]:
    """What axe-core finds wrong on the page as it is by day, and in its colours by night."""
    page = desk.page
    if not page.evaluate("() => 'axe' in window"):
        page.evaluate(AXE.read_text())
    wrong = _found(desk, {"resultTypes": ["violations"]})
    page.emulate_media(color_scheme="dark")
    if page.url.startswith(desk.base):  # the stand-ins look as they do by day and by night
        expect(page.locator("html")).to_contain_class("dark")
    wrong |= {f"by night, {one}" for one in _found(desk, {"runOnly": OF_COLOUR})}
    page.emulate_media(color_scheme="light")
    return sorted(wrong)


def _found(desk: Desk, options: dict[str, Any]) -> set[str]:
    found: dict[str, Any] = desk.page.evaluate("(options) => axe.run(document, options)", options)
    return {f"{one['id']}: {node['html'][:110]}" for one in found["violations"] for node in one["nodes"]}


def test_no_screen_breaks_a_rule(desk: Desk, tmp_path: Path) -> None:
    page = desk.page
    desk.goto()
    expect(page.get_by_role("link", name="Dusk lamp")).to_be_visible()
    wrong: dict[str, list[str]] = {"shelf": violations(desk)}

    page.get_by_label("Choose Dusk lamp").focus()
    page.keyboard.press("Space")
    expect(page.get_by_role("region", name="Chosen projects")).to_be_visible()
    wrong["chosen"] = violations(desk)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Table").click()
    expect(page.get_by_role("table").get_by_role("link", name="Dusk lamp")).to_be_visible()
    wrong["table"] = violations(desk)
    for name in ("Set…", "Take settings…", "Check…", "Fit…", "Hand off…", "Send…"):
        page.get_by_role("button", name=name).click()
        expect(page.get_by_role("dialog")).to_be_visible()
        wrong[name] = violations(desk)
        page.keyboard.press("Escape")
    page.get_by_role("link", name="Shelf").click()

    folder = tmp_path / "terns"
    folder.mkdir()
    for name, make in FILES["terns"]:
        if "-N-" in name or "-SE-" in name:
            (folder / name).write_bytes(make())
    page.get_by_label("Folder of frames").set_input_files(folder)
    expect(page.get_by_role("region", name="Sequences found")).to_be_visible()
    wrong["sorting"] = violations(desk)
    page.get_by_role("button", name="Import none").click()

    (tmp_path / "wake.mp4").write_bytes(dict(FILES["wake"])["wake.mp4"]())
    page.get_by_label("Frames", exact=True).set_input_files(tmp_path / "wake.mp4")
    expect(page.get_by_role("img", name="Frame 1 of the clip")).to_be_visible()
    wrong["cutting"] = violations(desk)
    page.get_by_role("button", name="Not this clip").click()

    desk.open("Kite over the pier")
    for key, part in (("g", "Gather"), ("r", "Rhythm"), ("f", "Framing"), ("t", "Tuning"), ("h", "Hand-off")):
        page.keyboard.press(key)
        expect(page.get_by_role("region", name=f"{part} controls")).to_be_visible()
        wrong[part] = violations(desk)
        if part == "Rhythm":
            for inner in ("Delays", "Order", "Seam", "Spans"):
                page.get_by_role("radio", name=inner, exact=True).click()
                wrong[inner] = violations(desk)
        if part == "Framing":
            for inner in ("Alpha", "Tone", "Line up"):
                page.get_by_role("radio", name=inner, exact=True).click()
                wrong[inner] = violations(desk)
            page.get_by_role("radio", name="both", exact=True).click()
            page.get_by_role("radio", name="box", exact=True).click()
            wrong["lining up"] = violations(desk)
            page.get_by_role("radio", name="whole frame", exact=True).click()
            page.get_by_role("radio", name="result", exact=True).click()
            page.get_by_role("radio", name="Crop, size", exact=True).click()
    page.keyboard.press("g")
    for name in ("Cut into views…", "Move it…"):
        page.get_by_role("button", name=name).click()
        wrong[name] = violations(desk)
        page.get_by_role("button", name="Close").click()
    page.keyboard.press("c")
    expect(page.get_by_role("region", name="Contact view").get_by_role("option").first).to_be_visible()
    wrong["contact"] = violations(desk)
    page.keyboard.press("c")
    page.keyboard.press("?")
    wrong["keys"] = violations(desk)
    page.keyboard.press("Escape")

    desk.open("Tern in flight")
    page.keyboard.press("t")
    page.get_by_role("button", name="Add an output").click()
    page.get_by_role("dialog", name="Add an output").get_by_text("Sheet", exact=True).click()
    expect(page.get_by_role("region", name="Sheet", exact=True).get_by_role("group")).to_be_visible()
    wrong["sheet"] = violations(desk)
    page.get_by_role("radio", name="Scene", exact=True).click()
    expect(page.get_by_role("group", name="Scene, led by arrow keys")).to_be_visible()
    wrong["scene"] = violations(desk)
    page.get_by_role("radio", name="Sheet", exact=True).click()
    page.get_by_role("tab", name="Hand-off").click()
    undo_all(desk)
    page.keyboard.press("p")
    expect(page.get_by_role("region", name="Proof").get_by_role("img", name="The file")).to_be_visible()
    wrong["proof"] = violations(desk)
    page.keyboard.press("p")

    desk.open("Gull across")
    page.keyboard.press("h")
    expect(page.get_by_role("region", name="Cover")).to_be_visible()
    page.get_by_text("Hatch what is uncovered").click()
    expect(page.get_by_role("img", name="What is uncovered")).to_be_visible()
    wrong["cover"] = violations(desk)
    page.get_by_text("Hatch what is uncovered").click()
    page.get_by_label("Target", exact=True).select_option("overlay")
    expect(page.get_by_role("region", name="On the raster").get_by_label("Left on the raster")).to_be_visible()
    expect(page.get_by_role("button", name="Send", exact=True)).to_be_enabled(timeout=60_000)
    expect(page.get_by_text("before the last change")).to_have_count(0)
    wrong["raster"] = violations(desk)
    undo_all(desk)
    for name, url in standins(desk).items():
        page.goto(url, wait_until="domcontentloaded")
        expect(page.get_by_role("region", name="Bring files")).to_be_visible()
        if name == "graphics":
            page.get_by_role("button", name="Add a line of text").click()
            expect(page.get_by_role("region", name="Line 1")).to_be_visible()
        wrong[name] = violations(desk)
        if name == "graphics":
            page.get_by_role("region", name="Line 1").get_by_role("button", name="Remove").click()
    assert {screen: found for screen, found in wrong.items() if found} == {}


def test_the_shelf_stands_still_where_it_is_asked_to_and_is_led_by_key(desk: Desk) -> None:
    page = desk.page  # which asks for reduced motion
    desk.goto()
    card = page.get_by_role("listitem").filter(has_text="Tern in flight")
    picture = card.locator("img")
    expect(picture).to_have_attribute("src", re.compile("/frames/"))
    page.get_by_role("link", name="Tern in flight").focus()
    expect(picture).to_have_attribute("src", re.compile("/file"))
    page.get_by_role("button", name="Play all pictures").click()
    expect(page.get_by_role("listitem").filter(has_text="Dusk lamp").locator("img")).to_have_attribute(
        "src", re.compile("/file")
    )
    page.get_by_role("button", name="Dark ink").click()
    expect(page.locator("html")).to_contain_class("dark")
    page.get_by_role("button", name="Light paper").click()
    page.get_by_role("button", name="Stop all pictures").focus()
    page.keyboard.press("/")
    page.keyboard.type("bell, in flight")
    projects = page.get_by_role("region", name="Projects").get_by_role("heading", level=3)
    expect(projects).to_have_count(2)
    page.keyboard.press("Escape")
    page.keyboard.type("flight")
    page.keyboard.press("Enter")
    expect(page).to_have_title("Tern in flight – Jay Flick")


def test_spans_frames_and_backdrops_are_chosen_by_key(desk: Desk) -> None:
    page = desk.page
    desk.open("Terns from above")
    spans = page.get_by_role("button", name=re.compile("^Span "))
    assert spans.evaluate_all("(all) => all.filter((one) => one.tabIndex === 0).length") == 1
    spans.first.focus()
    page.keyboard.press("ArrowRight")
    expect(spans.nth(1)).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_role("status", name="Selection")).to_contain_text("8 selected")
    expect(spans.nth(1)).to_be_focused()

    page.get_by_role("button", name="Next frame").focus()
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    told = "(list) => document.getElementById(list.getAttribute('aria-activedescendant')).ariaLabel"
    strip = page.get_by_role("region", name="Rhythm strip").get_by_role("listbox", name="Frames")
    assert strip.evaluate(told).startswith("Frame 2 of 144, ")

    backdrops = page.get_by_role("radiogroup", name="Backdrop").get_by_role("radio")
    backdrops.first.focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("radio", name="white")).to_be_checked()
    expect(page.get_by_role("radio", name="white")).to_be_focused()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("radio", name="chequer")).to_be_checked()

    page.keyboard.press("c")
    contact = page.get_by_role("region", name="Contact view")
    page.keyboard.press("Home")
    for _ in range(3):
        page.keyboard.press("Control+ArrowRight")
    page.keyboard.press("Control+Space")
    expect(contact.get_by_role("status", name="Chosen")).to_have_text("2 chosen")
    chosen = contact.get_by_role("option", selected=True)
    assert [one.get_attribute("id") for one in chosen.all()] == ["contact-1", "contact-4"]
    expect(contact.get_by_role("option").nth(3)).to_contain_text("E dive 4")
    page.keyboard.press("Escape")
    page.keyboard.press("c")


def test_forced_colours_keep_what_is_chosen_and_the_playhead_apart(desk: Desk) -> None:
    page = desk.page
    page.emulate_media(forced_colors="active", reduced_motion="reduce")
    desk.open("Pier bell")
    style = "(one, what) => getComputedStyle(one)[what]"
    chosen = page.get_by_role("tab", selected=True)
    assert chosen.evaluate(style, "outlineStyle") == "solid"
    assert page.get_by_role("tab", selected=False).first.evaluate(style, "outlineStyle") == "none"
    needle = page.get_by_role("slider", name="Playhead").locator("span").first
    assert needle.evaluate(style, "backgroundColor") not in ("rgba(0, 0, 0, 0)", "rgb(255, 255, 255)")
    starts = page.get_by_role("slider", name="Range starts")
    assert starts.evaluate(style, "backgroundColor") != starts.evaluate(
        "(one) => getComputedStyle(document.body).color"
    )
    page.emulate_media(forced_colors="none", reduced_motion="reduce")
