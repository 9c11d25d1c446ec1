"""One project, many files: added, tuned, checked against targets, handed off, and read back by others."""

import base64
import re
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any

import av
import httpx
import numpy as np
import pytest
from PIL import Image, ImageSequence
from playwright.sync_api import Page, expect

from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.render import render
from jayflick.core.sequence.files import look_at
from jayflick.core.stages import Stages
from tests.conftest import moving_square, save_frames
from tests.core.test_broadcast import curtain
from tests.core.test_formats import output, recipe
from tests.e2e.conftest import STAGE, Desk
from tests.odd_gifs import NONE, ODD
from tests.service.conftest import edit, project_of


def add(page: Page, name: str) -> None:
    """Add an output from the menu and wait until it is made and on show."""
    page.get_by_role("button", name="Add an output").click()
    page.get_by_role("dialog", name="Add an output").get_by_text(name, exact=True).click()
    stub = page.get_by_role("group", name="Output on show").get_by_role("button", pressed=True)
    expect(stub).to_contain_text(name)
    expect(stub).to_contain_text(re.compile("ready|passes"), timeout=60_000)


def test_from_one_project_to_five_files_that_others_can_read(desk: Desk, tmp_path: Path) -> None:
    page = desk.page
    desk.open("Tern in flight")
    for name in ("Square thumbnail", "WebP", "MP4", "TGA frames"):
        add(page, name)
        # The stage shows the real file, whichever it is.
        expect(page.locator(STAGE)).to_have_attribute("data-result", desk.newest_result())
        assert desk.pixels()[:, :, 3].any()
    expect(page).to_have_url(re.compile("output=tga-frames"))
    page.reload()  # the output on show is in the address
    expect(page.get_by_role("tab", name="Tuning")).to_contain_text("TGA")

    page.keyboard.press("h")
    listed = page.get_by_role("list", name="Outputs to hand off")
    expect(listed.get_by_role("listitem")).to_have_count(5)
    listed.get_by_role("button", name=re.compile("Page loop")).click()
    rules = page.get_by_role("region", name="Rules check")
    rules.get_by_text("Your own limits and targets").click()
    rules.get_by_role("textbox", name="Widest").fill("200")
    page.keyboard.press("Enter")
    expect(rules).to_contain_text("256 pxat most 200 px")
    expect(page.get_by_role("tab", name="Hand-off")).to_contain_text("rule fails")
    rules.get_by_role("button", name="Scale to 200 × 200").click()
    expect(page.get_by_role("tab", name="Hand-off")).to_contain_text("ready", timeout=60_000)
    expect(rules).to_contain_text(re.compile(r"Bytes \d+ KB at most \d+ KB"))
    expect(rules).to_contain_text("width passes")

    with page.expect_download() as started:
        page.get_by_role("link", name="All in one zip").click()
    assert started.value.suggested_filename == "tern-in-flight.zip"
    expect(listed.get_by_text("handed off")).to_have_count(5)
    archive = zipfile.ZipFile(started.value.path())
    framed = list(look_at(demo_frames(tmp_path), tmp_path)[1].values())
    files = {name: archive.read(name) for name in archive.namelist()}
    singles = [name for name in files if "/" not in name]
    assert singles == ["tern.gif", "tern-2.gif", "tern.webp", "tern.mp4"]
    for name, size in (("tern.gif", (200, 200)), ("tern-2.gif", (150, 150)), ("tern.webp", (256, 256))):
        with Image.open(BytesIO(files[name])) as picture:
            assert (picture.size, getattr(picture, "n_frames", 1), picture.info["loop"]) == (size, 24, 0)
            lasts = 0
            for frame in ImageSequence.Iterator(picture):
                frame.load()  # of a WebP only then known
                lasts += frame.info["duration"]
            assert lasts == 1000
    with Image.open(BytesIO(files["tern.webp"])) as picture:
        alpha = np.array(picture.convert("RGBA"))[:, :, 3]
        np.testing.assert_array_equal(alpha, framed[0].read()[:, :, 3])
    with av.open(BytesIO(files["tern.mp4"])) as container:
        assert [stream.type for stream in container.streams] == ["video"]
        assert len(list(container.decode(video=0))) == 24  # type: ignore[union-attr]
    for number, source in enumerate(framed, 1):
        shown = Image.open(BytesIO(files[f"tern/frame_{number:04}.tga"]))
        np.testing.assert_array_equal(np.array(shown), source.read())

    # A change is marked on what was handed off before it.
    page.keyboard.press("r")
    page.get_by_role("button", name="30 fps").click()
    page.keyboard.press("h")
    expect(listed.get_by_text("changed since")).to_have_count(5, timeout=60_000)
    for _ in range(7):  # as it was, for other tests
        page.keyboard.press("Control+z")
    expect(page.get_by_role("region", name="Outputs")).to_contain_text("1 output", timeout=60_000)


