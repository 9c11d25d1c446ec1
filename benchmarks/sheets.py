"""Sheets: area and time against rectpack, bytes and time against Pillow, and how soon a change is seen.

Boxes are the trimmed frames of each set. Every algorithm of rectpack is given the width that came out best
here, that of a square, and half as much again; the least area counts. Its time is that of the run that had it,
and that of all that were tried. PNG files are those of even cells, by the default effort, against Pillow's
``optimize=True``.
"""

import importlib.util
import math
import signal
import statistics
import tempfile
import time
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import rectpack
from numpy.typing import NDArray
from PIL import Image
from playwright.sync_api import Page, sync_playwright
from tests.conftest import lit_ball
from tests.e2e.conftest import CHROMIUM, OPTIONS
from tests.server import Server, until
from tests.service.conftest import bring, finished, numbered

from jayflick.core.formats.sheet.even import even
from jayflick.core.formats.sheet.layout import Space
from jayflick.core.formats.sheet.packed import packed
from jayflick.core.formats.sheet.sheet_png import sheet_png
from jayflick.core.framing.art_box import box_of
from jayflick.core.warm import warm
from jayflick.demo.flock import DIRECTIONS, MOTIONS, draw_from_above

Picture = NDArray[np.uint8]
Size = tuple[int, int]
SPACE = Space(widest=8192)
ROUNDS = 5
TURNS = 9
LONGEST = 10
"""Seconds after which a run of rectpack is given up: some of its algorithms take many minutes."""
MANY = 500
"""From so many boxes on rectpack is given one width: it takes long."""


def ball(count: int = 180) -> list[Picture]:
    """A lit ball that moves over a clear canvas of 480 × 270."""
    frames = []
    for index, film in enumerate(lit_ball(count, 480, 270)):
        frame = np.zeros((270, 480, 4), np.uint8)
        y, x = np.mgrid[:270, :480]
        turn = 2 * np.pi * index / count
        inside = np.hypot(x - 240 - 150 * np.cos(turn), y - 135 - 70 * np.sin(2 * turn)) < 40 + 15 * np.sin(
            3 * turn
        )
        frame[inside, :3], frame[inside, 3] = film[inside, :3], 255
        frames.append(frame)
    return frames


def terns() -> list[Picture]:
    return [draw_from_above(d, m, i) for m, n in MOTIONS.items() for d in DIRECTIONS for i in range(n)]


def characters() -> list[Picture]:
    """The walks of six characters in the package arcade (CC0), found without importing it."""
    spec = importlib.util.find_spec("arcade")
    assert spec is not None
    assert spec.origin is not None
    folder = Path(spec.origin).parent / "resources" / "assets" / "images" / "animated_characters"
    return [np.array(Image.open(path).convert("RGBA")) for path in sorted(folder.glob("*/*_walk?.png"))]


def trimmed(frames: list[Picture]) -> list[Size]:
    boxes = [box_of(frame) for frame in frames]
    return [(box.width, box.height) for box in boxes]


def drawn(frames: list[Picture]) -> Picture:
    """The frames in even cells of the squarest sheet."""
    height, width = frames[0].shape[:2]
    layout = even([len(frames)], (width, height), "square", SPACE)
    sheet = np.zeros((layout.sheets[0][1], layout.sheets[0][0], 4), np.uint8)
    for frame, cell in zip(frames, layout.cells, strict=True):
        sheet[cell.y : cell.y + height, cell.x : cell.x + width] = frame
    return sheet


class _TooLongError(Exception):
    pass


def _give_up(number: int, frame: object) -> None:
    raise _TooLongError


def _area(boxes: list[Size], algorithm: Any, width: int) -> float:
    """The area that an algorithm of rectpack takes at a width; infinite where it does not place all."""
    packer = rectpack.newPacker(rotation=False, pack_algo=algorithm)
    for index, (across, down) in enumerate(boxes):
        packer.add_rect(across, down, index)
    packer.add_bin(width, SPACE.widest)
    signal.signal(signal.SIGALRM, _give_up)
    signal.alarm(LONGEST)
    try:
        packer.pack()
    except _TooLongError:
        return math.inf
    finally:
        signal.alarm(0)
    placed = packer.rect_list()
    if len(placed) < len(boxes):
        return math.inf
    right = max(x + w for _, x, _, w, _, _ in placed)
    return float(right * max(y + h for _, _, y, _, h, _ in placed))


def _algorithms() -> list[Any]:
    kinds = ("MaxRects", "Skyline", "Guillotine")
    found = [getattr(rectpack, name) for name in sorted(dir(rectpack)) if name.startswith(kinds)]
    return [one for one in found if isinstance(one, type)]


