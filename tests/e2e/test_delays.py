"""What the browser makes of very short delays, which the floors of the formats are set by."""

import base64
import time
from io import BytesIO

import pytest
from PIL import Image
from playwright.sync_api import Page

from jayflick.core.timing.conform import GIF_FLOOR
from jayflick.core.timing.held import BROWSER_FLOOR
from tests.e2e.conftest import Desk

FRAMES = 25
SLOW = 0.1
"""Seconds that a frame below the floor is shown for."""


def played_once(kind: str, delay: int) -> str:
    """An animated picture of black frames and a white one at the end, where it rests, as an address."""
    frames = [Image.new("RGB", (8, 8), (index, 0, 0)) for index in range(FRAMES - 1)]
    frames.append(Image.new("RGB", (8, 8), (255, 255, 255)))
    out = BytesIO()
    options = {} if kind == "GIF" else {"loop": 1}
    frames[0].save(out, kind, save_all=True, append_images=frames[1:], duration=delay, lossless=True, **options)
    return f"data:image/{kind.lower()};base64,{base64.b64encode(out.getvalue()).decode()}"


@pytest.mark.parametrize(
    ("kind", "floor", "below"),
    [("GIF", GIF_FLOOR * 10, 10), ("PNG", BROWSER_FLOOR, 10), ("WEBP", BROWSER_FLOOR, 10)],
)
def test_shorter_than_the_floor_is_played_ten_times_as_long(
    desk: Desk, kind: str, floor: int, below: int
) -> None:
    """In Chromium: at the floor all frames are over in half a second, below it a quarter of them is."""
    desk.page.goto("about:blank")
    assert is_over(desk.page, played_once(kind, floor), floor)
    assert not is_over(desk.page, played_once(kind, below), floor)


def is_over(page: Page, address: str, delay: int) -> bool:
    """Whether a picture rests on its last frame once its frames had time for ``delay`` (ms) each."""
    for _ in range(20):
        begun = time.monotonic()
        page.evaluate(
            """async (address) => {
                document.body.innerHTML = "<img id='it' style='position: fixed; inset: 0; width: 80px'>";
                const image = document.getElementById("it");
                image.src = address;
                await image.decode();
            }""",
            address,
        )
        page.wait_for_timeout(FRAMES * delay + 400)
        shown = Image.open(BytesIO(page.screenshot(clip={"x": 20, "y": 20, "width": 9, "height": 9})))
        if time.monotonic() - begun < FRAMES * SLOW * 0.8:
            return bool(shown.convert("L").getpixel((4, 4)) == 255)
    pytest.fail("too busy to tell")  # by then it may be over either way
