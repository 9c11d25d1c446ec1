"""Time shaped by hand: pace, order, delays, spans and the seam, on the demo's real projects."""

import itertools
import re
from io import BytesIO

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, expect

from tests.e2e.conftest import Desk, pull_and_call_off
from tests.server import until


def cell(desk: Desk) -> Locator:
    return desk.page.get_by_role("tab", name="Rhythm")


def rhythm(desk: Desk, name: str, part: str) -> Locator:
    """Open a project standing still, and a part of its rhythm; returns the panel."""
    desk.open(name)
    cell(desk).click()
    panel = desk.page.get_by_role("region", name="Rhythm controls")
    panel.get_by_role("radio", name=part, exact=True).click()
    return panel


def played(desk: Desk) -> dict[str, list[int]]:
    """What the newest result plays: positions, places and real delays in ms."""
    desk.settled()
    project = desk.page.url.rsplit("/", 1)[1]
    result = desk.get(f"/api/projects/{project}").json()["results"][0]
    return {name: result[name] for name in ("positions", "places", "delays")}


def undo_all(desk: Desk) -> None:
    button = desk.page.get_by_role("button", name="Undo")
    while button.is_enabled():
        button.click()
        desk.settled()


def test_sixty_frames_a_second_become_fifty_in_one_action_and_what_goes_is_seen_before(desk: Desk) -> None:
    panel = rhythm(desk, "Pier bell", "Pace")
    expect(cell(desk)).to_contain_text("1.20 s at 60 fps")
    expect(cell(desk)).to_contain_text("1.00 s requested")
    dropped = list(range(6, 61, 6))  # keeps five of six: common practice, no published source
    expect(panel).to_contain_text("Dropped, marked on the strip: 6, 12, 18, 24, 30, 36, 42 …")
    lane = desk.page.get_by_role("group", name="All frames")
    for number in dropped:
        expect(lane.get_by_title(f"Frame {number} is dropped")).to_be_visible()
    panel.get_by_role("button", name="Keep the 1.00 s, drop 10 of 60").click()
    now = played(desk)
    assert now["positions"] == [number for number in range(1, 61) if number not in dropped]
    assert now["delays"] == [20] * 50
    expect(cell(desk)).to_contain_text("1.00 s at 50 fps")
    with desk.page.expect_download() as saving:
        desk.page.get_by_role("tab", name="Hand-off").click()
        desk.page.get_by_role("link", name="Download").click()
    with Image.open(BytesIO(saving.value.path().read_bytes())) as picture:  # Pillow as an independent decoder
        assert getattr(picture, "n_frames", 0) == 50
        assert picture.info["duration"] == 20
    undo_all(desk)


def test_a_wish_that_no_file_holds_exactly_is_shown_beside_what_it_holds(desk: Desk) -> None:
    panel = rhythm(desk, "Tern in flight", "Pace")
    panel.get_by_role("textbox", name="Frames a second").fill("24000/1001")
    panel.get_by_role("textbox", name="Frames a second").press("Enter")
    assert sum(played(desk)["delays"]) == 1000
    expect(panel).to_contain_text("1.001 s")
    expect(panel).to_contain_text("APNG 1.001 s exact")
    length = panel.get_by_role("textbox", name="Duration", exact=True)
    length.fill("2.5")
    length.press("Enter")
    assert sum(played(desk)["delays"]) == 2500
    speed = panel.get_by_role("textbox", name="Speed in percent")
    speed.fill("50")
    speed.press("Enter")
    assert sum(played(desk)["delays"]) == 2000
    undo_all(desk)
    here = panel.get_by_role("textbox", name="Output duration")  # of this output alone
    here.fill("3 s")
    here.press("Enter")
    assert sum(played(desk)["delays"]) == 3000
    expect(panel.get_by_role("textbox", name="Duration", exact=True)).to_have_value("")
    undo_all(desk)
    own = panel.get_by_role("textbox", name="Output rate")
    own.fill("10")  # told while it is typed, before anything is changed
    would = panel.get_by_role("status", name="What this rate would do")
    expect(would).to_contain_text("Would play 10 pictures in 1.000 s; dropped: 2, 4, 6–7, 9, 11–12, 14, 16 …")
    lane = desk.page.get_by_role("group", name="All frames")
    expect(lane.get_by_title("Frames 6 to 7 are dropped")).to_be_visible()
    own.press("Escape")
    expect(would).to_be_hidden()
    assert len(played(desk)["places"]) == 24
    own.fill("60")
    own.press("Enter")
    expect(panel).to_contain_text("no frame dropped; shown more than once: 1–24")
    undo_all(desk)
    length.fill("2.5")
    length.press("Enter")
    panel.get_by_role("radio", name="Delays").click()
    panel.get_by_role("textbox", name="Delay to set").fill("20")
    panel.get_by_role("textbox", name="Delay to set").press("Enter")
    scaled = panel.get_by_role("status", name="Custom delays")
    expect(scaled).to_contain_text(
        "custom delays add up to 4.8 s, and the duration is 2.5 s: all frames are scaled"
    )
    undo_all(desk)
    expect(scaled).to_be_hidden()


