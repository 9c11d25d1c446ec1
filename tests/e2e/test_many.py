"""Many at once: one direction of the terns is set up, the other seven are made like it and leave together."""

import re
import zipfile
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, Page, expect

from jayflick.demo.flock import DIRECTIONS, MOTIONS, draw_from_above
from tests.e2e.conftest import Desk
from tests.e2e.test_gather import drawn

BUDGET = 20
MISSING = "W", "fly", 3


def under_way(page: Page, label: str) -> Locator:
    """The line that tells how far something is, once it is over."""
    line = page.get_by_role("region", name=label).first
    expect(line.get_by_role("button", name=re.compile("^Dismiss"))).to_be_visible()
    return line


def row(page: Page, name: str) -> Locator:
    return page.get_by_role("row").filter(has=page.get_by_role("link", name=name, exact=True))


def drawn_alpha(direction: str) -> int:
    """All the alpha of a direction's frames together: what a sheet of them has, wherever each lies."""
    numbers = [
        (motion, number)
        for motion, count in MOTIONS.items()
        for number in range(1, count + 1)
        if (direction, motion, number) != MISSING
    ]
    frames = (draw_from_above(direction, motion, number - 1) for motion, number in numbers)
    return sum(int(frame[:, :, 3].sum(dtype=int)) for frame in frames)


def test_one_direction_is_set_up_and_the_other_seven_are_made_like_it(desk: Desk, tmp_path: Path) -> None:
    page = desk.page
    desk.goto()
    frames = drawn(tmp_path / "terns", "terns")
    (frames / "tern-{}-{}-{}.png".format(*MISSING)).unlink()  # one that does not fit
    page.get_by_label("Folder of frames").set_input_files(frames)
    found = page.get_by_role("region", name="Sequences found")
    found.get_by_role("searchbox", name="Only names like").fill("*-NE-*")
    found.get_by_role("button", name="One project of all 3").click()
    expect(page.get_by_role("textbox", name="Project name")).to_have_value("Tern NE")
    desk.settled()
    page.get_by_role("tab", name="Tuning").click()
    page.get_by_role("textbox", name="Colours, number").fill("48")
    page.keyboard.press("Enter")
    desk.settled()
    page.get_by_role("button", name="Add an output").click()
    page.get_by_role("dialog", name="Add an output").get_by_text("Sheet", exact=True).click()
    expect(page.get_by_role("region", name="Sheet", exact=True)).to_contain_text(re.compile(r"PNG · \d+ KB"))

    page.get_by_role("link", name="Shelf").click()
    page.get_by_role("button", name="Sort them").click()
    found.get_by_role("combobox", name="Like").select_option(label="Tern NE")
    found.get_by_role("button", name="Group by N, E, …").or_(
        found.get_by_role("button", name=re.compile("^Group by (N|E|NW|S|SE|SW|W),"))
    ).first.click()
    found.get_by_text("1 project cannot take every setting").click()
    told = found.get_by_role("list", name="What is not taken")
    expect(told).to_have_text("Tern W: its spans are not taken: these frames keep their own")
    found.get_by_role("button", name="Import only the 7 groups").click()
    expect(found).to_be_hidden()
    names = [f"Tern {direction}" for direction in DIRECTIONS]
    for name in names:
        expect(page.get_by_role("link", name=name, exact=True)).to_be_visible()

    # The eight are the newest: a run of them is chosen by its first and its last.
    cards = page.get_by_role("region", name="Projects").get_by_role("listitem")
    cards.nth(0).get_by_role("checkbox").check(force=True)
    cards.nth(7).get_by_role("checkbox").click(modifiers=["Shift"], force=True)
    bar = page.get_by_role("region", name="Chosen projects")
    expect(bar.get_by_role("status")).to_have_text("8 chosen")
    bar.get_by_role("button", name="Open as a table").click()
    expect(page.get_by_role("heading", name="8 projects")).to_be_visible()
    for name in names:
        expect(row(page, name)).to_contain_text(re.compile(r"KB.*passes.*KB", re.DOTALL))
        expect(row(page, name)).not_to_contain_text("encoding")

    # What does not fit is found, and mended where it stands.
    page.get_by_role("radio", name="To look at").click()
    expect(page.get_by_role("row")).to_have_count(2)
    row(page, "Tern W").get_by_role("link").click()
    page.get_by_role("tab", name="Gather").click()
    controls = page.get_by_role("region", name="Gather controls")
    expect(controls).to_contain_text("numbers missing: 3")
    controls.get_by_role("button", name="Hold the previous frame").click()
    desk.settled()
    page.go_back()
    expect(row(page, "Tern W")).not_to_contain_text("to check")

    page.get_by_role("combobox", name="Outputs").select_option(label="Page loop")
    page.get_by_role("button", name="Fit…").click()
    page.get_by_label("Budget in KB").fill(str(BUDGET))
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Fit 8", exact=True).click()
    line = under_way(page, f"Fit under {BUDGET} KB")
    expect(line.get_by_role("status")).to_have_text("8 of 8 changed")
    page.get_by_role("radio", name="Over budget").click()
    expect(page.get_by_role("row")).to_have_count(1)
    page.get_by_role("radio", name="All", exact=True).click()

    page.get_by_role("combobox", name="Outputs").select_option(label="all outputs")
    page.get_by_role("button", name="Hand off…").click()
    with page.expect_download() as saved:
        page.get_by_role("button", name="Zip 8", exact=True).click()
    archive = zipfile.ZipFile(saved.value.path())
    assert archive.testzip() is None
    by_project: dict[str, dict[str, bytes]] = {}
    for path in archive.namelist():
        project, _, file = path.partition("/")
        by_project.setdefault(project, {})[file] = archive.read(path)
    assert set(by_project) == set(names)
    for name, files in by_project.items():
        (loop,) = [data for file, data in files.items() if file.endswith(".gif")]
        assert len(loop) <= BUDGET * 1024
        with Image.open(BytesIO(loop)) as picture:
            assert getattr(picture, "n_frames", 1) in (17, 18), name
            assert picture.size == (96, 96)
        (sheet,) = [data for file, data in files.items() if file.endswith(".png")]
        with Image.open(BytesIO(sheet)) as picture:
            alpha = np.asarray(picture.convert("RGBA"))[:, :, 3]
        assert alpha.sum(dtype=int) == drawn_alpha(name.removeprefix("Tern ")), name


