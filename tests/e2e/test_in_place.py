"""Folders of this machine: opened where they lie, followed while frames are rendered, found again."""

import re
import signal
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import BrowserContext, Locator, expect

from jayflick.demo import DEMO
from tests.e2e.conftest import Desk
from tests.prepared import copy_empty
from tests.server import Server, until

LAMP = [make for project in DEMO if project.folder == "dusk_lamp" for _, make in project.files[:12]]


@pytest.fixture
def renders(tmp_path: Path) -> Path:
    folder = tmp_path / "renders"
    (folder / "shot" / "empty").mkdir(parents=True)
    (folder / "notes.txt").write_text("of the crossing")
    return folder


@pytest.fixture
def place(tmp_path: Path, renders: Path) -> Iterator[Server]:
    """A server that may read one folder, and may be harmed."""
    (tmp_path / "site").mkdir()
    server = Server(copy_empty(tmp_path / "data"), forked=True)
    server.start("--no-demo", "--frames", str(renders), "--handoff", str(tmp_path / "site"))
    yield server
    server.stop(signal.SIGKILL)


@pytest.fixture
def here(place: Server, window: BrowserContext) -> Iterator[Desk]:
    opened = Desk.at(window, place.base)
    yield opened
    opened.page.close()
    assert [text for text in opened.trouble if not any(part in text for part in opened.forgiven)] == []


def render(folder: Path, number: int, picture: bytes) -> None:
    """As most renderers do: written beside, then renamed into its place."""
    folder.mkdir(exist_ok=True)
    part = folder / f".lamp_{number}.part"
    part.write_bytes(picture)
    part.rename(folder / f"lamp_{number}.png")


def chosen(desk: Desk, name: str) -> Locator:
    return desk.page.get_by_role("option").filter(has_text=name)


def test_a_render_is_followed_edited_interrupted_and_found_elsewhere(
    here: Desk, place: Server, renders: Path
) -> None:
    page, folder = here.page, renders / "shot" / "lamp v1"
    pictures = [make() for make in LAMP]
    for number in (1, 2, 3):
        render(folder, number, pictures[number - 1])
    # Opened by keys alone, to be followed.
    here.goto()
    page.get_by_role("button", name="Open a folder here").press("Enter")
    expect(page.get_by_role("listbox", name="In this folder")).to_be_focused()
    expect(chosen(here, "shot")).to_be_visible()
    page.keyboard.press("Enter")
    expect(chosen(here, "lamp v1")).to_be_visible()
    page.keyboard.press("End")
    page.keyboard.press("Enter")
    expect(chosen(here, "lamp_#.png")).to_contain_text("3 frames")
    expect(chosen(here, "lamp_#.png")).to_contain_text(re.compile("1 to 3.*960 × 540", re.DOTALL))
    page.keyboard.press("Space")
    expect(page.get_by_role("status", name="Chosen")).to_have_text("3 files")
    page.get_by_role("checkbox", name="Follow while frames are rendered").check()
    page.get_by_role("button", name="Open lamp_#.png").press("Enter")
    cell = page.get_by_role("tab", name="Gather")
    expect(cell).to_contain_text("3 frames so far")
    here.settled()
    cell.click()
    where = page.get_by_role("region", name="Source folder")
    expect(where).to_contain_text("renders/shot/lamp v1")
    # They come, not in order: what is missing is on its way, and is no alarm.
    render(folder, 4, pictures[3])
    render(folder, 6, pictures[5])
    expect(cell).to_contain_text("5 frames so far")
    expect(cell).to_contain_text("following")
    page.get_by_role("tab", name="Rhythm").click()
    rate = page.get_by_label("Frames a second")
    rate.fill("12")
    rate.press("Enter")
    render(folder, 5, pictures[4])
    expect(cell).to_contain_text("6 frames so far")
    here.settled()
    # The service dies in the middle, while the render goes on.
    here.forgiven = ["Failed to load resource", "ERR_"]
    place.stop(signal.SIGKILL)
    render(folder, 7, pictures[6])
    expect(page.get_by_text("does not answer").first).to_be_visible()
    place.start("--no-demo", "--frames", str(renders), "--port", str(urlsplit(here.base).port))
    expect(cell).to_contain_text("7 frames so far")
    render(folder, 8, pictures[7])
    expect(cell).to_contain_text("8 frames so far")
    here.settled()
    expect(rate).to_have_value("12")
    # No longer followed: what is newer is told, and taken in when somebody says so.
    cell.click()
    where.get_by_role("checkbox", name="Follow").uncheck()
    expect(cell).to_contain_text("all there")
    render(folder, 2, pictures[8])
    expect(cell).to_contain_text("1 newer")
    where.get_by_role("button", name="Bring in 1 frame").click()
    expect(where.get_by_role("status", name="Brought in")).to_have_text("1 frame replaced, 7 not brought, kept")
    expect(where).to_contain_text("up to date")
    # Gone, and found by what is in it.
    folder.rename(renders / "shot" / "lamp v2")
    render(renders / "shot" / "lamp v2", 9, pictures[9])
    expect(where).to_contain_text("not there")
    where.get_by_role("button", name="It is elsewhere now…").click()
    dialog = page.get_by_role("dialog", name="Where are these frames now?")
    until(lambda: dialog.get_by_role("listbox").is_visible())
    dialog.get_by_role("button", name="shot").click()
    dialog.get_by_role("option", name="lamp v2").dblclick()
    expect(dialog.get_by_role("status", name="Compared")).to_have_text("8 frames the same, 1 new")
    dialog.get_by_role("button", name="Use this folder").click()
    expect(where).to_contain_text("renders/shot/lamp v2")
    expect(where.get_by_role("button", name="Bring in 1 frame")).to_be_visible()
    expect(page.get_by_role("tab", name="Rhythm")).to_contain_text("12 fps")