def test_many_delays_are_added_scaled_ramped_and_pasted(desk: Desk) -> None:
    panel = rhythm(desk, "Tern in flight", "Delays")
    page = desk.page
    page.get_by_role("listbox", name="Frames").focus()
    page.keyboard.press("Home")
    page.keyboard.press("s")
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+S")  # by keyboard: frames 1 to 5
    expect(panel).to_contain_text("For 5 frames")
    panel.get_by_role("textbox", name="Ramp from").fill("4cs")
    panel.get_by_role("textbox", name="Ramp to").fill("20cs")
    panel.get_by_role("button", name="Ramp", exact=True).click()
    assert played(desk)["delays"][:5] == [40, 80, 120, 160, 200]
    panel.get_by_role("button", name="Add 1 hundredths").click()
    assert played(desk)["delays"][:5] == [50, 90, 130, 170, 210]
    panel.get_by_role("textbox", name="Scale in percent").fill("200")
    panel.get_by_role("textbox", name="Scale in percent").press("Enter")
    panel.get_by_role("button", name="Scale", exact=True).click()
    assert played(desk)["delays"][:5] == [100, 180, 260, 340, 420]
    panel.get_by_role("button", name="Copy", exact=True).click()
    page.get_by_role("option", name=re.compile("^Frame 11 of")).click()
    page.get_by_role("option", name=re.compile("^Frame 12 of")).click(modifiers=["Control"])
    panel.get_by_role("button", name="Paste 5 delays").click()
    assert played(desk)["delays"][10:12] == [100, 180]
    page.keyboard.press("Control+c")  # by key: these two, laid over the first and the last
    page.get_by_role("option", name=re.compile("^Frame 1 of")).click()
    page.get_by_role("option", name=re.compile("^Frame 24 of")).click(modifiers=["Control"])
    page.keyboard.press("Control+v")
    now = played(desk)["delays"]
    assert abs(now[0] - 100) <= 10  # the remainder of other frames falls on one or the other
    assert abs(now[23] - 180) <= 10
    undo_all(desk)
    assert sum(played(desk)["delays"]) == 1000


def test_a_short_cycle_is_repeated_until_it_lasts_long_enough(desk: Desk) -> None:
    panel = rhythm(desk, "Tern in flight", "Pace")
    until = panel.get_by_role("textbox", name="Repeat the cycle until it lasts")
    until.fill("3.5 s")
    until.press("Enter")
    now = played(desk)
    assert (len(now["delays"]), sum(now["delays"])) == (4 * 24, 4000)
    expect(panel.get_by_role("textbox", name="Cycles in the file")).to_have_value("4")
    until.fill("0.5")
    until.press("Enter")
    assert sum(played(desk)["delays"]) == 1000
    undo_all(desk)


def test_with_alt_an_edge_moves_between_two_frames_and_the_total_stays(desk: Desk) -> None:
    rhythm(desk, "Tern in flight", "Delays")
    page = desk.page
    box = page.locator('[data-edge="3"]').bounding_box()
    assert box
    x, y = box["x"] + 3, box["y"] + 20
    pull_and_call_off(page, (x, y), (40, 0))
    expect(cell(desk)).not_to_contain_text("custom delay")
    page.keyboard.down("Alt")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 26, y, steps=8)  # a frame of 40 ms is about 50 pixels wide
    page.mouse.up()
    page.keyboard.up("Alt")
    expect(cell(desk)).to_contain_text("2 custom delays")
    delays = played(desk)["delays"]
    assert sum(delays) == 1000
    assert delays[3] > delays[4] >= 20
    undo_all(desk)


