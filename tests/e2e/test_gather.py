"""What comes in: sorted into sequences, reported, put right from the report alone."""

import os
import re
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Route, expect

from jayflick.demo import DEMO, png
from jayflick.demo.kite import draw_kite
from tests.conftest import moving_square, save_frames
from tests.e2e.conftest import Desk, drop
from tests.server import until

FILES = {project.folder: project.files for project in DEMO}


def drawn(folder: Path, name: str) -> Path:
    """A folder of the demo's files, as they are brought."""
    folder.mkdir()
    for file, make in FILES[name]:
        (folder / file).write_bytes(make())
    return folder


def gathered(desk: Desk) -> tuple[Locator, Locator]:
    """The docket's cell and the controls of gathering."""
    page = desk.page
    page.get_by_role("tab", name="Gather").click()
    return page.get_by_role("tab", name="Gather"), page.get_by_role("region", name="Gather controls")


def durations(desk: Desk) -> list[int]:
    project = desk.get(f"/api/projects/{desk.page.url.rsplit('/', 1)[1]}").json()
    return list(project["results"][0]["delays"])


@pytest.mark.parametrize("hand", ["mouse", "keyboard"])
def test_a_messy_folder_is_put_right_from_the_report_alone(desk: Desk, tmp_path: Path, hand: str) -> None:
    page = desk.page
    desk.goto()
    drop(page, [drawn(tmp_path / "kite", "kite")])
    expect(page.get_by_role("textbox", name="Project name")).to_have_value(re.compile(r"^Kite( \d+)?$"))
    desk.settled()
    cell, controls = gathered(desk)
    expect(cell).to_contain_text("17 of 18 frames")
    expect(cell).to_contain_text("1 unreadable, 3 missing, 2 more")
    expect(controls).to_contain_text("kite_15.png: the file ends early")
    expect(controls).to_contain_text("Numbers missing: 7, 12, 15")
    expect(controls).to_contain_text("kite_4.png: is 800 × 520, the others are 400 × 260")
    expect(controls).to_contain_text("kite_21.png: the last frame repeats the first")
    assert len(durations(desk)) == 17
    remedies = ["Hold the previous frame", "Scale to 400 × 260", "Leave the last one out"]
    for remedy in remedies:
        button = controls.get_by_role("button", name=remedy)
        if hand == "mouse":
            button.click()
        else:
            for _ in range(30):
                page.keyboard.press("Tab")
                if button.evaluate("(element) => element === document.activeElement"):
                    break
            page.keyboard.press("Enter")
            page.get_by_role("tab", name="Gather").focus()
        expect(button).to_be_hidden()
    desk.settled()
    expect(cell).to_contain_text("fine")
    # Twenty frames' time as rendered: 17 pictures, three of them held over a missing one.
    times = durations(desk)
    assert len(times) == 17
    assert abs(sum(times) - 20 * 1000 / 24) <= 10
    page.keyboard.press("Control+z")
    expect(controls.get_by_role("button", name="Leave the last one out")).to_be_visible()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(controls).to_contain_text("Hold the previous frame · Leave the last one out")  # what it will do
    controls.get_by_role("button", name="Fix 2 things").click()
    controls.get_by_role("button", name="Scale to 400 × 260").click()  # what changes pixels is asked apart
    expect(cell).to_contain_text("fine")