def test_folders_are_looked_through_chosen_and_sorted_as_a_drop_is(here: Desk, renders: Path) -> None:
    page = here.page
    for project in DEMO:
        if project.folder == "terns":
            for name, make in project.files:
                (renders / "shot" / name).write_bytes(make())
    here.goto()
    page.get_by_role("button", name="Open a folder here").click()
    expect(page.get_by_role("status", name="Chosen")).to_have_text("0 sequences, 1 other file")
    page.get_by_role("option", name="shot").dblclick()
    expect(page.get_by_role("option")).to_have_count(25)
    page.get_by_role("searchbox", name="Only names like").fill("*-NE-*")
    expect(page.get_by_role("option")).to_have_count(3)
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Control+a")
    expect(page.get_by_role("status", name="Chosen")).to_have_text("18 files")
    page.get_by_role("searchbox", name="Only names like").fill("")
    page.get_by_role("option", name="empty").dblclick()
    expect(page.get_by_text("This folder is empty.")).to_be_visible()
    expect(page.get_by_role("button", name="Open all in this folder")).to_be_disabled()
    page.get_by_role("navigation", name="Folder").get_by_role("button", name="shot").click()
    chosen(here, "tern-NE-dive").click()
    chosen(here, "tern-NE-glide").click(modifiers=["Shift"])
    page.get_by_role("button", name="Open 3 chosen").click()
    found = page.get_by_role("region", name="Sequences found")
    expect(found).to_contain_text("3 sequences found")
    found.get_by_role("button", name="One project each").click()
    expect(page.get_by_role("heading", name="Projects")).to_be_visible()
    until(lambda: len(here.get("/api/projects").json()) == 3)
    for project in here.get("/api/projects").json():
        assert here.get(f"/api/projects/{project['id']}/folder").json()["folder"] == "renders/shot"
    # Kept written: the newest is there, without another click.
    here.open(here.get("/api/projects").json()[0]["name"])
    page.get_by_role("tab", name="Hand-off").click()
    page.get_by_role("checkbox", name="up to date in site").check()
    site = renders.parent / "site"
    until(lambda: len(list(site.glob("*/*.gif"))) == 1)
    (loop,) = site.glob("*/*.gif")
    before = loop.read_bytes()
    page.get_by_role("tab", name="Rhythm").click()
    page.get_by_label("Frames a second").fill("5")
    page.keyboard.press("Enter")
    until(lambda: loop.read_bytes() != before)
