"""The bench by hand: playing, comparing, selecting, undoing, by mouse and by keyboard."""

import re
import time

import numpy as np
from playwright.sync_api import Locator, Route, expect

from tests.e2e.conftest import STAGE, Desk, pull_and_call_off
from tests.e2e.test_pictures import undo_all
from tests.server import until


def frame_shown(desk: Desk) -> int:
    return int(desk.page.get_by_role("slider", name="Playhead").get_attribute("aria-valuenow") or 0)


def cell(desk: Desk, name: str) -> Locator:
    return desk.page.get_by_role("tab", name=name)


def test_it_plays_at_true_speed_and_steps_by_key(desk: Desk) -> None:
    desk.open("Tern in flight", playing=True)  # 24 frames in exactly a second
    page = desk.page
    counted = page.evaluate(
        """() => new Promise((resolve) => {
            const head = document.querySelector('[aria-label="Playhead"]');
            let rounds = 0, last = 0, first = 0;
            const look = (now) => {
                const at = Number(head.getAttribute("aria-valuenow"));
                if (at < last) { rounds += 1; if (rounds === 1) first = now; }
                last = at;
                if (rounds === 4) resolve((now - first) / 3);
                else requestAnimationFrame(look);
            };
            requestAnimationFrame(look);
        })"""
    )
    assert abs(counted - 1000) < 60
    for view in ("Source", "Result"):  # a button that was clicked does not keep the keys to itself
        page.get_by_role("radio", name=view, exact=True).click()
    page.keyboard.press("Space")
    still = frame_shown(desk)
    page.wait_for_timeout(300)
    assert frame_shown(desk) == still
    steps = [("Home", 1), ("ArrowRight", 2), ("Shift+ArrowRight", 12), ("ArrowLeft", 11), ("End", 24)]
    for key, wanted in [*steps, ("ArrowRight", 1)]:
        page.keyboard.press(key)
        expect(page.get_by_role("slider", name="Playhead")).to_have_attribute("aria-valuenow", str(wanted))


def test_source_result_wipe_and_difference(desk: Desk) -> None:
    desk.open("Dusk lamp")
    page = desk.page
    page.keyboard.press("Home")

    def picture(view: str) -> np.ndarray:
        page.get_by_role("radio", name=view).click()
        until(lambda: bool(desk.pixels().any()))
        page.wait_for_timeout(400)
        return desk.pixels().astype(np.int64)

    result, source = picture("Result"), picture("Source")
    assert 0 < np.abs(result - source).mean() < 8
    wipe = picture("Wipe")
    np.testing.assert_array_equal(wipe[:, :290], source[:, :290])
    np.testing.assert_array_equal(wipe[:, 290:], result[:, 290:])
    handle = page.get_by_role("slider", name="Wipe between source and result")
    handle.focus()
    for _ in range(5):
        page.keyboard.press("ArrowLeft")
    expect(handle).to_have_attribute("aria-valuenow", "40")
    page.wait_for_timeout(200)
    moved = desk.pixels().astype(np.int64)
    np.testing.assert_array_equal(moved[:, 232:], result[:, 232:])
    difference = picture("Difference")
    expected = np.minimum(8 * np.abs(result[:, :, :3] - source[:, :, :3]), 255)
    assert np.abs(difference[:, :, :3] - expected).mean() < 1