def test_a_folder_of_many_sequences_is_sorted_before_it_becomes_projects(desk: Desk, tmp_path: Path) -> None:
    page = desk.page
    desk.goto()
    page.get_by_label("Folder of frames").set_input_files(drawn(tmp_path / "terns", "terns"))
    found = page.get_by_role("region", name="Sequences found")
    expect(found).to_contain_text("24 sequences found")
    matches = found.get_by_role("status", name="Matches")
    expect(matches).to_have_text("24 of 24 sequences, 144 frames")
    found.get_by_role("searchbox", name="Only names like").fill("*-NE-*")
    expect(matches).to_have_text("3 of 24 sequences, 18 frames")
    page.reload()  # nothing that came has to be brought again
    found.get_by_role("searchbox", name="Only names like").fill("*-NE-*")
    found.get_by_role("button", name="None", exact=True).click()
    expect(matches).to_have_text("0 of 24 sequences, 0 frames")
    found.get_by_role("checkbox", name="tern-NE-dive").click()
    found.get_by_role("checkbox", name="tern-NE-glide").click(modifiers=["Shift"])
    expect(matches).to_have_text("3 of 24 sequences, 18 frames")
    found.get_by_role("checkbox", name="tern-NE-glide").uncheck()
    expect(matches).to_have_text("2 of 24 sequences, 14 frames")
    for _ in range(5):  # the action is near, however many sequences there are
        page.keyboard.press("Shift+Tab")
        if found.get_by_role("button", name="One project of all 2").evaluate(
            "(b) => b === document.activeElement"
        ):
            break
    found.get_by_role("button", name="One project of all 2").click()
    expect(page.get_by_role("textbox", name="Project name")).to_have_value("Tern NE")
    desk.settled()
    cell, controls = gathered(desk)
    expect(cell).to_contain_text("14 frames")
    expect(controls).to_contain_text("PartsNE dive, NE fly")
    page.get_by_role("link", name="Shelf").click()  # the others can be taken later, from the same drop
    page.reload()
    last = page.get_by_role("region", name="Bring frames in")
    expect(last).to_contain_text("22 sequences of it not imported yet.")
    last.get_by_role("button", name="Sort them").click()
    expect(matches).to_have_text("22 of 22 sequences, 130 frames")
    found.get_by_role("button", name="Import none").click()
    expect(last.get_by_role("button", name="Sort them")).to_have_count(0)


def test_sequences_are_set_apart_named_and_ordered_by_hand(desk: Desk, tmp_path: Path) -> None:
    page = desk.page
    desk.goto()
    page.get_by_label("Folder of frames").set_input_files(drawn(tmp_path / "terns", "terns"))
    found = page.get_by_role("region", name="Sequences found")
    wanted = found.get_by_role("searchbox", name="Only names like")
    facing = found.get_by_role("listitem").filter(has_text="tern-NW-fly-#.png")
    expect(facing.locator("img")).to_have_count(1)
    facing.hover()  # its own frames play
    expect(facing.locator("img")).to_have_count(8)
    assert facing.locator("img").last.evaluate(
        "async (image) => { await image.decode(); return image.naturalWidth; }"
    )
    for pattern, name in (("tern-N-*", "North"), ("tern-SE-*", "")):
        wanted.fill(pattern)
        found.get_by_role("button", name="Group these 3").click()
        expect(wanted).to_have_value("")
        if name:
            field = found.get_by_role("textbox", name="Name of the project").last
            field.fill(name)
            field.press("Enter")
    expect(found.get_by_role("status", name="Matches")).to_have_text("18 of 24 sequences, 108 frames")
    north = found.get_by_role("list", name="Sequences of North")
    north.get_by_role("button", name="tern-N-glide-#.png earlier").click()
    north.get_by_role("button", name="tern-N-glide-#.png earlier").click()
    north.get_by_role("button", name="Take tern-N-fly-#.png out").click()
    found.get_by_role("button", name="Import only the 2 groups").click()
    expect(found).to_be_hidden()
    expect(page.get_by_role("link", name="Tern SE")).to_be_visible()
    page.get_by_role("link", name="North").first.click()
    cell, controls = gathered(desk)
    expect(cell).to_contain_text("10 frames")
    expect(controls).to_contain_text("PartsN glide, N dive")
    desk.settled()