def demo_frames(folder: Path) -> list[Path]:
    from jayflick.demo import DEMO

    (terns,) = [project.files for project in DEMO if project.folder == "tern"]
    paths = []
    for name, make in terns:
        paths.append(folder / name)
        paths[-1].write_bytes(make())
    return paths


def test_a_palette_is_taken_from_another_output(desk: Desk) -> None:
    page = desk.page
    desk.open("Tern in flight")
    add(page, "GIF")
    shown = page.get_by_role("img", name=re.compile("colours in use"))
    few = page.get_by_role("slider", name="Colours")
    few.press("Home")
    for _ in range(7):
        few.press("ArrowRight")
    desk.settled()
    expect(shown).to_have_accessible_name("9 colours in use")
    page.get_by_role("group", name="Output on show").get_by_role("button", name="Page loop").click()
    page.get_by_label("Palette", exact=True).select_option("that of GIF")
    desk.settled()
    expect(few).to_have_attribute("aria-valuenow", "9")
    expect(shown).to_have_accessible_name("9 colours in use")
    locked = page.get_by_label("Locked colours").input_value().split(", ")
    colours = shown.locator("span").evaluate_all("(all) => all.map((one) => one.style.background)")
    seen = {"#" + "".join(f"{int(n):02x}" for n in re.findall(r"\d+", one)) for one in colours}
    assert seen == set(locked)
    page.get_by_label("Palette", exact=True).focus()
    page.keyboard.press("Control+z")
    desk.settled()
    expect(page.get_by_label("Locked colours")).to_have_value("")


def test_outputs_are_copied_named_ordered_turned_to_by_key_and_taken_away(desk: Desk) -> None:
    page = desk.page
    desk.open("Pier bell")
    outputs = page.get_by_role("region", name="Outputs")
    outputs.get_by_role("button", name="1 output").click()
    menu = page.get_by_role("dialog", name="All outputs")
    menu.get_by_role("button", name="Duplicate").click()
    name = menu.get_by_role("textbox", name="Output name")
    expect(name).to_have_value("Page loop 2")
    name.fill("Small copy")
    page.keyboard.press("Enter")
    menu.get_by_role("button", name="Move up").click()
    expect(menu.get_by_role("listitem").first).to_contain_text("Small copy")
    page.keyboard.press("Escape")
    chosen = page.get_by_role("group", name="Output on show").get_by_role("button", pressed=True)
    expect(chosen).to_contain_text("Small copy")
    page.keyboard.press("PageDown")
    expect(chosen).to_contain_text("Page loop")
    page.keyboard.press("PageUp")
    expect(chosen).to_contain_text("Small copy")
    page.evaluate(
        """async () => {
            for (const key of ["PageDown", "PageUp"]) {
                document.body.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
                await new Promise((done) => setTimeout(done)); // sooner than it is drawn
            }
            for (let drawn = 0; drawn < 2; drawn += 1) await new Promise(requestAnimationFrame);
        }"""
    )
    expect(chosen).to_contain_text("Small copy")
    page.keyboard.press("t")
    page.get_by_role("textbox", name="Colours, number").fill("8")  # of the copy alone
    page.keyboard.press("Enter")
    expect(page.get_by_role("tab", name="Tuning")).to_contain_text("8 colours")
    page.keyboard.press("h")  # keys are the bench's again
    name = page.get_by_role("textbox", name="File name")
    name.fill("Pier-Bell")  # the other output's, as far as folders tell
    name.press("Enter")
    expect(name).to_have_attribute("aria-invalid", "true")
    name.press("Escape")
    page.keyboard.press("t")
    page.keyboard.press("PageDown")
    expect(page.get_by_role("tab", name="Tuning")).to_contain_text("96 colours")
    page.keyboard.press("PageUp")
    outputs.get_by_role("button", name="2 outputs").click()
    menu.get_by_role("button", name="Remove this output").click()
    expect(menu.get_by_role("listitem")).to_have_count(1)
    expect(menu.get_by_role("button", name="Remove this output")).to_be_disabled()
    expect(page.get_by_role("status", name="Saving")).to_have_text("All changes saved")  # for other tests