def test_many_frames_get_one_delay_and_undo_takes_it_back(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    page.get_by_role("option", name=re.compile("^Frame 3 of")).click()
    page.get_by_role("option", name=re.compile("^Frame 7 of")).click(modifiers=["Shift"])
    expect(page.get_by_role("status", name="Selection")).to_contain_text("5 selected")
    delay = page.get_by_role("textbox", name="Delay of the selected frames")
    delay.fill("0.5s")
    began = time.monotonic()
    delay.press("Enter")
    expect(page.get_by_role("option", name=re.compile("^Frame 5 of 24, 500 ms, custom delay"))).to_be_visible()
    assert time.monotonic() - began < 2
    expect(cell(desk, "Rhythm")).to_contain_text("3.29 s at 24 fps, 5 custom delays")
    widths = [page.get_by_role("option", name=re.compile(f"^Frame {n} of")).bounding_box() for n in (2, 5)]
    assert widths[0]
    assert widths[1]
    assert widths[1]["width"] > 9 * widths[0]["width"]  # as wide as it is long
    page.keyboard.press("Control+z")
    expect(cell(desk, "Rhythm")).to_contain_text("1.00 s at 24 fps")
    page.get_by_role("button", name="Redo").click()
    expect(cell(desk, "Rhythm")).to_contain_text("5 custom delays")
    page.get_by_role("button", name="Undo").click()
    expect(cell(desk, "Rhythm")).not_to_contain_text("custom delay")
    desk.settled()


def test_pulling_a_frames_edge_makes_it_longer_and_leaving_out_removes_it(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    edge = page.locator('[data-edge="3"]')
    box = edge.bounding_box()
    assert box
    page.mouse.click(box["x"] + 1, box["y"] + 20)  # not pulled, it is the frame that is chosen
    expect(page.get_by_role("option", name=re.compile("^Frame 4 of"))).to_have_attribute(
        "aria-selected", "true"
    )
    page.mouse.move(box["x"] + 3, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + 150, box["y"] + 20, steps=12)
    page.mouse.up()
    expect(cell(desk, "Rhythm")).to_contain_text("1 custom delay")
    desk.settled()
    page.get_by_role("option", name=re.compile("^Frame 4 of 24, .* custom delay")).click()
    page.keyboard.press("Delete")
    expect(cell(desk, "Gather")).to_contain_text("1 left out")
    desk.settled()
    cells = page.get_by_role("listbox", name="Frames").get_by_role("option")
    expect(cells).to_have_count(23)
    for _ in range(2):
        page.keyboard.press("Control+z")
    expect(cells).to_have_count(24)
    desk.settled()
    page.keyboard.press("Control+z")  # there is nothing more, and nothing is said
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")  # an output that cannot be made says why, and the last one stays in sight
    expect(page.get_by_role("alert")).to_contain_text("all frames of the range are left out")
    expect(cell(desk, "Hand-off")).to_contain_text("failed")
    expect(cells).to_have_count(24)
    page.keyboard.press("Control+z")
    desk.settled()


def test_bytes_move_while_a_slider_moves_and_the_drag_is_one_step_back(desk: Desk) -> None:
    desk.open("Dusk lamp")
    page = desk.page
    before = desk.kilobytes()
    thumb = page.get_by_role("slider", name="Colours")
    box = thumb.bounding_box()
    assert box
    seen: set[str] = set()
    page.mouse.move(box["x"] + 8, box["y"] + 8)
    page.mouse.down()
    for step in range(300):  # as long as it takes on a slow machine, but the button is down throughout
        page.mouse.move(box["x"] + 8 - (step % 40) * 1.3, box["y"] + 8)
        page.wait_for_timeout(60)
        seen.add(page.get_by_role("status", name="Bytes").inner_text())
        if len(seen) >= 2 and step > 30:
            break
    page.mouse.move(box["x"] - 50, box["y"] + 8)
    page.mouse.up()
    assert len(seen) >= 2, "the bytes stood still while the control moved"
    desk.settled()
    assert desk.kilobytes() < before
    page.keyboard.press("Control+z")
    desk.settled()
    assert desk.kilobytes() == before


def test_loss_is_set_by_key_or_typed_and_taken_back(desk: Desk) -> None:
    desk.open("Dusk lamp")
    page = desk.page
    before = desk.kilobytes()
    page.get_by_role("slider", name="Loss").focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    desk.settled()
    expect(cell(desk, "Tuning")).to_contain_text("loss 30")
    by_key = desk.kilobytes()
    assert by_key < before
    page.evaluate(
        """() => {
            const stage = document.querySelector("section[aria-label=Stage]");
            window.said = [];
            new MutationObserver(() => {
                const said = stage.textContent.match(/result · (\\d+) frames? encoded so far/);
                if (said) window.said.push(Number(said[1]));
            }).observe(stage, { childList: true, subtree: true, characterData: true });
        }"""
    )
    page.get_by_role("button", name="First frame").click()
    page.get_by_label("Loss, number").fill("60")
    page.keyboard.press("Enter")
    desk.settled()
    assert desk.kilobytes() < by_key
    coded = page.evaluate("window.said")
    assert coded
    assert coded == sorted(coded)  # frame after frame was on the stage before all were there
    expect(page.get_by_role("region", name="Stage")).not_to_contain_text("so far")
    page.get_by_role("slider", name="Loss").focus()  # in a field the key would take back typing
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    desk.settled()
    assert desk.kilobytes() == before


def test_palettes_by_frame_and_the_dither_that_suits_are_chosen_and_taken_back(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    before, shared = desk.kilobytes(), page.get_by_role("img", name=re.compile(r"\d+ colours in use"))
    expect(shared).to_be_visible()
    page.get_by_label("Palette", exact=True).focus()
    page.get_by_label("Palette", exact=True).select_option("one per frame")
    desk.settled()
    expect(page.get_by_role("img", name=re.compile(r"\d+ colours in 24 palettes"))).to_be_visible()
    assert desk.kilobytes() != before
    dither = page.get_by_label("Dither", exact=True)
    dither.select_option(value="auto")
    desk.settled()
    expect(dither.get_by_role("option", name="automatic: error diffusion")).to_have_count(1)
    chosen = desk.kilobytes()
    dither.select_option("none")
    expect(dither.get_by_role("option", name="automatic", exact=True)).to_have_count(
        1
    )  # none is not its choice
    expect(page.get_by_role("slider", name="Amount")).to_have_count(0)
    dither.select_option("error diffusion")
    desk.settled()
    assert desk.kilobytes() == chosen
    page.get_by_label("Spare flat areas and edges").check()
    desk.settled()
    page.get_by_role("slider", name="Loss").focus()
    for _ in range(5):
        page.keyboard.press("Control+z")
    desk.settled()
    expect(shared).to_be_visible()
    assert desk.kilobytes() == before


def test_a_dither_and_its_matrix_are_chosen_and_taken_back(desk: Desk) -> None:
    desk.open("Dusk lamp")
    page = desk.page
    before = desk.kilobytes()
    expect(cell(desk, "Tuning")).to_contain_text("diffusion 60 %")
    expect(page.get_by_label("Matrix")).to_have_count(0)
    page.get_by_label("Dither", exact=True).select_option("ordered")
    desk.settled()
    expect(cell(desk, "Tuning")).to_contain_text("ordered 60 %")
    by_eight = desk.kilobytes()
    page.get_by_label("Matrix").select_option("2 × 2")
    desk.settled()
    assert len({before, by_eight, desk.kilobytes()}) == 3
    page.get_by_label("Dither", exact=True).select_option("blue noise")
    desk.settled()
    locked = page.get_by_label("Locked colours")
    locked.fill("#000, f80 #000")
    locked.press("Enter")
    expect(locked).to_have_attribute("aria-invalid", "true")  # one is there twice: it stays, with why
    locked.fill("#000 f80")
    locked.press("Enter")
    expect(locked).to_have_value("#000000, #ff8800")
    desk.settled()
    page.get_by_role("slider", name="Loss").focus()
    for _ in range(4):
        page.keyboard.press("Control+z")
    desk.settled()
    expect(cell(desk, "Tuning")).to_contain_text("diffusion 60 %")
    assert desk.kilobytes() == before


def test_help_docket_and_views_by_key(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    for key, name in (("g", "Gather"), ("r", "Rhythm"), ("f", "Framing"), ("t", "Tuning"), ("h", "Hand-off")):
        page.keyboard.press(key)
        expect(page.get_by_role("region", name=f"{name} controls")).to_be_visible()
        expect(cell(desk, name)).to_have_attribute("aria-selected", "true")
    for key, name in (("2", "Source"), ("3", "Wipe"), ("4", "Difference"), ("1", "Result")):
        page.keyboard.press(key)
        expect(page.get_by_role("radio", name=name)).to_be_checked()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Keys")).to_be_hidden()
    page.keyboard.press("b")
    expect(page.get_by_role("radio", name="page")).to_be_checked()


def test_what_has_the_focus_keeps_the_keys_it_takes(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    still, view = frame_shown(desk), page.get_by_role("radio", name="Result", exact=True)
    page.get_by_label("Preview speed").focus()
    for key in ("h", "p", "5", "Space", "Escape"):
        page.keyboard.press(key)
    expect(cell(desk, "Tuning")).to_have_attribute("aria-selected", "true")
    expect(view).to_be_checked()
    assert frame_shown(desk) == still
    page.get_by_role("slider", name="Playhead").focus()
    page.keyboard.press("?")
    page.keyboard.press("ArrowRight")  # keys can be tried while their list is open
    expect(page.get_by_label("Playhead")).to_have_attribute("aria-valuenow", "2")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Keys")).to_be_hidden()
    page.get_by_role("button", name="Add an output").click()
    expect(page.get_by_role("dialog", name="Add an output")).to_be_visible()
    page.keyboard.press("Delete")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Add an output")).to_be_hidden()
    expect(cell(desk, "Gather")).to_contain_text("24 frames")
    expect(page.get_by_text("frame 2 of 24")).to_be_visible()
    page.get_by_label("Dither", exact=True).select_option("ordered")
    desk.settled()
    spares = page.get_by_role("checkbox", name="Spare flat areas and edges")
    spares.focus()
    page.keyboard.press("Space")
    expect(spares).to_be_checked()
    page.keyboard.press("Control+z")
    expect(spares).not_to_be_checked()
    page.keyboard.press("Control+z")
    expect(spares).to_have_count(0)
    desk.settled()


def test_soft_edges_follow_the_page_colour(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    page.keyboard.press("f")
    page.get_by_role("radio", name="Alpha", exact=True).click()
    page.get_by_role("radio", name="fill").click()
    field = page.get_by_role("textbox", name="Page colour", exact=True)
    field.fill("ff0000")
    field.press("Enter")
    desk.settled()
    expect(cell(desk, "Framing")).to_contain_text("filled with #ff0000")
    page.wait_for_timeout(300)
    assert desk.pixels()[0, 0].tolist() == [255, 0, 0, 255]
    page.get_by_role("radio", name="cut", exact=True).click()
    desk.settled()
    page.wait_for_timeout(300)
    assert desk.pixels()[0, 0].tolist() == [0, 0, 0, 0]
    for _ in range(3):
        page.keyboard.press("Control+z")
    expect(cell(desk, "Framing")).to_contain_text("matte #a9c4d4")
    desk.settled()


def test_a_lost_connection_is_said_and_the_change_kept(desk: Desk) -> None:
    desk.forgiven += ["ERR_INTERNET_DISCONNECTED", "Failed to load resource", "ERR_NETWORK"]
    desk.open("Tern in flight")
    page = desk.page
    desk.context.set_offline(True)
    page.get_by_role("tab", name="Tuning").click()
    page.get_by_role("textbox", name="Colours, number").fill("20")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status", name="Saving")).to_contain_text("Not saved yet")
    expect(cell(desk, "Tuning")).to_contain_text("20 colours")  # what was wished stays on screen
    desk.context.set_offline(False)
    expect(page.get_by_role("status", name="Saving")).to_have_text("All changes saved")
    desk.settled()
    page.reload()
    expect(cell(desk, "Tuning")).to_contain_text("20 colours")
    page.keyboard.press("Control+z")
    desk.settled()


def test_the_shelf_finds_removes_and_puts_back(desk: Desk) -> None:
    page = desk.page
    desk.goto()
    expect(page.get_by_role("link", name="Tern in flight")).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("lamp")
    expect(page.get_by_role("link", name="Dusk lamp")).to_be_visible()
    expect(page.get_by_role("link", name="Tern in flight")).to_be_hidden()
    page.keyboard.press("Escape")
    card = page.get_by_role("listitem").filter(has_text="Tern in flight")
    card.hover()
    card.get_by_role("button", name="Delete Tern in flight").click()
    expect(page.get_by_role("link", name="Tern in flight")).to_be_hidden()
    page.get_by_role("button", name="Restore", exact=True).click()
    expect(page.get_by_role("link", name="Tern in flight")).to_be_visible()
    card.hover()
    card.get_by_role("button", name="Delete Tern in flight").click()
    page.reload()  # also later, from the bin
    page.get_by_text(re.compile(r"^Bin \d+")).click()
    page.get_by_role("list", name="Bin").get_by_role("button", name="Restore Tern in flight").click()
    expect(page.get_by_role("link", name="Tern in flight")).to_be_visible()
    desk.forgiven.append("404")
    desk.goto(f"/project/{'0' * 32}")
    expect(page.get_by_role("heading", name="This project is not here")).to_be_visible()
    assert page.locator(STAGE).count() == 0


def test_the_shelf_is_open_while_the_demo_is_drawn(desk: Desk) -> None:
    """How many projects are left is told until there are none; what is looked for is not in its way."""
    waiting = 2
    page = desk.page

    def told(route: Route) -> None:
        route.fulfill(json={"ready": True, "version": "1", "demo_waiting": waiting})

    page.route("**/api/health", told)
    desk.goto()
    expect(page.get_by_role("status").filter(has_text="Drawing the demo: 2 projects left")).to_be_visible()
    expect(page.get_by_role("link", name="Dusk lamp")).to_be_visible()
    page.get_by_role("searchbox").fill("no such name")
    expect(page.get_by_role("heading", name="No project is called “no such name”")).to_be_visible()
    expect(page.get_by_text("Drawing the demo")).to_be_hidden()
    page.get_by_role("searchbox").fill("")
    waiting = 1
    expect(page.get_by_text("Drawing the demo: 1 project left")).to_be_visible()
    waiting = 0
    expect(page.get_by_text("Drawing the demo")).to_be_hidden()


def test_a_change_made_while_an_undo_is_on_its_way_comes_after_it(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    page.keyboard.press("r")
    panel = page.get_by_role("region", name="Rhythm controls")
    panel.get_by_role("button", name="15 fps").click()
    panel.get_by_role("radio", name="once").click()
    desk.settled()
    held: list[Route] = []
    page.route("**/undo?*", lambda route: held.append(route))
    with page.expect_request("**/undo?*"), page.expect_request("**/undo?*"):
        page.keyboard.press("Control+z")
        page.wait_for_timeout(100)
        panel.get_by_role("button", name="30 fps").click()
        page.keyboard.press("Control+z")
        panel.get_by_role("button", name="12 fps").click()
        expect(page.get_by_role("status", name="Saving")).to_have_text("Saving…")
        while held:
            held.pop(0).continue_()
            page.wait_for_timeout(300)
    page.unroute("**/undo?*")
    desk.settled()
    project = desk.get(f"/api/projects/{page.url.rsplit('/', 1)[1]}").json()
    rhythm = project["recipe"]["rhythm"]
    assert (rhythm["rate"], rhythm["repeat"]) == ("12", 0)  # once and 30 fps were undone, each by its own undo
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    desk.settled()


def test_what_a_field_cannot_take_stays_in_it_with_why(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    page.keyboard.press("r")
    panel = page.get_by_role("region", name="Rhythm controls")
    panel.get_by_role("radio", name="Delays").click()
    before = page.url
    for text in ("abc", "-3", "0"):
        field = panel.get_by_role("textbox", name="Delay to set")
        field.fill(text)
        field.press("Enter")
        expect(field).to_have_value(text)
        expect(field).to_have_attribute("aria-invalid", "true")
        expect(page.get_by_role("tooltip").filter(has_text=f"“{text}” is not taken")).to_contain_text(
            "40ms, 4cs"
        )
    panel.get_by_role("heading", name="Rhythm").click()
    expect(field).to_have_value("0")  # leaving it loses nothing
    field.press("Escape")
    expect(field).to_have_value("")
    page.keyboard.press("h")
    name = page.get_by_role("textbox", name="File name")
    name.fill("a/b")
    name.press("Enter")
    expect(name).to_have_value("a/b")
    expect(name).to_have_attribute("aria-invalid", "true")
    name.press("Escape")
    expect(name).to_have_value("tern.gif")
    assert page.url == before
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()  # nothing was changed
    page.keyboard.press("t")
    colours = page.get_by_role("textbox", name="Colours, number")
    was = colours.input_value()
    box = page.get_by_role("slider", name="Colours").bounding_box()
    assert box
    pull_and_call_off(page, (box["x"] + 8, box["y"] + 8), (-60, 0))
    expect(colours).to_have_value(was)
    desk.settled()
    undo_all(desk)


def test_a_bench_is_found_as_it_was_left(desk: Desk) -> None:
    desk.open("Pier bell")  # faster than a GIF can be: it opens where that is said
    page = desk.page
    expect(cell(desk, "Rhythm")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("f")
    page.get_by_role("option", name=re.compile("^Frame 7 of")).click()
    page.keyboard.press("+")
    page.reload()
    expect(cell(desk, "Framing")).to_have_attribute("aria-selected", "true")
    expect(page.get_by_role("slider", name="Playhead")).to_have_attribute("aria-valuenow", "7")
    expect(page.get_by_role("status", name="Selection")).to_contain_text("1 selected")
    page.keyboard.press("0")
    expect(page.get_by_role("note", name="File on show")).to_have_text("file 7")
    page.keyboard.press("Escape")


def test_changes_that_a_closed_page_could_not_save_are_offered_again(desk: Desk) -> None:
    desk.forgiven += ["ERR_FAILED", "Failed to load resource"]
    desk.open("Tern in flight")
    page = desk.page
    page.route("**/recipe", lambda route: route.abort())
    page.keyboard.press("t")
    page.get_by_role("textbox", name="Colours, number").fill("24")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status", name="Saving")).to_contain_text("Not saved yet")
    address = page.url
    page.close()  # as if it had crashed: nobody is asked
    page = desk.page = desk.context.new_page()
    desk.open("Dusk lamp")  # what is done to another project meanwhile takes nothing away
    page.get_by_role("textbox", name="Project name").focus()
    page.keyboard.press("Escape")
    page.keyboard.press("r")
    page.get_by_role("button", name="25 fps").click()
    desk.settled()
    page.get_by_role("button", name="Undo").click()
    desk.settled()
    page.goto(address)
    page.get_by_role("button", name="Apply it").click()
    expect(cell(desk, "Tuning")).to_contain_text("24 colours")
    desk.settled()
    page.keyboard.press("Control+z")
    expect(cell(desk, "Tuning")).to_contain_text("64 colours")
    desk.settled()