def test_many_are_chosen_by_keys_set_looked_at_and_taken_back(desk: Desk) -> None:
    page = desk.page
    desk.goto()
    page.get_by_role("button", name="Table").click()
    rows = page.get_by_role("row")
    first = page.get_by_role("table").get_by_label("Choose Buoy by hand")  # the shelf has one too
    first.focus()
    page.keyboard.press("Space")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_label("Choose Gull across")).to_be_focused()
    tools = page.get_by_role("toolbar", name="Actions")
    expect(tools.get_by_role("status")).to_have_text("3 chosen")
    before = [row(page, name).inner_text() for name in ("Buoy by hand", "Dusk lamp")]
    page.get_by_role("button", name="Set…").click()
    page.get_by_label("Colours").fill("5")
    page.keyboard.press("Enter")
    told = page.get_by_role("status", name="What it changes")
    expect(told).to_contain_text("Changes 2 of 3 projects.")
    expect(told).to_contain_text("Gull across: Switcher transition has no colours")
    page.get_by_label("Colours").fill("five")
    expect(told).to_be_hidden()  # it is of a value that is no longer there
    page.get_by_role("button", name="Set in 3").click()
    expect(page.get_by_label("Colours")).to_be_focused()
    expect(page.get_by_role("tooltip")).to_contain_text("“five” is not taken")
    page.keyboard.press("Escape")
    expect(told).to_be_visible()
    page.get_by_role("button", name="Set in 3").click()
    line = under_way(page, "Colours 5")
    expect(line).to_contain_text("2 of 3 changed")
    for name in ("Buoy by hand", "Dusk lamp"):
        expect(row(page, name)).not_to_contain_text("encoding")
        expect(row(page, name)).not_to_contain_text("≈")
    assert row(page, "Dusk lamp").inner_text() != before[1]
    page.reload()  # it is known of afterwards
    under_way(page, "Colours 5")
    page.keyboard.press("Control+z")
    under_way(page, "Undo: Colours 5")
    figures = re.compile(r"\d+ KB")
    for name, text in zip(("Buoy by hand", "Dusk lamp"), before, strict=True):
        known = figures.search(text)
        assert known is not None
        expect(row(page, name)).to_contain_text(known[0])
    page.get_by_role("button", name="Sort by Page loop bytes").click()
    expect(rows.nth(1)).to_contain_text("Dusk lamp")
    rows.nth(1).get_by_role("checkbox").focus()
    page.keyboard.press("Control+a")
    expect(tools.get_by_role("status")).to_have_text("9 chosen")
    page.keyboard.press("Escape")
    expect(tools.get_by_role("status")).to_have_text("All 9 shown")