@pytest.mark.parametrize("form", ["gif", "apng", "webp", "avif"])
def test_chromium_decodes_our_files_to_the_same_count_times_and_repeat(
    desk: Desk, tmp_path: Path, form: str
) -> None:
    """By its ImageDecoder: frames, durations in µs, and further rounds after the first."""
    frames = list(
        look_at(save_frames(tmp_path / "in", moving_square(6, 47, 33, soft=True)), tmp_path)[1].values()
    )
    rhythm: dict[str, Any] = {"rate": "12.5", "repeat": 0 if form == "avif" else 3, "holds": {2: 705_600_000}}
    made = render(recipe(output(form), **rhythm), frames, "it", Stages(tmp_path / "stages"))
    page = desk.page
    desk.goto()
    found = page.evaluate(
        """async ([text, type]) => {
            const data = Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
            const images = new ImageDecoder({ data, type, preferAnimation: true });
            await Promise.all([images.completed, images.tracks.ready]);
            const { frameCount, repetitionCount } = images.tracks.selectedTrack;
            const times = [];
            for (let frameIndex = 0; frameIndex < frameCount; frameIndex += 1)
                times.push((await images.decode({ frameIndex })).image.duration);
            return [frameCount, repetitionCount === Infinity ? -1 : repetitionCount, times];
        }""",
        [base64.b64encode(made.data).decode(), made.timed.files[0].media_type.replace("apng", "png")],
    )
    assert found == [6, -1 if form == "avif" else 2, [80_000, 1_000_000, *[80_000] * 4]]


def test_odd_gifs_come_in_as_chromium_shows_them(desk: Desk) -> None:
    """By its ImageDecoder: every picture that it decodes whole is the one that comes in."""
    page = desk.page
    desk.goto()
    decode = """async (text) => {
        const data = Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
        const images = new ImageDecoder({ data, type: "image/gif" });
        try { await Promise.all([images.completed, images.tracks.ready]); } catch { return []; }
        const [seen, count] = [[], images.tracks.selectedTrack?.frameCount ?? 0];
        for (let frameIndex = 0; frameIndex < count; frameIndex += 1)
            try {
                const { image } = await images.decode({ frameIndex });
                const canvas = new OffscreenCanvas(image.displayWidth, image.displayHeight);
                const context = canvas.getContext("2d");
                context.drawImage(image, 0, 0);
                const { data } = context.getImageData(0, 0, canvas.width, canvas.height);
                seen.push([canvas.width, canvas.height, Array.from(data)]);
            } catch { seen.push(null); }
        return seen;
    }"""
    for what, (data, count, _) in ODD.items():
        ours = list(read_gif(data, forgiving=True).pictures())
        theirs = page.evaluate(decode, base64.b64encode(data).decode())
        assert len(ours) == count
        assert (
            len([one for one in theirs if one is not None]) <= count <= len(theirs) or what == "cut in a header"
        )
        for mine, one in zip(ours, theirs, strict=False):
            if one is not None:
                assert mine.shape == (one[1], one[0], 4), what
                assert (mine.reshape(-1) == np.array(one[2])).all(), what
    for what, data in NONE.items():
        theirs = page.evaluate(decode, base64.b64encode(data).decode())
        assert not [one for one in theirs if one is not None], what


