"""A day's jobs by keyboard alone. After every key something has the focus, and it is known what."""

import re
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from playwright.sync_api import Page, TimeoutError, expect

from tests.conftest import moving_square, save_frames
from tests.e2e.conftest import LONGEST, Desk
from tests.e2e.test_pictures import undo_all

WHERE = """() => {
    const one = document.activeElement;
    if (one === document.body) return "the page";
    const label = document.getElementById(one.getAttribute("aria-labelledby"));
    const text = ["INPUT", "SELECT"].includes(one.tagName) ? one.labels?.[0]?.textContent : one.textContent;
    return (one.ariaLabel || label?.textContent || text || one.tagName).replace(/\\s+/g, " ").trim();
}"""


@dataclass
class Keys:
    """Keys that are pressed, and what has the focus after each."""

    page: Page

    @property
    def at(self) -> str:
        """What has the focus, by its name; a moment is waited for focus that is on its way."""
        where: str = self.page.evaluate(WHERE)
        if where == "the page":
            self.page.wait_for_function(
                "() => document.activeElement !== document.body", timeout=LONGEST * 1000
            )
            where = self.page.evaluate(WHERE)
        return where

    def press(self, *keys: str) -> str:
        where = ""
        for key in keys:
            self.page.keyboard.press(key)
            where = self.at
        return where

    def on(self, name: str, *keys: str) -> None:
        """After some keys the focus is on what is called so, within a moment."""
        self.press(*keys)
        with suppress(TimeoutError):
            self.page.wait_for_function(
                f"(name) => new RegExp(name).test(({WHERE})())", arg=name, timeout=LONGEST * 1000
            )
        assert re.search(name, self.at)

    def to(self, name: str, key: str = "Tab", most: int = 40) -> str:
        """To what is called so, by one key again and again."""
        passed: list[str] = [self.page.evaluate(WHERE)]
        while not re.search(name, passed[-1]):
            assert len(passed) <= most, f"no {name!r} among {passed}"
            self.page.keyboard.press(key)
            passed.append(self.page.evaluate(WHERE))
        return passed[-1]

    def type(self, text: str) -> str:
        """What is chosen in a field is typed over and taken."""
        self.page.keyboard.type(text)
        return self.press("Enter")


def opened(desk: Desk, name: str) -> Keys:
    """A project opened from the shelf."""
    desk.goto()
    expect(desk.page.get_by_role("link", name=name)).to_be_visible()
    keys = Keys(desk.page)
    desk.page.keyboard.press("/")
    desk.page.keyboard.type(name)
    desk.page.keyboard.press("Enter")
    desk.settled()
    keys.at  # noqa: B018 - the bench has taken the focus over
    return keys


def choose(keys: Keys, folder: Path) -> None:
    """Choose a folder on the shelf. Whoever listens beforehand misses no chooser that a key opens at once."""
    keys.page.on("filechooser", lambda _: None)
    keys.page.goto(keys.page.url)
    expect(keys.page.get_by_role("link", name="Dusk lamp")).to_be_visible()
    keys.to("^Choose a folder")
    with keys.page.expect_file_chooser() as chooser:
        keys.press("Enter")
    chooser.value.set_files(folder)


def test_frames_are_imported_and_a_project_is_deleted_and_restored(desk: Desk, tmp_path: Path) -> None:
    page, keys = desk.page, Keys(desk.page)
    save_frames(tmp_path / "heron", moving_square(4), "heron_{}.png")
    desk.goto()
    choose(keys, tmp_path / "heron")
    expect(page).to_have_title("Heron – Jay Flick")
    keys.on("^Heron$")
    keys.to("^Shelf$", "Shift+Tab")
    page.keyboard.press("Enter")
    expect(page).to_have_title("Jay Flick")
    expect(page.get_by_role("link", name="Heron", exact=True)).to_be_visible()
    keys.on("^Jay Flick$")
    names = page.get_by_role("region", name="Projects").get_by_role("listitem").get_by_role("link")
    after = names.nth(names.all_inner_texts().index("Heron") + 1).inner_text()
    keys.to("^Delete Heron$")
    keys.press("Enter")
    expect(page.get_by_text("“Heron” was deleted.")).to_be_visible()
    expect(page.get_by_role("link", name="Heron", exact=True)).to_have_count(0)
    keys.on(f"^{re.escape(after)}$")  # what stands where it stood
    keys.on("^Restore$", "F8")
    keys.press("Enter")
    keys.on("^Heron$")
    keys.to("^Delete Heron$")
    keys.press("Enter")
    expect(page.get_by_role("link", name="Heron", exact=True)).to_have_count(0)


def test_two_projects_come_of_one_folder(desk: Desk, tmp_path: Path) -> None:
    page, keys = desk.page, Keys(desk.page)
    for name in ("crab", "eel"):
        save_frames(tmp_path / "shore", moving_square(3), name + "_{}.png")
    desk.goto()
    choose(keys, tmp_path / "shore")
    expect(page.get_by_role("region", name="Sequences found")).to_be_visible()
    keys.to("^One project each$")
    keys.press("Enter")
    expect(page.get_by_role("link", name="Crab", exact=True)).to_be_visible()
    assert keys.at != "the page"
    for name in ("Crab", "Eel"):
        keys.to(f"^Delete {name}$")
        keys.press("Enter")
        expect(page.get_by_role("link", name=name, exact=True)).to_have_count(0)


