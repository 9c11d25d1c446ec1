"""The table of many projects: asked for, on screen, scrolled; and what is done to all of them at once."""

import tempfile
import time
from pathlib import Path
from typing import Any

import httpx
from playwright.sync_api import Page, expect, sync_playwright
from tests.e2e.conftest import CHROMIUM, OPTIONS
from tests.server import Server, until

from .many import FRAMES, SEQUENCES, SIDE, draw

OUTPUTS = 3
_SCROLLED = """async () => {
  const table = document.querySelector('[role=table]');
  const long = [];
  new PerformanceObserver((list) => long.push(...list.getEntries().map((one) => one.duration)))
    .observe({ entryTypes: ['longtask'] });
  const gaps = [];
  let last = 0;
  await new Promise((done) => {
    const step = (now) => {
      if (last) gaps.push(now - last);
      last = now;
      table.scrollTop += 40;
      if (gaps.length < 250) requestAnimationFrame(step);
      else done();
    };
    requestAnimationFrame(step);
  });
  gaps.sort((a, b) => b - a);
  return { worst: gaps[0], over: gaps.filter((gap) => gap > 50.5).length, tasks: long.length };
}"""
"""Scrolls 40 pixels a screen frame; the longest times between two of them, and the tasks over 50 ms."""


def _fill(client: httpx.Client, folder: Path) -> list[str]:
    """Projects of all sequences with three outputs each; the time this takes is not told."""
    for number in range(SEQUENCES):
        draw(folder / f"{number:03}", number)
    opened = client.post("/api/imports").json()["id"]
    for place in sorted(folder.iterdir()):
        files = [("files", (f"{place.name}/{one.name}", one.read_bytes())) for one in sorted(place.iterdir())]
        client.post(f"/api/imports/{opened}/files", files=files).raise_for_status()
    found = client.get(f"/api/imports/{opened}").json()["sequences"]
    loop = {"format": "gif", "id": "page", "name": "Page loop", "file_name": "loop.gif"}
    recipe = {
        "outputs": [
            loop,
            {
                "format": "gif",
                "id": "thumb",
                "name": "Thumbnail",
                "file_name": "thumb.gif",
                "size": {"width": 64},
            },
            {"format": "webp", "id": "web", "name": "WebP", "file_name": "loop.webp"},
        ]
    }
    choice = {
        "projects": [{"patterns": [one["pattern"]]} for one in found],
        "like": {"recipe": recipe, "settings": ["outputs"]},
    }
    made = client.post(f"/api/imports/{opened}/finish", json=choice).raise_for_status().json()["projects"]
    until(lambda: not any(cell["job"] for row in _table(client) for cell in row["cells"]), seconds=1200)
    return [project["id"] for project in made]


def _table(client: httpx.Client) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = client.post("/api/table", json={}).raise_for_status().json()
    return rows


def _batch(client: httpx.Client, projects: list[str], action: dict[str, Any]) -> float:
    """Seconds until all of it is done; what is encoded for it may take longer."""
    begun = time.perf_counter()
    asked = client.post("/api/batches", json={"projects": projects, "action": action}).raise_for_status()
    number = asked.json()["id"]

    def over() -> bool:
        (batch,) = [one for one in client.get("/api/batches").json() if one["id"] == number]
        assert not batch["failed"]
        return not batch["under_way"]

    until(over, seconds=1200)
    return time.perf_counter() - begun


def _shown(page: Page, base: str) -> float:
    """Seconds until the first rows are there with their pictures."""
    page.goto("about:blank")
    begun = time.perf_counter()
    page.goto(f"{base}/table")
    expect(page.get_by_role("row").nth(8).locator("img")).to_have_count(OUTPUTS)
    return time.perf_counter() - begun


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch, sync_playwright() as playwright:
        server = Server(Path(scratch) / "data", {"JAYFLICK_MOST_FILES": "20000"}).start("--no-demo")
        try:
            with server.client() as client:
                projects = _fill(client, Path(scratch) / "frames")
                asked = []
                for _ in range(5):
                    begun = time.perf_counter()
                    assert len(_table(client)) == SEQUENCES
                    asked.append(time.perf_counter() - begun)
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=OPTIONS)
                page = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
                shown = sorted(_shown(page, server.base) for _ in range(5))
                page.wait_for_timeout(8000)
                scrolled = page.evaluate(_SCROLLED)
                browser.close()
                rhythm = _batch(client, projects, {"kind": "set", "setting": "repeat", "value": 2})
                framed = _batch(client, projects, {"kind": "hand-off", "to": "zip"})
        finally:
            server.stop()
    print(f"The table of {SEQUENCES} projects of {FRAMES} frames of {SIDE} × {SIDE}, {OUTPUTS} outputs each\n")
    print("| What | Figure |")
    print("| --- | --- |")
    print(f"| asked for | {min(asked) * 1000:.0f} ms |")
    print(f"| on screen, with the pictures of the first rows | {shown[len(shown) // 2]:.2f} s |")
    print(f"| scrolled by 2,400 pixels a second: longest screen frame | {scrolled['worst']:.0f} ms |")
    print(f"| …screen frames over 50 ms, of 250 | {scrolled['over']} |")
    print(f"| …tasks of the page over 50 ms | {scrolled['tasks']} |")
    print(f"| one setting in all, which touches no pixel | {rhythm:.1f} s |")
    print(f"| all handed off as one zip | {framed:.1f} s |")


if __name__ == "__main__":
    main()
