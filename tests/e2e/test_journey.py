"""A newcomer's way: drop frames, set rate, size, colours and dither, watch the bytes, take the GIF away."""

from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageSequence
from playwright.sync_api import expect

from tests.conftest import moving_square, save_frames
from tests.e2e.conftest import STAGE, Desk, drop


def gradient_frames(count: int = 12, width: int = 160, height: int = 100) -> list[np.ndarray]:
    """Frames told apart by a bar whose place is their number, over a gradient that needs many colours."""
    y, x = np.mgrid[0:height, 0:width]
    frames = []
    for index in range(count):
        frame = np.full((height, width, 4), 255, np.uint8)
        frame[:, :, 0] = x * 255 // width
        frame[:, :, 1] = y * 255 // height
        frame[:, :, 2] = (x + y + 9 * index) % 256
        frame[:, index * 12 : index * 12 + 8, :3] = (255, 255, 0)
        frames.append(frame)
    return frames


def bar_of(picture: np.ndarray) -> int:
    """Which frame a picture shows, by the place of its yellow bar."""
    rgb = picture[:, :, :3].astype(int)
    yellow = (rgb[:, :, 0] > 200) & (rgb[:, :, 1] > 200) & (rgb[:, :, 2] < 60)
    return round(float(np.argmax(yellow.mean(axis=0)) * 160 / picture.shape[1]) / 12)


def test_from_a_dropped_folder_to_a_downloaded_gif(desk: Desk, tmp_path: Path) -> None:
    save_frames(tmp_path / "buoy", gradient_frames(), "buoy_{}.png")
    page = desk.page
    desk.goto()
    drop(page, [tmp_path / "buoy"])
    expect(page.get_by_role("textbox", name="Project name")).to_have_value("Buoy")
    desk.settled()
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("12 frames")
    expect(page.get_by_role("tab", name="Gather")).to_contain_text("all there")

    before = desk.kilobytes()
    page.get_by_role("textbox", name="Colours, number").fill("16")
    page.keyboard.press("Enter")
    desk.settled()
    fewer = desk.kilobytes()
    assert fewer < before
    dither = page.get_by_label("Dither", exact=True)
    expect(dither).to_have_value("auto")
    dither.select_option("ordered")
    desk.settled()
    assert desk.kilobytes() != fewer

    page.get_by_role("tab", name="Framing").click()
    page.get_by_role("textbox", name="Width").fill("80")
    page.keyboard.press("Enter")
    page.get_by_role("tab", name="Rhythm").click()
    page.get_by_role("button", name="30 fps").click()
    desk.settled()
    expect(page.get_by_role("tab", name="Framing")).to_contain_text("80 × 50")
    expect(page.get_by_role("tab", name="Rhythm")).to_contain_text("0.40 s at 30 fps")
    assert desk.kilobytes() < fewer

    page.get_by_role("tab", name="Hand-off").click()
    page.get_by_role("textbox", name="File name").fill("buoy small")
    page.keyboard.press("Enter")
    desk.settled()
    with page.expect_download() as started:
        page.get_by_role("link", name="Download buoy small.gif").click()
    assert started.value.suggested_filename == "buoy small.gif"
    data = Path(started.value.path()).read_bytes()
    # Pillow as the independent decoder.
    with Image.open(BytesIO(data)) as picture:
        shown = [np.array(frame.convert("RGBA")) for frame in ImageSequence.Iterator(picture)]
        delays = [frame.info["duration"] for frame in ImageSequence.Iterator(picture)]
        assert picture.info["loop"] == 0
    assert len(shown) == 12
    assert shown[0].shape == (50, 80, 4)
    assert sum(delays) == 400
    assert set(delays) == {30, 40}
    assert [bar_of(frame) for frame in shown] == list(range(12))  # by number: 10 comes after 9
    for frame, wanted in zip(shown, gradient_frames(), strict=True):
        small = np.array(Image.fromarray(wanted).resize((80, 50), Image.Resampling.LANCZOS))
        assert np.abs(frame.astype(int) - small).mean() < 22  # sixteen colours of a wide gradient
    assert len({tuple(colour) for frame in shown for colour in frame[:, :, :3].reshape(-1, 3)}) <= 16