def test_the_order_is_made_by_hand_and_holds_go_along(desk: Desk) -> None:
    panel = rhythm(desk, "Tern in flight", "Order")
    page = desk.page
    page.get_by_role("option", name=re.compile("^Frame 2 of")).click()
    delay = page.get_by_role("textbox", name="Delay of the selected frames")
    delay.fill("6f@20")
    delay.press("Enter")
    desk.settled()
    page.get_by_role("option", name=re.compile("^Frame 2 of")).click()
    page.keyboard.press("Alt+ArrowRight")
    now = played(desk)
    assert (now["positions"][:4], now["delays"][2]) == ([1, 3, 2, 4], 300)
    panel.get_by_role("button", name="Insert blank after").click()
    assert played(desk)["positions"][:5] == [1, 3, 2, 0, 4]
    expect(page.get_by_role("option", name=re.compile("^Frame 4 of \\d+, .*blank"))).to_be_visible()
    order = panel.get_by_role("textbox", name="Order by numbers")
    order.fill("1-2-3-2")
    order.press("Enter")
    now = played(desk)
    assert (now["positions"], now["delays"][1]) == ([1, 2, 3, 2], 300)
    order.fill("1-1-1-2")  # equal neighbours are one frame of the file, and still as many on the strip
    order.press("Enter")
    assert len(played(desk)["positions"]) == 4
    expect(page.get_by_role("region", name="Rhythm strip")).to_contain_text(re.compile("frame [1-4] of 4"))
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo").click()
    assert played(desk)["positions"] == [1, 2, 3, 2]
    panel.get_by_role("button", name="Reverse all").click()
    assert played(desk)["positions"] == [2, 3, 2, 1]
    panel.get_by_role("button", name="Original order").click()
    assert played(desk)["positions"] == list(range(1, 25))
    panel.get_by_role("radio", name="there and back").click()
    assert len(played(desk)["positions"]) == 2 * 24 - 2
    undo_all(desk)


def test_the_range_is_set_on_the_strip_with_the_picture_in_sight(desk: Desk) -> None:
    rhythm(desk, "Tern in flight", "Order")
    page = desk.page
    starts = page.get_by_role("slider", name="Range starts")
    box, end = starts.bounding_box(), page.get_by_role("slider", name="Range ends").bounding_box()
    assert box
    assert end
    pull_and_call_off(page, (box["x"] + 4, box["y"] + 9), (200, 0))
    assert played(desk)["places"] == list(range(1, 25))
    page.mouse.move(box["x"] + 4, box["y"] + 9)
    page.mouse.down()
    page.mouse.move(box["x"] + 4 + 5 * (end["x"] - box["x"]) / 24, box["y"] + 9, steps=10)
    expect(page.get_by_text("from 6", exact=True)).to_be_visible()
    expect(page.get_by_role("img", name="The picture, playing")).to_be_visible()
    page.mouse.up()
    assert played(desk)["places"] == list(range(6, 25))
    page.get_by_role("slider", name="Range ends").focus()
    page.keyboard.press("ArrowLeft")
    assert played(desk)["places"] == list(range(6, 24))
    page.get_by_role("button", name="Undo").focus()
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("i")
    assert played(desk)["places"] == list(range(7, 24))
    undo_all(desk)


def test_parts_of_a_drop_become_spans_and_the_output_takes_one(desk: Desk) -> None:
    panel = rhythm(desk, "Terns from above", "Spans")
    panel.get_by_role("button", name="One for each part (24)").click()
    desk.settled()
    spans = panel.get_by_role("list", name="Spans").get_by_role("listitem")
    expect(spans).to_have_count(24)
    panel.get_by_label("What the output takes").select_option("NE glide")
    now = played(desk)
    span = desk.page.get_by_role("button", name=re.compile("^Span NE glide, frames"))
    first, last = (int(n) for n in re.findall(r"\d+", span.get_attribute("aria-label") or "")[-2:])
    assert now["places"] == list(range(first, last + 1))
    line = panel.get_by_role("listitem", name="NE glide")
    line.get_by_role("textbox", name="NE glide, frames a second").fill("10")
    line.get_by_role("textbox", name="NE glide, frames a second").press("Enter")
    assert set(played(desk)["delays"]) == {100}
    line.get_by_role("radio", name="there and back").click()
    assert len(played(desk)["places"]) == 2 * len(now["places"]) - 2
    several = panel.get_by_role("textbox", name="All spans with these names")
    several.fill("W glide, NE glide")
    expect(panel.get_by_role("status")).to_contain_text(
        "Enter takes NE glide, NW glide, SW glide, W glide (16 frames)"
    )
    several.press("Enter")
    expect(panel.get_by_label("What the output takes").locator("option:checked")).to_have_text("4 spans")
    places = played(desk)["places"]
    assert places[:6] == now["places"] + now["places"][-2:0:-1]  # its own direction, the others theirs
    assert len(places) == 6 + 3 * 4
    undo_all(desk)


