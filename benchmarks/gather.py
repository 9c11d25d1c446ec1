"""How long frames take to come in, against Pillow decoding them; and scrolling through 2,000 of them."""

import multiprocessing
import tempfile
import threading
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect, sync_playwright
from tests.e2e.conftest import CHROMIUM, OPTIONS
from tests.server import Server

from jayflick.core.sequence.files import look_at
from jayflick.core.sequence.gather import gather
from jayflick.core.warm import warm

FRAMES = 300
MANY = 2000


def draw(folder: Path) -> None:
    """300 PNG files of 1920 × 1080: a gradient with grain and a soft disc that wanders over it."""
    folder.mkdir()
    random = np.random.default_rng(1)
    y, x = np.mgrid[0:1080, 0:1920].astype(np.float32)
    grain = random.normal(0, 1.5, (1080, 1920, 1)).astype(np.float32)
    ground = np.dstack([x / 1920 * 200, y / 1080 * 180, 90 + 60 * np.sin(x / 300)]) + grain
    for index in range(FRAMES):
        turn = 2 * np.pi * index / FRAMES
        distance = np.hypot(x - 960 - 600 * np.cos(turn), y - 540 - 300 * np.sin(turn))
        cover = np.clip((240 - distance) / 60, 0, 1)[:, :, None]
        frame = ground * (1 - cover) + np.array([250, 210, 120], np.float32) * cover
        Image.fromarray(np.clip(frame, 0, 255).astype(np.uint8)).save(
            folder / f"disc_{index + 1}.png", compress_level=1
        )


def specks(folder: Path) -> None:
    """2,000 small frames, no two alike."""
    folder.mkdir()
    for index in range(MANY):
        picture = np.full((36, 64, 3), 200, np.uint8)
        left = index * 56 // MANY
        picture[8:28, left : left + 8] = (200, 60, 40)
        picture[0, :4] = (index % 256, index // 256, 99)
        Image.fromarray(picture).save(folder / f"speck_{index + 1}.png")


def _decode(path: Path) -> int:
    with Image.open(path) as picture:
        picture.load()
        return picture.width


def _pillow(paths: list[Path]) -> float:
    with ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("spawn")) as pool:
        list(pool.map(_decode, paths[:2]))  # bring the processes up
        begun = time.monotonic()
        list(pool.map(_decode, paths, chunksize=4))
        return time.monotonic() - begun


def _gather(paths: list[Path], scratch: Path) -> float:
    """Seconds in which the core looks at all files and sorts them, as the command line does."""
    warm()
    look_at(paths[:2], scratch)
    begun = time.monotonic()
    found, _ = look_at(paths, scratch)
    (sequence,), _ = gather(found)
    assert len(sequence.files) == FRAMES
    return time.monotonic() - begun


class _Peak:
    """The most resident memory that one process of a server has had, in MiB."""

    def __init__(self, server: Server) -> None:
        self._server = server
        self.most = 0
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True)
        self._thread.start()

    def _watch(self) -> None:
        while not self._stop.wait(0.25):
            for pid in [self._server.pid, *self._server.children("")]:
                try:
                    text = Path(f"/proc/{pid}/status").read_text()
                except OSError:
                    continue
                peak = next((line for line in text.splitlines() if line.startswith("VmHWM")), "VmHWM 0")
                self.most = max(self.most, int(peak.split()[1]) // 1024)

    def stop(self) -> int:
        self._stop.set()
        self._thread.join()
        return self.most


def bring(page: Page, server: Server, folder: Path, name: str) -> tuple[float, float]:
    """Seconds until the first thumbnail is on screen, and until the project is there."""
    page.goto(server.base)
    expect(page.get_by_text("Up to 3000 frames")).to_be_visible()
    page.evaluate(
        """() => {
            addEventListener("change", () => { window.begun = performance.now(); }, true);
            new MutationObserver(() => {
                const seen = document.querySelector('[aria-label="Bring frames in"] img');
                if (seen?.complete && seen.naturalWidth) window.first ??= performance.now();
            }).observe(document.body, { childList: true, subtree: true, attributes: true });
            document.addEventListener("load", (event) => {
                const inside = event.target.closest?.('[aria-label="Bring frames in"]');
                if (inside) window.first ??= performance.now();
            }, true);
        }"""
    )
    page.get_by_label("Folder of frames").set_input_files(folder)
    field = page.get_by_role("textbox", name="Project name")
    expect(field).to_have_value(name, timeout=600_000)
    done: float = page.evaluate("performance.now() - window.begun")
    first: float = page.evaluate("window.first - window.begun")
    return first / 1000, done / 1000


def _scroll(page: Page) -> tuple[float, float, int]:
    """The longest and the median time between frames of the screen while the contact view scrolls, in ms."""
    page.keyboard.press("c")
    expect(page.get_by_role("region", name="Contact view")).to_be_visible()
    page.wait_for_timeout(1500)
    spent: list[float] = page.evaluate(
        """async () => {
            const box = document.querySelector('[role="listbox"][aria-label="Frames"]');
            const times = [];
            let before = performance.now();
            const frame = () => new Promise((resolve) => requestAnimationFrame(resolve));
            while (box.scrollTop + box.clientHeight < box.scrollHeight - 1) {
                box.scrollTop += 60;
                await frame();
                const now = performance.now();
                times.push(now - before);
                before = now;
            }
            return times;
        }"""
    )
    return max(spent), float(np.median(spent)), len(spent)


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch, sync_playwright() as playwright:
        draw(Path(scratch) / "discs")
        specks(Path(scratch) / "specks")
        discs = sorted((Path(scratch) / "discs").iterdir())
        theirs = _pillow(discs)  # while nothing else runs
        gathered = _gather(discs, Path(scratch))
        server = Server(Path(scratch) / "data").start("--no-demo")
        try:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=OPTIONS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            _, many = bring(page, server, Path(scratch) / "specks", "Speck")
            made = page.get_by_role("tab", name="Hand-off")
            expect(made).to_contain_text("ready", timeout=300_000)
            longest, median, count = _scroll(page)
            peak = _Peak(server)
            first, ours = bring(page, server, Path(scratch) / "discs", "Disc")
            memory = peak.stop()
            browser.close()
        finally:
            server.stop()
    print("| what | measured |")
    print("| --- | ---: |")
    print(f"| Pillow decoding {FRAMES} PNG of 1920 × 1080 in two processes, s | {theirs:.1f} |")
    print(f"| the core gathering them, with thumbnails, s | {gathered:.1f} |")
    print(f"| ratio | {gathered / theirs:.2f} |")
    print(f"| the browser bringing them in, to the project on screen, s | {ours:.1f} |")
    print(f"| ratio | {ours / theirs:.2f} |")
    print(f"| first thumbnail on screen, s | {first:.2f} |")
    print(f"| most memory of one process, MiB | {memory} |")
    print(f"| {MANY} small frames from a folder to a project, s | {many:.1f} |")
    print(f"| scrolling through them: longest of {count} screen frames, ms | {longest:.0f} |")
    print(f"| median, ms | {median:.0f} |")


if __name__ == "__main__":
    main()