def test_the_contact_view_chooses_leaves_out_and_marks_the_range(desk: Desk) -> None:
    desk.open("Kite over the pier")
    page = desk.page
    _, controls = gathered(desk)
    controls.get_by_role("button", name="Show").first.click()
    contact = page.get_by_role("region", name="Contact view")
    expect(contact.get_by_role("option", name="kite_4.png, left out, size differs")).to_have_attribute(
        "aria-selected", "true"
    )
    expect(contact).to_contain_text("missing7")
    frames = contact.get_by_role("listbox", name="Frames")
    frames.get_by_role("option", name="kite_2.png", exact=True).click()
    page.keyboard.press("Shift+ArrowRight")
    expect(contact.get_by_role("status", name="Chosen")).to_have_text("2 chosen")
    page.keyboard.press("Delete")
    expect(frames.get_by_role("option", name="kite_3.png, left out")).to_be_visible()
    expect(controls).to_contain_text("2 frames left out by hand")
    page.keyboard.press("Delete")
    expect(frames.get_by_role("option", name="kite_3.png", exact=True)).to_be_visible()
    page.keyboard.press("o")
    expect(frames.get_by_role("option", name="kite_5.png, outside the range")).to_be_visible()
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("status", name="Saving")).to_have_text("All changes saved")  # all three are undone
    expect(frames.get_by_role("option", name="kite_5.png", exact=True)).to_be_visible()

    def names() -> list[str]:
        return [one.get_attribute("aria-label") or "" for one in frames.get_by_role("option").all()][:4]

    frames.get_by_role("option", name="kite_2.png", exact=True).click()
    page.keyboard.press("Alt+ArrowLeft")
    assert names()[:3] == ["kite_2.png", "kite_1.png", "kite_3.png"]
    frames.get_by_role("option", name="kite_3.png", exact=True).drag_to(
        frames.get_by_role("option", name="kite_2.png", exact=True)
    )
    assert names()[:3] == ["kite_3.png", "kite_2.png", "kite_1.png"]
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    expect(frames.get_by_role("option").first).to_have_attribute("aria-label", "kite_1.png")
    page.keyboard.press("c")
    expect(contact).to_be_hidden()


def test_a_clip_comes_in_at_its_own_rate(desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "wake.mp4").write_bytes(dict(FILES["wake"])["wake.mp4"]())
    page = desk.page
    desk.goto()
    drop(page, [tmp_path / "wake.mp4"])
    page.get_by_role("button", name="Bring in 36 frames").click()
    expect(page.get_by_role("textbox", name="Project name")).to_have_value(re.compile(r"^Wake( \d+)?$"))
    desk.settled()
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("36 frames")
    expect(page.get_by_role("tab", name="Rhythm")).to_contain_text("1.50 s at 24 fps")


@pytest.mark.parametrize("hand", ["mouse", "keyboard"])
def test_a_clip_is_cut_and_thinned_before_it_comes_in(desk: Desk, tmp_path: Path, hand: str) -> None:
    (tmp_path / "wake.mp4").write_bytes(dict(FILES["wake"])["wake.mp4"]())
    page = desk.page
    desk.goto()
    page.get_by_label("Frames", exact=True).set_input_files(tmp_path / "wake.mp4")
    cut = page.get_by_role("region", name="Cut the clip")
    expect(cut).to_contain_text("640 × 360, 36 frames, 1.50 s at 24 fps")
    expect(cut.get_by_role("img", name="Frame 1 of the clip")).to_be_visible()
    if hand == "mouse":
        ends = [cut.get_by_role("slider", name=name) for name in ("Clip begins", "Clip ends")]
        strip = ends[0].locator("..").bounding_box()
        assert strip
        for end, number in zip(ends, (7, 30), strict=True):
            box = end.bounding_box()
            assert box
            page.mouse.move(box["x"] + 5, box["y"] + 20)
            page.mouse.down()
            page.mouse.move(strip["x"] + strip["width"] * (number - 0.5) / 36, box["y"] + 20, steps=6)
            page.mouse.up()
            expect(end).to_have_attribute("aria-valuenow", str(number))
    else:
        for _ in range(6):
            page.keyboard.press("ArrowRight")
        page.keyboard.press("i")
        page.keyboard.press("End")
        for _ in range(6):
            page.keyboard.press("ArrowLeft")
        page.keyboard.press("o")
    expect(cut.get_by_role("img", name="Frame 30 of the clip")).to_be_visible()
    cut.get_by_role("img", name=re.compile("of the clip$")).hover()
    cut.get_by_role("button", name="Play what is taken").click()
    seen = {cut.get_by_role("img", name=re.compile("of the clip$")).get_attribute("alt") for _ in range(1)}

    def played() -> bool:
        seen.add(cut.get_by_role("img", name=re.compile("of the clip$")).get_attribute("alt"))
        return len(seen) >= 4

    until(played)  # round and round between its ends
    cut.get_by_role("button", name="Pause").click()
    assert all(7 <= int((alt or "Frame 0").split()[1]) <= 30 for alt in seen)
    thin = cut.get_by_role("textbox", name="One frame in")
    thin.fill("3")
    thin.press("Enter")
    expect(cut.get_by_role("textbox", name="Frames a second")).to_have_value("8")
    expect(cut).to_contain_text("fps, exactly 8")
    expect(cut).to_contain_text("1.00 s long")
    cut.get_by_role("button", name="Bring in 8 frames").click()
    expect(page.get_by_role("textbox", name="Project name")).to_have_value(re.compile(r"^Wake( \d+)?$"))
    desk.settled()
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("8 frames")
    expect(page.get_by_role("tab", name="Rhythm")).to_contain_text("1.00 s at 8 fps")


