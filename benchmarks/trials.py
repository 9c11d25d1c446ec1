"""Trials and likeness in the browser: the plot with 200 of them, two that begin to play, and measuring."""

import re
import statistics
import time

import httpx
from playwright.sync_api import Page
from tests.server import until
from tests.service.conftest import colours, current, edit, finished

from .retune import film_on_bench

MANY = 200
TURNS = 12


def main() -> None:
    """Print a row a measurement."""
    print("| what | median ms | slowest ms |")
    print("| --- | ---: | ---: |")
    plot()
    likeness()
    pair()


def plot() -> None:
    """What the screen does while a pointer crosses all the dots."""
    with film_on_bench(24, 300) as (page, client, project):
        for count in range(2, 2 + MANY):
            _made(client, project, count)
        _measured(client, project)
        page.reload()
        page.get_by_role("tab", name="Tuning").click()
        page.keyboard.press("v")
        dots = page.get_by_role("list", name="Trials").get_by_role("button")
        until(lambda: dots.count() >= 0.95 * MANY, 60)
        page.wait_for_timeout(1000)
        _told("a screen frame while a pointer crosses the plot of 200", _crossing(page))


def likeness() -> None:
    """How soon a new file is measured: by itself, and while a browser draws it on the same two cores."""
    with film_on_bench() as (page, client, project):
        for beside in ("while a browser plays it", "by itself"):
            begun = []
            for turn in range(TURNS):
                _made(client, project, 20 + turn + (100 if beside == "by itself" else 0))
                begun.append(_likeness(client, project))
            _told(f"likeness of 48 × 580 × 326, asked for and answered, {beside}", begun)
            page.goto("about:blank")


def pair() -> None:
    """How soon two trials play."""
    with film_on_bench() as (page, client, project):
        for count in range(20, 20 + TURNS):
            _made(client, project, count)
        _measured(client, project)
        page.reload()
        page.get_by_role("tab", name="Tuning").click()
        _told("two trials of it, from V to both on the stage", [_opened(page) for _ in range(TURNS)])
        page.keyboard.press("v")
        _told("another beside it, from the click", [_chosen(page, number) for number in range(2, TURNS)])


def _told(what: str, times: list[float]) -> None:
    print(f"| {what} | {statistics.median(times):.0f} | {max(times):.0f} |", flush=True)


def _made(client: httpx.Client, project: str, count: int) -> None:
    edit(client, project, colours(count)).raise_for_status()
    finished(client, project)


def _likeness(client: httpx.Client, project: str) -> float:
    result = current(client, project)
    assert result is not None
    begun = time.perf_counter()
    client.get(f"/api/results/{result['id']}/likeness").raise_for_status()
    return 1000 * (time.perf_counter() - begun)


def _measured(client: httpx.Client, project: str) -> None:
    """Every trial of it has its likeness."""
    found = client.get(f"/api/projects/{project}/trials?output=page").raise_for_status().json()["trials"]
    for trial in found:
        if trial["error"] is None:
            client.get(f"/api/trials/{trial['id']}/likeness").raise_for_status()


def _crossing(page: Page) -> list[float]:
    """Milliseconds between the screen's frames while a pointer goes to and fro over the dots."""
    box = page.get_by_role("list", name="Trials").bounding_box()
    assert box is not None
    page.evaluate(
        """() => {
            window.frames_seen = [];
            let last = performance.now();
            const seen = (now) => { frames_seen.push(now - last); last = now; requestAnimationFrame(seen); };
            requestAnimationFrame(seen);
        }"""
    )
    for turn in range(6):
        for step in range(60):
            share = step / 59 if turn % 2 == 0 else 1 - step / 59
            page.mouse.move(box["x"] + share * box["width"], box["y"] + box["height"] * (0.2 + 0.6 * share))
            page.wait_for_timeout(8)
    return [float(one) for one in page.evaluate("frames_seen.slice(2)")]


def _begin(page: Page, event: str, seen: str) -> None:
    """Count from the next such event until ``seen`` holds on a screen frame."""
    page.evaluate(
        """([event, seen]) => {
            const holds = new Function("return " + seen);
            window.took = 0;
            addEventListener(event, () => {
                const begun = performance.now();
                const look = () => {
                    if (holds()) window.took = performance.now() - begun;
                    else requestAnimationFrame(look);
                };
                look();
            }, { once: true, capture: true });
        }""",
        [event, seen],
    )


def _took(page: Page) -> float:
    until(lambda: bool(page.evaluate("window.took > 0")), 30)
    return float(page.evaluate("window.took"))


def _opened(page: Page) -> float:
    """From the key to the first frames of both."""
    page.wait_for_timeout(300)
    _begin(
        page,
        "keydown",
        """["Left", "Right"].every((side) =>
            document.querySelector(`canvas[aria-label="${side} trial"]`)?.dataset.index !== undefined)""",
    )
    page.keyboard.press("v")
    took = _took(page)
    page.keyboard.press("v")
    return took


def _chosen(page: Page, number: int) -> float:
    """From the click on a trial to its first frame on the right."""
    _begin(
        page,
        "click",
        f"""[...document.querySelectorAll("figure")].at(-1).textContent.startsWith("{number} ·") &&
            document.querySelector('canvas[aria-label="Right trial"]')?.dataset.index !== undefined""",
    )
    page.get_by_role("button", name=re.compile(rf"^Trial {number}: ")).dispatch_event("click")
    return _took(page)


if __name__ == "__main__":
    main()