def test_the_seam_is_measured_and_a_dissolve_shortens_the_loop(desk: Desk) -> None:
    panel = rhythm(desk, "Dusk lamp", "Seam")
    expect(panel).to_contain_text("closes", timeout=20_000)
    best = panel.get_by_role("list", name="Ranges that close best").get_by_role("button").first
    expect(best).to_contain_text("1–48")
    panel.get_by_role("button", name="Last beside first").click()
    desk.page.wait_for_timeout(300)
    ends = desk.pixels().astype(int)
    height, width = ends.shape[:2]
    left, right = (ends[height // 4 : height * 3 // 4, x : x + width // 2 - 2] for x in (0, width // 2))
    assert 0 < np.abs(left - right).mean() < 4  # one step of the lamp apart
    slider = panel.get_by_role("slider", name="Dissolve")
    slider.focus()
    slider.press("ArrowRight")
    slider.press("ArrowRight")
    expect(panel).to_contain_text("The last 2 fade into the first 2.")
    desk.settled()
    assert len(played(desk)["places"]) == 46
    undo_all(desk)


def test_frames_are_shown_when_they_are_due(desk: Desk) -> None:
    """The player against the plan: each picture's moment, read off the page while it plays four rounds."""
    desk.open("Tern in flight", playing=True)
    drawn, seen = desk.page.evaluate(
        """() => new Promise((resolve) => {
            const canvas = document.querySelector('[aria-label="Stage"] canvas');
            const drawn = [], seen = [];
            const draw = (now) => { drawn.push(now); if (seen.length < 96) requestAnimationFrame(draw); };
            requestAnimationFrame(draw);
            new MutationObserver(() => {
                seen.push([document.timeline.currentTime, Number(canvas.dataset.index)]);
                if (seen.length === 96) resolve([drawn, seen]);
            }).observe(canvas, { attributes: true, attributeFilter: ["data-index"] });
        })"""
    )
    delays = played(desk)["delays"]
    starts = [0, *itertools.accumulate(delays)]
    late, waited = [], []
    for moment, index in seen[1:]:  # the first may have been there before
        late.append(moment - starts[index])
        waited.append(moment - max(time for time in [0, *drawn] if time < moment - 0.5))
    # However many rounds went by: a busy machine may not draw a whole one.
    late = [(one - late[0] + starts[-1] / 2) % starts[-1] for one in late]
    # A frame is shown at the display's next picture after it is due, however many of these there are.
    lag = np.array(late) - min(late)
    assert np.mean(lag < np.array(waited) + 2) > 0.9, (lag, waited)


def test_neighbours_shine_through_one_two_or_three_on_each_side(desk: Desk) -> None:
    rhythm(desk, "Tern in flight", "Pace")
    page = desk.page
    page.get_by_role("button", name="First frame").click()
    canvas = page.get_by_role("img", name="The picture, playing")
    expect(canvas).to_have_attribute("data-index", "0")
    seen = [canvas.evaluate("(canvas) => canvas.toDataURL()")]

    def changed() -> bool:
        now = canvas.evaluate("(canvas) => canvas.toDataURL()")
        if now not in seen:
            seen.append(now)
            return True
        return False

    page.keyboard.press("n")
    until(changed)
    page.keyboard.press("Shift+N")
    until(changed)
    page.get_by_role("radiogroup", name="Onion skin, frames each side").get_by_role("radio", name="3").click()
    until(changed)
    page.get_by_role("button", name="Onion skin").click()
    until(lambda: canvas.evaluate("(canvas) => canvas.toDataURL()") == seen[0])