def test_a_folder_by_the_button_with_bad_files_among_the_good(desk: Desk, tmp_path: Path) -> None:
    paths = save_frames(tmp_path / "in", moving_square(9), "skiff_{}.png")
    paths[3].unlink()
    paths[5].write_bytes(paths[5].read_bytes()[:90])
    (tmp_path / "in" / "notes.txt").write_text("not a frame")
    page = desk.page
    desk.goto()
    page.get_by_label("Folder of frames").set_input_files(tmp_path / "in")
    expect(page.get_by_role("textbox", name="Project name")).to_have_value("Skiff")
    desk.settled()
    gather = page.get_by_role("tab", name="Gather")
    expect(gather).to_contain_text("1 unreadable, 2 missing")
    expect(gather).to_contain_text("check")
    gather.click()
    controls = page.get_by_role("region", name="Gather controls")
    expect(controls).to_contain_text("skiff_6.png: the file ends early, after 90 bytes")
    expect(controls).to_contain_text("Numbers missing: 4, 6")
    page.get_by_role("link", name="Shelf").click()
    expect(page.get_by_role("region", name="Bring frames in")).to_contain_text("2 refused")
    expect(page.get_by_role("region", name="Bring frames in")).to_contain_text(
        "notes.txt: not a supported picture format"
    )


def test_what_cannot_be_brought_in_says_why_and_leaves_the_shelf_alone(desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "letter.txt").write_text("hello")
    page = desk.page
    desk.forgiven.append("422")
    desk.goto()
    cards = page.get_by_role("region", name="Projects").get_by_role("listitem")
    expect(cards.first).to_be_visible()
    before = cards.count()
    page.get_by_label("Frames", exact=True).set_input_files(tmp_path / "letter.txt")
    expect(page.get_by_role("alert")).to_contain_text(
        "No usable frames: letter.txt: not a supported picture format"
    )
    assert cards.count() == before


@pytest.mark.parametrize("decoder", ["browser", "service"])
def test_the_stage_shows_the_files_own_pixels(desk: Desk, decoder: str) -> None:
    """Decoded by the browser's ImageDecoder and, where that is lacking, by our reader; judged by Pillow."""
    if decoder == "service":
        desk.page.add_init_script("delete window.ImageDecoder")
    desk.open("Tern in flight")
    page = desk.page
    page.keyboard.press("Home")
    expect(page.locator(STAGE)).to_have_attribute("data-decoder", decoder)
    data = desk.get(f"/api/results/{desk.newest_result()}/file").content
    with Image.open(BytesIO(data)) as picture:
        wanted = [np.array(frame.convert("RGBA")) for frame in ImageSequence.Iterator(picture)]
    for index in (0, 1, 7, 23):
        while page.locator(f"{STAGE} canvas").get_attribute("data-index") != str(index):
            page.keyboard.press("ArrowRight")
            page.wait_for_timeout(60)
        seen = desk.pixels()
        np.testing.assert_array_equal(seen[:, :, 3], wanted[index][:, :, 3])
        there = seen[:, :, 3] > 0
        np.testing.assert_array_equal(seen[there], wanted[index][there])


def test_chromium_decodes_the_exact_delays_repeat_and_pixels(desk: Desk) -> None:
    """WebCodecs' ImageDecoder as an independent decoder of our files."""
    desk.open("Tern in flight")
    page = desk.page
    result = desk.newest_result()
    decoded = page.evaluate(
        """async (address) => {
            const data = await (await fetch(address)).arrayBuffer();
            const images = new ImageDecoder({ data, type: "image/gif" });
            await images.completed; await images.tracks.ready;
            const track = images.tracks.selectedTrack;
            const durations = [];
            for (let frameIndex = 0; frameIndex < track.frameCount; frameIndex += 1) {
                const { image } = await images.decode({ frameIndex });
                durations.push(image.duration / 1000);
                image.close();
            }
            return { durations, repeat: track.repetitionCount };
        }""",
        f"/api/results/{result}/file",
    )
    project = desk.get(f"/api/projects/{page.url.rsplit('/', 1)[1]}").json()
    assert decoded["durations"] == project["results"][0]["delays"]
    assert sum(decoded["durations"]) == 1000
    assert decoded["repeat"] in (None, float("inf"))