def test_a_rate_is_typed_and_taken_back(desk: Desk) -> None:
    page, keys = desk.page, opened(desk, "Tern in flight")
    keys.on("^Pace$", "r", "F6")
    keys.to("^Frames a second$")
    assert keys.type("12.5") == "Applied"
    rhythm = page.get_by_role("tab", name="Rhythm")
    expect(rhythm).to_contain_text("at 12.5 fps")
    keys.on("^Frames a second$", "Shift+Tab")
    page.keyboard.type("x")
    keys.on("^Frames a second$", "Enter")  # it is put right where it is
    keys.on("^Reverted$", "Escape")
    keys.press("Control+z")
    expect(rhythm).to_contain_text("at 24 fps")
    keys.on("^Delay of all frames$", "Tab")


def test_a_run_of_frames_lasts_longer_and_plays_alone(desk: Desk) -> None:
    page, keys = desk.page, opened(desk, "Tern in flight")
    keys.press("Home", "ArrowRight", "ArrowRight", "s", "ArrowRight", "ArrowRight", "Shift+S", "]")
    expect(page.get_by_role("status", name="Selection")).to_contain_text("3 selected")
    desk.settled()
    keys.press("Escape", "i", "ArrowRight", "ArrowRight", "o")
    desk.settled()
    played = page.get_by_role("region", name="Rhythm strip").get_by_role("listbox", name="Frames")
    expect(played.get_by_role("option")).to_have_count(3)
    keys.on("^Tern in flight$")
    undo_all(desk)


def test_a_picture_is_cropped_and_scaled(desk: Desk) -> None:
    page, keys = desk.page, opened(desk, "Kite over the pier")
    keys.on("^Crop box, ", "x")
    keys.on("^Top left corner$", "Tab")
    before = keys.press("Shift+Tab")
    keys.press("Tab", "ArrowRight", "Shift+Tab")
    assert keys.at != before
    keys.on("^Kite over the pier$", "x")
    keys.on("^Crop, size$", "F6")
    keys.to("^Width$")
    assert keys.type("200") == "Applied"
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("200 × ")
    keys.on("^Kite over the pier$", "F6")
    undo_all(desk)


def test_colours_are_spared(desk: Desk) -> None:
    page, keys = desk.page, opened(desk, "Pier bell")
    keys.on("^Fit under", "t", "F6")
    keys.to("^Colours$")
    keys.on("^Colours$", "ArrowLeft", "ArrowLeft")
    expect(page.get_by_label("Colours, number")).to_have_value("94")
    keys.to("^Loss, number$")
    assert keys.type("20") == "Applied"
    desk.settled()
    undo_all(desk)


def test_an_output_is_added_moved_and_deleted(desk: Desk) -> None:
    page, keys = desk.page, opened(desk, "Pier bell")
    keys.to("^Add an output$")
    keys.press("Enter")
    keys.to("^Square thumbnail")
    keys.press("Enter")
    stubs = page.get_by_role("region", name="Outputs")
    expect(stubs.get_by_text("Square thumbnail").first).to_be_visible()
    keys.on("^Add an output$")
    keys.to("^Square thumbnail", "Shift+Tab")
    page.keyboard.press("Enter")
    keys.on("^Square thumbnail")
    keys.press("Tab", "Enter")
    keys.to("^Move up$")
    keys.on("^Move down$", "Enter")  # it is the first now, and goes no further
    keys.to("^Remove this output$")
    keys.press("Enter")
    expect(stubs.get_by_text("Square thumbnail")).to_have_count(0)
    keys.on("^Duplicate$")  # what stands where it stood
    undo_all(desk)


def test_a_remedy_is_taken(desk: Desk) -> None:
    page, keys = desk.page, opened(desk, "Kite over the pier")
    keys.press("h", "F6")
    keys.to("^Target$")
    page.keyboard.type("Square")
    expect(page.get_by_label("Target", exact=True)).to_have_value("square-thumbnail")
    keys.to("^Set up for it$")
    keys.press("Enter")
    desk.settled()
    keys.on("^Your own limits and targets$")  # what comes after what was done
    undo_all(desk)


def test_a_file_is_downloaded_and_help_is_looked_at(desk: Desk) -> None:
    page, keys = desk.page, opened(desk, "Pier bell")
    keys.press("h", "F6")
    name = keys.to("^Download ")
    with page.expect_download() as download:
        page.keyboard.press("Enter")
    assert download.value.suggested_filename == name.removeprefix("Download ")
    keys.on(f"^{name}$")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    keys.on(f"^{name}$", "Escape")


def test_frames_are_left_out_in_the_contact_view(desk: Desk) -> None:
    page, keys = desk.page, opened(desk, "Tern in flight")
    keys.press("c", "Home", "ArrowRight", "Delete")
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("left out")
    keys.on("^Tern in flight$", "c")
    undo_all(desk)