def packing() -> None:
    rng = np.random.default_rng(1)
    sets: dict[str, list[Size]] = {
        "moving object, 180": trimmed(ball()),
        "terns, 144": trimmed(terns()),
        "characters, 48": trimmed(characters()),
        "random, 1000": [(int(w), int(h)) for w, h in rng.integers(8, 65, (1000, 2))],
        "64 × 64, 2000": [(64, 64)] * 2000,
    }
    print("| boxes | ours px | unused | rectpack px | its best | area | ours s | its s | time | all s | time |")
    print("| --- | ---: | ---: | ---: | --- | ---: | ---: | ---: | ---: | ---: | ---: |")
    for name, boxes in sets.items():
        spent = []
        for _ in range(ROUNDS):
            begun = time.perf_counter()
            layout = packed(boxes, SPACE)
            spent.append(time.perf_counter() - begun)
        ours = math.prod(layout.sheets[0])
        root = math.ceil(math.sqrt(sum(w * h for w, h in boxes)))
        widest = max(w for w, _ in boxes)
        widths = [layout.sheets[0][0], max(root, widest), max(root * 3 // 2, widest)]
        best, its, who, every = math.inf, math.inf, "", 0.0
        for algorithm in _algorithms():
            for width in widths[: 1 if len(boxes) > MANY else 3]:
                begun = time.perf_counter()
                area = _area(boxes, algorithm, width)
                seconds = time.perf_counter() - begun
                every += seconds
                if (area, seconds) < (best, its):
                    best, its, who = area, seconds, algorithm.__name__
        own = statistics.median(spent)
        print(
            f"| {name} | {ours} | {100 * layout.unused(boxes):.1f} % | {best:.0f} | {who} | {ours / best:.3f} "
            f"| {own:.3f} | {its:.3f} | 1/{its / own:.1f} | {every:.2f} | 1/{every / own:.0f} |",
            flush=True,
        )


def files() -> None:
    print("\n| sheet | ours KB | Pillow KB | bytes | ours s | Pillow s | time |")
    print("| --- | ---: | ---: | ---: | ---: | ---: | ---: |")
    small = [np.array(Image.fromarray(one).resize((202, 113), Image.Resampling.BOX)) for one in ball()]
    for name, frames in {"moving object": small, "terns": terns(), "characters": characters()}.items():
        sheet = drawn(frames)

        def pillow(picture: Picture = sheet) -> bytes:
            out = BytesIO()
            Image.fromarray(picture).save(out, "PNG", optimize=True)
            return out.getvalue()

        def ours(picture: Picture = sheet) -> bytes:
            return sheet_png(picture)

        spent: dict[Callable[[], bytes], list[float]] = {ours: [], pillow: []}
        sizes = {}
        for _ in range(ROUNDS):
            for coder, seconds in spent.items():
                begun = time.perf_counter()
                sizes[coder] = len(coder())
                seconds.append(time.perf_counter() - begun)
        a, b = statistics.median(spent[ours]), statistics.median(spent[pillow])
        kilobytes = [round(sizes[coder] / 1024) for coder in (ours, pillow)]
        print(
            f"| {name} {sheet.shape[1]} × {sheet.shape[0]} | {kilobytes[0]} | {kilobytes[1]} "
            f"| {sizes[ours] / sizes[pillow]:.3f} | {a:.2f} | {b:.2f} | {a / b:.2f} |"
        )


def _turn(page: Page, field: str, value: int) -> tuple[float, float]:
    """From the key that commits a value until the layout is drawn, and until the real file is on show."""
    page.evaluate("window.drawn = window.shown = 0")
    box = page.get_by_role("textbox", name=field, exact=True)
    box.fill(str(value))
    box.press("Enter")
    until(lambda: bool(page.evaluate("window.drawn > 0 && window.shown > 0")), 60)
    first: float = page.evaluate("window.drawn - window.pressed")
    whole: float = page.evaluate("window.shown - window.pressed")
    page.wait_for_timeout(500)
    return first, whole


def screen() -> None:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder) / "data").start("--no-demo")
        try:
            with server.client() as client:
                project = bring(client, numbered(ball()))["projects"][0]["id"]
                finished(client, project)
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=OPTIONS)
            page = browser.new_context(
                viewport={"width": 1280, "height": 800}, reduced_motion="reduce"
            ).new_page()
            page.goto(f"{server.base}/project/{project}")
            page.get_by_role("button", name="Add an output").click()
            page.get_by_role("dialog", name="Add an output").get_by_text("Sheet", exact=True).click()
            page.get_by_role("tab", name="Tuning").click()
            page.get_by_role("button", name="Scale to 0.421 (202 × 113)").click()
            shown = page.get_by_role("region", name="Sheet", exact=True)
            until(lambda: "PNG" in shown.inner_text(), 60)
            page.get_by_label("Longest side").select_option("4096")
            page.evaluate(
                """() => {
                    addEventListener("keydown", (event) => {
                        if (event.key === "Enter") window.pressed = performance.now();
                    }, true);
                    const sheet = document.querySelector('section[aria-label="Sheet"]');
                    const seen = (name) => requestAnimationFrame(() => { window[name] ||= performance.now(); });
                    new MutationObserver((changes) => changes.forEach(({ attributeName, oldValue, target }) => {
                        if (target.getAttribute(attributeName) !== oldValue)
                            seen(attributeName === "data-painted" ? "drawn" : "shown");
                    })).observe(sheet, {
                        attributes: true, attributeOldValue: true, subtree: true,
                        attributeFilter: ["data-painted", "data-result"],
                    });
                }"""
            )
            print("\n| 180 frames in the browser | layout median ms | slowest | file median ms | slowest |")
            print("| --- | ---: | ---: | ---: | ---: |")
            for layout in ("even cells", "packed"):
                page.get_by_role("radio", name=layout, exact=True).click()
                page.wait_for_timeout(3000)
                turns = [_turn(page, "Spacing", 1 + turn) for turn in range(TURNS)]
                first, whole = [one for one, _ in turns], [one for _, one in turns]
                print(
                    f"| spacing, {layout} | {statistics.median(first):.0f} | {max(first):.0f} "
                    f"| {statistics.median(whole):.0f} | {max(whole):.0f} |",
                    flush=True,
                )
            browser.close()
        finally:
            server.stop()


def main() -> None:
    warm()
    packing()
    files()
    screen()


if __name__ == "__main__":
    main()
