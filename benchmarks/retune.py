"""How soon a moved control shows new real bytes, in the browser: film, 48 × 580 × 326, in a running server."""

import statistics
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path

import httpx
from PIL import Image
from playwright.sync_api import Page, sync_playwright
from tests.e2e.conftest import CHROMIUM, OPTIONS, STAGE
from tests.server import Server, until
from tests.service.conftest import bring, finished

from .clips import film

TURNS = 9


def _watch(page: Page) -> None:
    """From the key press that commits a value to the first frames on the stage, and to its result there."""
    page.evaluate(
        """(stage) => {
            const element = document.querySelector(stage);
            addEventListener("keydown", (event) => {
                if (event.key === "Enter") window.pressed = performance.now();
            }, true);
            new MutationObserver(() => requestAnimationFrame(() => { window.shown = performance.now(); }))
                .observe(element, { attributes: true, attributeFilter: ["data-result"] });
            new MutationObserver(() => {
                if (!window.begun && /encoded so far/.test(element.textContent))
                    requestAnimationFrame(() => { window.begun ||= performance.now(); });
            }).observe(element, { childList: true, subtree: true, characterData: true });
        }""",
        STAGE,
    )


def _turn(page: Page, field: str, value: int) -> tuple[float, float]:
    """Milliseconds to the first frames, or to all if none came before, and to all."""
    page.evaluate("window.shown = window.begun = 0")
    box = page.get_by_role("textbox", name=field)
    box.fill(str(value))
    box.press("Enter")
    until(lambda: bool(page.evaluate("window.shown > 0")), 60)
    begun, shown = page.evaluate(
        "[window.begun || window.shown, window.shown].map((at) => at - window.pressed)"
    )
    page.wait_for_timeout(500)
    return begun, shown


@contextmanager
def film_on_bench(count: int = 48, width: int = 580) -> Iterator[tuple[Page, httpx.Client, str]]:
    """A browser in which the film is a project on the bench of a running server, a client of that, its id."""
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder) / "data").start("--no-demo")
        try:
            files = []
            for number, frame in enumerate(film(count, width), 1):
                out = BytesIO()
                Image.fromarray(frame[:, :, :3]).save(out, "PNG", compress_level=1)
                files.append((f"film_{number}.png", out.getvalue()))
            with server.client() as client:
                project = bring(client, files)["projects"][0]["id"]
                finished(client, project)
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=OPTIONS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(f"{server.base}/project/{project}")
                page.wait_for_selector(f"{STAGE} canvas")
                yield page, client, project
                browser.close()
        finally:
            server.stop()


def main() -> None:
    with film_on_bench() as (page, _, _):
        page.keyboard.press("Space")
        _watch(page)
        colours = [_turn(page, "Colours, number", 250 - 7 * turn) for turn in range(TURNS)]
        loss = [_turn(page, "Loss, number", 16 + turn) for turn in range(TURNS)]
        page.keyboard.press("Escape")
        page.get_by_role("tab", name="Rhythm").click()
        rates = [_turn(page, "Frames a second", 10 + turn) for turn in range(TURNS)]
    print("| change | first frames, median ms | all, median ms | slowest ms |")
    print("| --- | ---: | ---: | ---: |")
    for name, turns in (
        ("colours: new bytes and pixels", colours),
        ("loss of about 20: new bytes and pixels", loss),
        ("rate: new delays", rates),
    ):
        begun, shown = zip(*turns, strict=True)
        print(
            f"| {name} | {statistics.median(begun):.0f} | {statistics.median(shown):.0f} | {max(shown):.0f} |"
        )


if __name__ == "__main__":
    main()