def test_a_clip_that_is_not_wanted_brings_nothing(desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "wake.mp4").write_bytes(dict(FILES["wake"])["wake.mp4"]())
    page = desk.page
    desk.goto()
    projects = page.get_by_role("region", name="Projects").get_by_role("link")
    expect(projects.first).to_be_visible()
    many = projects.count()
    (tmp_path / "half.mp4").write_bytes((tmp_path / "wake.mp4").read_bytes()[:5000])
    drop(page, [tmp_path / "wake.mp4", tmp_path / "half.mp4"])
    expect(page.get_by_role("region", name="Bring frames in")).to_contain_text("1 refusedhalf.mp4: is damaged")
    page.get_by_role("button", name="Not this clip").click()
    expect(page.get_by_role("region", name="Cut the clip")).to_be_hidden()
    expect(page.get_by_role("alert")).to_contain_text("half.mp4: is damaged")
    expect(projects).to_have_count(many)


def test_sending_goes_on_when_the_connection_was_broken(desk: Desk, tmp_path: Path) -> None:
    page = desk.page
    desk.forgiven += ["ERR_CONNECTION_RESET", "Failed to load resource"]
    sent = 0

    def breaking(route: Route) -> None:
        nonlocal sent
        sent += 1
        if sent in (2, 3, 5):
            route.abort("connectionreset")
        else:
            route.continue_()

    page.route("**/api/imports/*/files*", breaking)
    desk.goto()
    page.get_by_label("Folder of frames").set_input_files(drawn(tmp_path / "kite", "kite"))
    expect(page.get_by_role("textbox", name="Project name")).to_have_value(re.compile(r"^Kite( \d+)?$"))
    assert sent > 5
    desk.settled()
    cell, _ = gathered(desk)
    expect(cell).to_contain_text("17 of 18 frames")


def test_an_order_that_runs_backwards_is_told_and_turned_round(desk: Desk, tmp_path: Path) -> None:
    folder = drawn(tmp_path / "tern", "tern")
    for number in range(1, 25):
        os.utime(folder / f"tern_{number}.png", (0, 1_700_000_000 - 60 * number))
    page = desk.page
    desk.goto()
    page.get_by_label("Folder of frames").set_input_files(folder)
    expect(page.get_by_role("textbox", name="Project name")).to_have_value("Tern")
    cell, controls = gathered(desk)
    expect(cell).to_contain_text("written last to first")
    expect(controls.get_by_role("button", name="Fix")).to_be_hidden()  # it has to be watched first
    controls.get_by_role("button", name="Reverse it").click()
    expect(cell).to_contain_text("fine")
    desk.settled()
    project = desk.get(f"/api/projects/{page.url.rsplit('/', 1)[1]}").json()
    assert project["results"][0]["positions"] == list(range(24, 0, -1))


