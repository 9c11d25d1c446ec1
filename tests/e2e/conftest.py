"""The real interface in Debian's Chromium against a real server with the demo; a console error fails a test."""

import base64
import contextlib
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import httpx
import numpy as np
import pytest
from numpy.typing import NDArray
from playwright.sync_api import Browser, BrowserContext, Locator, Page, expect, sync_playwright

from tests.prepared import copy_demo
from tests.server import Server, until

CHROMIUM = "/usr/bin/chromium"
OPTIONS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
STAGE = 'section[aria-label="Stage"]'

LONGEST = 60
"""Seconds after which what has not come by then is a failure, on the busiest machine."""
expect.set_options(timeout=LONGEST * 1000)


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    running = Server(copy_demo(tmp_path_factory.mktemp("demo")), standins=True).start()
    yield running
    running.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        started = playwright.chromium.launch(executable_path=CHROMIUM, args=OPTIONS)
        yield started
        started.close()


@dataclass
class Desk:
    """A browser window with what went wrong in it."""

    page: Page
    context: BrowserContext
    base: str
    trouble: list[str] = field(default_factory=list)
    elsewhere: list[str] = field(default_factory=list)
    forgiven: list[str] = field(default_factory=list)
    """Parts of messages that a test brings about on purpose."""

    @classmethod
    def at(cls, window: BrowserContext, base: str) -> "Desk":
        """A page of a window, with an ear for what goes wrong in it."""
        page = window.new_page()
        opened = cls(page, window, base)
        page.on("console", lambda said: opened.trouble.append(said.text) if said.type == "error" else None)
        page.on("pageerror", lambda error: opened.trouble.append(str(error)))
        return opened

    def goto(self, address: str = "/") -> None:
        self.page.goto(self.base + address)

    def get(self, path: str) -> httpx.Response:
        """What the service answers, over a connection of its own: one that was idle may be closed by now."""
        return httpx.get(self.base + path, timeout=LONGEST).raise_for_status()

    def open(self, name: str, *, playing: bool = False) -> None:
        """Open the bench of a project that is on the shelf, by its address, and wait for its picture."""
        if playing:
            self.page.emulate_media(reduced_motion="no-preference")
        projects = self.get("/api/projects").json()
        self.goto(f"/project/{next(one['id'] for one in projects if one['name'] == name)}")
        self.settled()

    def settled(self) -> None:
        """Wait until the picture on the stage is the newest revision's."""
        expect(self.page.get_by_role("status", name="Saving")).to_have_text("All changes saved")
        expect(self.page.get_by_role("tab", name="Hand-off")).to_contain_text("ready", timeout=60_000)
        expect(self.page.locator(STAGE)).to_have_attribute("data-result", r"" + self.newest_result())

    def made(self) -> None:
        """Wait until the newest file of the output on show is there, on the stage or not, fitting or not."""
        expect(self.page.get_by_role("status", name="Saving")).to_have_text("All changes saved")
        expect(self.page.get_by_role("status", name="Newest result")).not_to_be_empty()

    def newest_result(self) -> str:
        """The id of the newest result of the output on show."""
        address = urlsplit(self.page.url)
        answer = self.get(f"/api/projects/{address.path.rsplit('/', 1)[1]}").json()
        shown = parse_qs(address.query).get("output", [answer["recipe"]["outputs"][0]["id"]])[0]
        return next(str(one["id"]) for one in answer["results"] if one["output_id"] == shown)

    def kilobytes(self) -> int:
        self.page.get_by_role("tab", name="Tuning").click()
        text = self.page.get_by_role("status", name="Bytes").inner_text()
        return int(text.split()[0])

    def pixels(self) -> NDArray[np.uint8]:
        """The RGBA values of the picture on the stage, shape (height, width, 4)."""
        canvas = self.page.locator(f"{STAGE} canvas")
        width, height, text = canvas.evaluate(
            """(canvas) => {
                const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
                let text = "";
                for (let at = 0; at < data.length; at += 32768)
                    text += String.fromCharCode(...data.subarray(at, at + 32768));
                return [canvas.width, canvas.height, btoa(text)];
            }"""
        )
        return np.frombuffer(base64.b64decode(text), np.uint8).reshape(height, width, 4)


def projects(demo: Server) -> set[str]:
    """The ids of all projects that are there."""
    answer = httpx.get(f"{demo.base}/api/projects", timeout=LONGEST).raise_for_status()
    return {one["id"] for one in answer.json()}


@pytest.fixture(scope="session")
def window(browser: Browser) -> Iterator[BrowserContext]:
    """A window that stays open: a page in it, one for each test, takes half the time of another window."""
    # Nothing plays unless a test is about it: pictures that move all the time keep the machine from the rest.
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True, reduced_motion="reduce"
    )
    context.set_default_timeout(LONGEST * 1000)
    context.new_page()
    yield context
    context.close()


@pytest.fixture
def desk(demo: Server, window: BrowserContext) -> Iterator[Desk]:
    opened = Desk.at(window, demo.base)
    opened.page.on(
        "request",
        lambda request: (
            None
            if urlsplit(request.url).scheme in ("blob", "data") or urlsplit(request.url).hostname == "127.0.0.1"
            else opened.elsewhere.append(request.url)
        ),
    )
    before = projects(demo)
    yield opened
    for page in window.pages[1:]:
        page.close()
    session = window.new_cdp_session(window.pages[0])
    session.send("Storage.clearDataForOrigin", {"origin": demo.base, "storageTypes": "all"})
    session.detach()
    for one in projects(demo) - before:
        httpx.delete(f"{demo.base}/api/projects/{one}", timeout=LONGEST).raise_for_status()
    assert opened.elsewhere == [], "a request left this machine"
    assert [text for text in opened.trouble if not any(part in text for part in opened.forgiven)] == []


def drop(page: Page, paths: list[Path], *, taken: Locator | None = None) -> None:
    """Drop files or folders on the page as a hand does; ``taken``: what is there once they were."""
    session = page.context.new_cdp_session(page)
    data = {"items": [], "files": [str(path) for path in paths], "dragOperationsMask": 1}

    def send(kind: str) -> None:
        session.send("Input.dispatchDragEvent", {"type": kind, "x": 600, "y": 400, "data": data})

    over = page.get_by_text("Drop to import")
    idle = page.get_by_text("Nothing dropped yet")

    def hovered() -> bool:
        send("dragOver")  # a hand keeps moving until it sees that it can let go
        return over.is_visible()

    for _ in range(4):  # on a busy machine the browser now and then takes a drop for one that was called off
        send("dragEnter")
        until(hovered)
        for kind in ("dragOver", "drop"):  # the page has said by now that it takes the drop
            send(kind)
        with contextlib.suppress(AssertionError):
            if taken is not None:
                expect(taken).to_be_visible(timeout=3000)
            else:
                expect(idle).to_be_hidden(timeout=3000)
            return
    raise AssertionError("the drop was not taken")


def pull_and_call_off(page: Page, at: tuple[float, float], by: tuple[float, float]) -> None:
    """Drag something, and press Escape before it is let go."""
    page.mouse.move(*at)
    page.mouse.down()
    page.mouse.move(at[0] + by[0], at[1] + by[1], steps=4)
    page.keyboard.press("Escape")
    page.mouse.move(at[0] + 2 * by[0], at[1] + by[1])
    page.mouse.up()