def test_frames_that_nobody_gave_a_rate_go_one_by_one_where_the_target_has_one(desk: Desk) -> None:
    page = desk.page
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        project = project_of(client, curtain(60))
    desk.goto(f"/project/{project}")
    desk.settled()
    add(page, "Switcher transition")
    rhythm = page.get_by_role("tab", name="Rhythm")
    expect(rhythm).to_contain_text("1.00 s one by one at 60 fps", timeout=60_000)
    page.keyboard.press("r")
    panel = page.get_by_role("region", name="Rhythm controls")
    expect(panel).to_contain_text("One by one: 60 frames, 1.00 s. In the same time: 150 frames, 2.50 s.")
    panel.get_by_role("radio", name="time", exact=True).click()
    expect(rhythm).to_contain_text("2.50 s at 60 fps output")
    page.keyboard.press("Control+z")
    expect(rhythm).to_contain_text("1.00 s one by one at 60 fps", timeout=60_000)
    rate = panel.get_by_role("textbox", name="Output rate")
    rate.fill("50")
    rate.press("Enter")  # another rate, and still one by one
    expect(rhythm).to_contain_text("1.20 s one by one at 50 fps")
    expect(panel.get_by_role("radiogroup", name="Between two frames")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    panel.get_by_role("button", name="59.94 fps").click()  # that is the frames' own rate: it was set by hand
    expect(panel).to_contain_text("One by one: 60 frames, 1.00 s. In the same time: 60 frames, 1.00 s.")


def test_to_check_against_a_target_changes_nothing_and_to_set_up_for_it_is_one_undo(desk: Desk) -> None:
    desk.open("Dusk lamp")
    page = desk.page
    framing = page.get_by_role("tab", name="Framing")
    before = framing.inner_text()
    page.keyboard.press("h")
    rules = page.get_by_role("region", name="Rules check")
    page.get_by_label("Target", exact=True).select_option("square-thumbnail")
    expect(page.get_by_role("tab", name="Hand-off")).to_contain_text("rule fails")
    expect(page.get_by_role("status", name="Saving")).to_have_text("All changes saved")
    assert framing.inner_text() == before
    expect(rules).to_contain_text("150 × 150")
    rules.get_by_role("button", name="Set up for it").click()
    expect(framing).to_contain_text("150 × 150", timeout=60_000)
    expect(rules.get_by_role("button", name="Set up for it")).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(framing).to_have_text(re.compile("580 × 326"))
    page.keyboard.press("Control+z")
    desk.settled()
    assert framing.inner_text() == before


def test_settings_of_another_project_are_taken_in_one_step_and_kept_as_a_file(
    desk: Desk, tmp_path: Path
) -> None:
    desk.open("Dusk lamp")
    page = desk.page
    hand_off = page.get_by_role("tab", name="Hand-off")
    gather = page.get_by_role("tab", name="Gather").inner_text()
    page.get_by_role("button", name="Take settings").click()
    taking = page.get_by_role("dialog", name="Take settings")
    with page.expect_download() as saved:
        taking.get_by_role("button", name="Save recipe").click()
    kept = tmp_path / "lamp.json"
    saved.value.save_as(kept)
    assert taking.get_by_role("button", name="Take all").is_disabled()
    taking.get_by_label("Take from").select_option(label="Tern in flight")
    expect(taking.get_by_role("status", name="What is not taken")).not_to_be_empty()
    taking.get_by_role("checkbox", name="Rhythm").uncheck()
    taking.get_by_role("button", name="Take 2 of 3").click()
    expect(taking).to_have_count(0)
    expect(page.get_by_role("tab", name="Tuning")).to_contain_text("64 colours")
    desk.made()
    expect(hand_off).to_contain_text("tern.gif")
    expect(page.get_by_role("tab", name="Rhythm")).to_contain_text("20 fps")
    assert page.get_by_role("tab", name="Gather").inner_text() == gather
    page.get_by_role("button", name="Take settings").click()
    (tmp_path / "none.json").write_text("no recipe")
    taking.get_by_label("Recipe file").set_input_files(tmp_path / "none.json")
    expect(page.get_by_text("none.json is not a recipe")).to_be_visible()
    desk.forgiven.append("422")  # what is no recipe is refused
    (tmp_path / "other.json").write_text('{"outputs": 3}')
    taking.get_by_label("Recipe file").set_input_files(tmp_path / "other.json")
    expect(taking.get_by_role("status", name="What is not taken")).to_contain_text("outputs")
    assert taking.get_by_role("button", name="Take all").is_disabled()
    taking.get_by_label("Recipe file").set_input_files(kept)
    expect(taking.get_by_role("status", name="What is not taken")).to_have_text(
        "Everything chosen can be taken."
    )
    page.keyboard.press("Escape")
    expect(taking).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(page.get_by_role("tab", name="Tuning")).to_contain_text("128 colours")
    desk.settled()


def test_a_transition_shows_how_much_it_covers_and_where_to_cut(desk: Desk) -> None:
    page = desk.page
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        project = project_of(client, curtain(21))
        edit(client, project, lambda recipe: recipe["rhythm"].update(rate="60")).raise_for_status()
    desk.goto(f"/project/{project}")
    desk.settled()
    page.get_by_role("button", name="Add an output").click()
    page.get_by_role("dialog", name="Add an output").get_by_text("Switcher transition", exact=True).click()
    page.get_by_role("tab", name="Hand-off").click()
    cover = page.get_by_role("region", name="Cover")
    expect(cover.get_by_role("img", name="Frame 11 is where the sources are cut")).to_be_visible(timeout=60_000)
    expect(cover).to_contain_text(re.compile(r"frame 1: \d+\.\d\d % opaque"))
    cover.get_by_role("button", name="Cut at frame 11").click()
    expect(cover).to_contain_text("frame 11: 100 % opaque")
    rules = page.get_by_role("region", name="Rules check")
    expect(rules).to_contain_text("cover")