def test_another_project_is_put_behind_and_undone(desk: Desk) -> None:
    desk.open("Tern in flight")
    page = desk.page
    cell, controls = gathered(desk)
    wanted = controls.get_by_role("combobox", name="Project to append")
    wanted.select_option(label="Pier bell, 60 frames")
    controls.get_by_role("button", name="Append").click()
    expect(cell).to_contain_text("84 frames")
    expect(controls).to_contain_text("60 frames are not 256 × 256 as the others are")
    expect(controls).to_contain_text("Drawn whole on a canvas of the others’ size.")
    desk.settled()
    expect(cell).to_contain_text("60 scaled")
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("256 × 256")
    page.get_by_role("button", name="Undo").click()
    expect(cell).to_contain_text("24 frames")
    desk.settled()


def test_a_saved_project_dropped_on_a_shelf_goes_on_as_it_was(desk: Desk, tmp_path: Path) -> None:
    desk.open("Kite over the pier")
    page = desk.page
    page.get_by_role("tab", name="Gather").click()
    page.get_by_role("button", name="Blend across the gap").click()
    desk.settled()
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("3 blended")
    page.get_by_role("tab", name="Hand-off").click()
    with page.expect_download() as saving:
        page.get_by_role("link", name="Save project").click()
    assert saving.value.suggested_filename == "kite-over-the-pier-project.zip"
    saving.value.save_as(tmp_path / "kite.zip")
    before = desk.get(f"/api/results/{desk.newest_result()}/file").content
    first = page.url
    page.get_by_role("button", name="Undo").click()
    desk.settled()
    desk.goto()
    drop(page, [tmp_path / "kite.zip"])
    expect(page.get_by_role("textbox", name="Project name")).to_have_value("Kite over the pier 2")
    desk.settled()
    assert page.url != first
    assert desk.get(f"/api/results/{desk.newest_result()}/file").content == before
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("1 unreadable")  # its report came along
    project = page.url.rsplit("/", 1)[1]
    desk.goto()
    page.request.delete(f"{desk.base}/api/projects/{project}", headers={"origin": desk.base})


def test_a_newer_render_takes_the_old_ones_place_and_edits_stay(desk: Desk, tmp_path: Path) -> None:
    desk.open("Kite over the pier")
    page = desk.page
    cell, controls = gathered(desk)
    controls.get_by_role("button", name="Hold the previous frame").click()
    desk.settled()
    folder = tmp_path / "again"
    folder.mkdir()
    for number in (7, 12, 15):  # the missing ones, rendered at last
        (folder / f"kite_{number}.png").write_bytes(png(draw_kite(number - 1, 20)))
    (folder / "kite_4.png").write_bytes(png(draw_kite(3, 20)))  # of the right size now
    controls.get_by_label("Folder of newer frames").set_input_files(folder)
    expect(controls.get_by_role("status", name="Replaced")).to_contain_text(
        "1 frame replaced, 3 new, 17 not brought, kept"
    )
    desk.settled()
    expect(cell).to_contain_text("21 frames")
    expect(cell).not_to_contain_text("missing")
    controls.get_by_role("button", name="Show what changed").click()
    contact = page.get_by_role("region", name="Contact view")
    expect(contact.get_by_role("status", name="Chosen")).to_have_text("4 chosen")
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    expect(cell).to_contain_text("18 frames")
    page.keyboard.press("c")
    desk.settled()


def test_frames_dropped_on_an_open_project_are_asked_about(desk: Desk, tmp_path: Path) -> None:
    desk.open("Tern in flight")
    page = desk.page
    more = save_frames(tmp_path / "more", moving_square(3, 256, 256), "more_{}.png")
    asked = page.get_by_role("dialog", name="What to do with the dropped files")
    drop(page, more, taken=asked)
    expect(asked).to_contain_text("3 files dropped on “Tern in flight”")
    page.keyboard.press("Escape")
    expect(asked).to_be_hidden()
    cell, _ = gathered(desk)
    expect(cell).to_contain_text("24 frames")
    drop(page, more, taken=asked)
    asked.get_by_role("button", name="Append").click()
    expect(cell).to_contain_text("27 frames")
    expect(page.get_by_role("textbox", name="Project name")).to_have_value("Tern in flight")
    desk.settled()
    page.get_by_role("button", name="Undo").click()
    expect(cell).to_contain_text("24 frames")
    desk.settled()
    assert not any(card["name"].startswith("More") for card in desk.get("/api/projects").json())
