"""The rhythm strip with 2,000 frames under the hand, a bulk edit, and the best seam among 600 frames."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import httpx
import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect, sync_playwright
from tests.e2e.conftest import CHROMIUM, OPTIONS
from tests.server import Server

from .gather import MANY, bring, specks

TURN = 600
EDITS = 9


def turning(folder: Path) -> None:
    """600 frames of 960 × 540: a disc that goes round every 150 frames, over a ground that slowly changes."""
    folder.mkdir()
    y, x = np.mgrid[0:540, 0:960].astype(np.float32)
    for index in range(TURN):
        turn = 2 * np.pi * index / 150
        ground = np.dstack([x / 960 * 160 + index / 12, y / 540 * 180, np.full_like(x, 110)])
        distance = np.hypot(x - 480 - 300 * np.cos(turn), y - 270 - 150 * np.sin(turn))
        cover = np.clip((120 - distance) / 40, 0, 1)[:, :, None]
        frame = ground * (1 - cover) + np.array([250, 210, 120], np.float32) * cover
        Image.fromarray(frame.astype(np.uint8)).save(folder / f"turn_{index + 1}.png", compress_level=1)


def screen_frames(page: Page, act: Callable[[], None]) -> tuple[float, float, int]:
    """The longest and the median time between two pictures of the screen while something is done, in ms."""
    page.evaluate(
        """() => {
            window.spent = [];
            let before = performance.now();
            const frame = () => {
                const now = performance.now();
                window.spent.push(now - before);
                before = now;
                window.watch = requestAnimationFrame(frame);
            };
            window.watch = requestAnimationFrame(frame);
        }"""
    )
    act()
    spent: list[float] = page.evaluate("() => { cancelAnimationFrame(window.watch); return window.spent; }")
    return max(spent[1:]), float(np.median(spent)), len(spent)


def strip(page: Page) -> dict[str, tuple[float, float, int]]:
    """Drawing a selection over the strip, zooming in, and panning along it."""
    box = page.get_by_role("listbox", name="Frames").bounding_box()
    assert box
    y = box["y"] + 70

    def drag() -> None:
        page.mouse.move(box["x"] + 5, y)
        page.mouse.down()
        for step in range(60):
            page.mouse.move(box["x"] + 5 + step * 20, y)
        page.mouse.up()

    def zoom() -> None:
        page.mouse.move(box["x"] + 600, y)
        page.keyboard.down("Control")
        for _ in range(24):
            page.mouse.wheel(0, -60)
        page.keyboard.up("Control")

    def pan() -> None:
        for _ in range(60):
            page.mouse.wheel(60, 0)

    return {
        "drawing a selection over all of them": screen_frames(page, drag),
        "zooming in": screen_frames(page, zoom),
        "panning": screen_frames(page, pan),
    }


def bulk(page: Page) -> list[float]:
    """From the key press that sets all delays until they are saved and drawn, in ms, for several edits."""
    page.keyboard.press("Control+a")
    field = page.get_by_role("textbox", name="Delay of the selected frames")
    times = []
    for edit in range(EDITS):
        field.fill(f"{3 + edit}cs")
        page.evaluate(
            """() => {
                const stage = document.querySelector('[aria-label="Stage"]');
                window.shown = new Promise((resolve) => {
                    const told = () => setTimeout(() => resolve(performance.now()));
                    const drawn = () => requestAnimationFrame(told);
                    new MutationObserver((_, watch) => { watch.disconnect(); drawn(); })
                        .observe(stage, { attributes: true, attributeFilter: ["data-result"] });
                });
                addEventListener("keydown", () => { window.begun = performance.now(); },
                    { capture: true, once: true });
            }"""
        )
        field.press("Enter")
        times.append(float(page.evaluate("async () => (await window.shown) - window.begun")))
    return times


def seam(server: Server, page: Page) -> float:
    """Seconds in which all ranges of 600 frames are judged, nothing prepared but the thumbnails."""
    project = page.url.rsplit("/", 1)[1]
    begun = time.monotonic()
    answer = httpx.get(f"{server.base}/api/projects/{project}/seam?least=100", timeout=120)
    spent = time.monotonic() - begun
    best = answer.raise_for_status().json()["best"][0]
    assert best["count"] % 150 == 0, best
    return spent


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch, sync_playwright() as playwright:
        specks(Path(scratch) / "specks")
        turning(Path(scratch) / "turning")
        server = Server(Path(scratch) / "data").start("--no-demo")
        try:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=OPTIONS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            made = page.get_by_role("tab", name="Hand-off")
            bring(page, server, Path(scratch) / "specks", "Speck")
            expect(made).to_contain_text("ready", timeout=300_000)
            page.keyboard.press("Space")
            page.wait_for_timeout(1500)
            hands = strip(page)
            edits = bulk(page)
            bring(page, server, Path(scratch) / "turning", "Turn")
            expect(made).to_contain_text("ready", timeout=300_000)
            closing = seam(server, page)
            browser.close()
        finally:
            server.stop()
    print("| what | measured |")
    print("| --- | ---: |")
    for what, (longest, median, count) in hands.items():
        print(f"| {MANY} frames on the strip, {what}: longest of {count} screen frames, ms | {longest:.0f} |")
        print(f"| median, ms | {median:.0f} |")
    print(f"| a delay for all of them, saved and shown: median of {EDITS}, ms | {np.median(edits):.0f} |")
    print(f"| slowest, ms | {max(edits):.0f} |")
    print(f"| the best seam among {TURN} frames of 960 × 540, s | {closing:.2f} |")


if __name__ == "__main__":
    main()
