"""Frames opened where they lie, against Pillow decoding them; a frame rendered again; 3,000 files watched."""

import os
import shutil
import tempfile
import time
from io import BytesIO
from pathlib import Path

from PIL import Image
from playwright.sync_api import Page, expect, sync_playwright
from tests.e2e.conftest import CHROMIUM, OPTIONS
from tests.server import Server, until

from jayflick.demo import DEMO

from .gather import FRAMES, MANY, _pillow, draw, specks

WATCHED = 3000
RESTING = 20
"""Seconds over which the processor time of a server at rest is taken."""


def _open(page: Page, server: Server, folder: str, name: str) -> float:
    """Seconds from the click that opens a folder until its project is there."""
    page.goto(server.base)
    page.get_by_role("button", name="Open a folder here").click()
    page.get_by_role("option").filter(has_text=folder).click()
    page.evaluate("() => addEventListener('click', () => { window.begun ??= performance.now(); }, true)")
    page.evaluate("window.begun = undefined")
    page.get_by_role("button", name=f"Open {folder}").click()
    expect(page.get_by_role("textbox", name="Project name")).to_have_value(name, timeout=600_000)
    done: float = page.evaluate("performance.now() - window.begun")
    return done / 1000


def _cleared(page: Page, server: Server) -> None:
    """Nothing more is made of what was opened."""
    page.goto("about:blank")
    with server.client() as client:
        for project in client.get("/api/projects").json():
            client.delete(f"/api/projects/{project['id']}").raise_for_status()


def _again(page: Page, folder: Path) -> list[float]:
    """Seconds from the last byte of a frame that is written again until the new loop is on the stage."""
    stage = page.locator('section[aria-label="Stage"]')
    page.get_by_role("tab", name="Gather").click()
    page.get_by_role("checkbox", name="Follow").check()
    expect(page.get_by_role("tab", name="Hand-off")).to_contain_text("ready", timeout=60_000)
    files = sorted(folder.iterdir())
    taken = []
    for number in range(5):
        before = stage.get_attribute("data-result")
        picture = files[number + 6].read_bytes()
        part = folder / ".part"
        part.write_bytes(picture)
        part.rename(files[number])
        begun = time.monotonic()

        def is_new(before: str | None = before) -> bool:
            return stage.get_attribute("data-result") not in (None, "", before)

        until(is_new)
        taken.append(time.monotonic() - begun)
        page.wait_for_timeout(1500)
    return taken


def _cpu(server: Server) -> float:
    """The processor seconds that a server and all it started have used."""
    ticks = 0
    for pid in [server.pid, *server.children("")]:
        try:
            fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        except OSError:
            continue
        ticks += int(fields[11]) + int(fields[12])
    return ticks / os.sysconf("SC_CLK_TCK")


def _watched(server: Server, root: Path) -> tuple[float, float, float]:
    """Seconds that opening 3,000 files takes, the share of a core that watching them takes at rest, and the
    seconds until all of them are in that were written again."""
    folder = root / "many"
    folder.mkdir()
    for number in range(WATCHED):
        shutil.copy(root / "specks" / f"speck_{number % MANY + 1}.png", folder / f"many_{number + 1}.png")
    with server.client() as client:

        def resting() -> float:
            until(lambda: not any(one["results"] == [] for one in client.get("/api/projects").json()), 600)
            time.sleep(5)
            before = _cpu(server)
            time.sleep(RESTING)
            return (_cpu(server) - before) / RESTING

        idle = resting()
        begun = time.monotonic()
        import_id = client.post("/api/imports").json()["id"]
        body = {"root": root.name, "folders": ["many"]}
        client.post(f"/api/imports/{import_id}/folder", json=body, timeout=600).raise_for_status()
        done = client.post(f"/api/imports/{import_id}/finish", timeout=600).raise_for_status().json()
        opened = time.monotonic() - begun
        project = f"/api/projects/{done['projects'][0]['id']}"
        client.put(f"{project}/folder", json={"follows": True}).raise_for_status()
        watched = resting() - idle
        staged = root / ".again"
        staged.mkdir()
        for number in range(WATCHED):
            again = staged / f"{number}"
            shutil.copy(root / "specks" / f"speck_{(number + 7) % MANY + 1}.png", again)
        for number in range(WATCHED):
            (staged / f"{number}").rename(folder / f"many_{number + 1}.png")
        begun = time.monotonic()

        def is_in() -> bool:
            where = client.get(f"{project}/folder").json()
            return not (where["newer"] or where["added"] or where["busy"])

        until(is_in, 600)
        return opened, watched, time.monotonic() - begun


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch, sync_playwright() as playwright:
        root = Path(scratch) / "renders"
        root.mkdir()
        draw(root / "discs")
        specks(root / "specks")
        lamp = root / "lamp"
        lamp.mkdir()
        ((_, files),) = [(one.title, one.files) for one in DEMO if one.folder == "dusk_lamp"]
        for number, (_, make) in enumerate(files[:24], 1):
            picture = Image.open(BytesIO(make())).resize((580, 326), Image.Resampling.BOX)
            picture.save(lamp / f"lamp_{number:02}.png")
        theirs = _pillow(sorted((root / "discs").iterdir()))  # while nothing else runs
        server = Server(Path(scratch) / "data").start("--no-demo", "--frames", str(root))
        try:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=OPTIONS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            many = _open(page, server, "specks", "Specks")
            _cleared(page, server)
            _open(page, server, "lamp", "Lamp")
            again = sorted(_again(page, lamp))
            _cleared(page, server)
            ours = _open(page, server, "discs", "Discs")
            _cleared(page, server)
            opened, watched, rewritten = _watched(server, root)
            browser.close()
        finally:
            server.stop()
    print("| what | measured |")
    print("| --- | ---: |")
    print(f"| Pillow decoding {FRAMES} PNG of 1920 × 1080 in two processes, s | {theirs:.1f} |")
    print(f"| opening them in place, from the click to the project on screen, s | {ours:.1f} |")
    print(f"| ratio | {ours / theirs:.2f} |")
    print(f"| {MANY} small frames in place, s | {many:.1f} |")
    print(f"| a frame of 24 written again: from its last byte to the new loop, median, s | {again[2]:.2f} |")
    print(f"| longest of {len(again)}, s | {again[-1]:.2f} |")
    print(f"| opening {WATCHED} small files by the API, s | {opened:.1f} |")
    print(f"| a core that watching them takes at rest, % | {100 * watched:.1f} |")
    print(f"| all of them written again, until they are in, s | {rewritten:.1f} |")


if __name__ == "__main__":
    main()
