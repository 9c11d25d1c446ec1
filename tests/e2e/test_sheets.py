"""Sheets by mouse and keyboard: laid out, made to fit, proved in a scene, and drawn by another runtime."""

import json
import re
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image
from playwright.sync_api import Browser, Locator, Page, Route, expect

from jayflick.core.formats.sheet.description import SheetDocument
from jayflick.core.formats.sheet.format import cut_out
from jayflick.demo.flock import DIRECTIONS, MOTIONS, draw_from_above
from tests.conftest import moving_square
from tests.core.test_sheets import blots, files, made
from tests.e2e.conftest import Desk, pull_and_call_off
from tests.e2e.test_outputs import add
from tests.e2e.test_pictures import fill, undo_all
from tests.reference.test_sheets import snippet
from tests.service.conftest import edit, project_of

PIXI = Path(__file__).parents[2] / "web" / "node_modules" / "pixi.js" / "dist" / "pixi.min.js"


def add_sheet(page: Page) -> None:
    page.get_by_role("button", name="Add an output").click()
    page.get_by_role("dialog", name="Add an output").get_by_text("Sheet", exact=True).click()
    page.get_by_role("tab", name="Tuning").click()


def state(page: Page) -> Locator:
    """Whether all frames fit, and on what."""
    return page.get_by_role("region", name="Tuning controls").get_by_role("status", name="Sheet")


def taken_away(desk: Desk, name: str) -> tuple[NDArray[np.uint8], SheetDocument]:
    """The one sheet that is downloaded, and its description."""
    page = desk.page
    page.get_by_role("tab", name="Hand-off").click()
    desk.settled()
    with page.expect_download() as started:
        page.get_by_role("link", name=f"Download {name}.zip").click()
    with zipfile.ZipFile(BytesIO(Path(started.value.path()).read_bytes())) as archive:
        document = SheetDocument.model_validate_json(archive.read(f"{name}.json"))
        picture = Image.open(BytesIO(archive.read(f"{name}.png"))).convert("RGBA")
    return np.array(picture), document


def test_terns_leave_as_24_rows_and_fly_in_all_directions_in_the_scene(desk: Desk) -> None:
    page = desk.page
    desk.open("Terns from above")
    add_sheet(page)
    # 24 rows of 96 pixels are 2304: what does not fit is on the stage, and nothing is made of it.
    expect(state(page)).to_contain_text("768 × 2304 of 2048")
    expect(state(page)).to_contain_text("18 of 144 frames run off")
    sheet = page.get_by_role("region", name="Sheet", exact=True)
    expect(sheet).to_contain_text("no file: not all frames fit")
    expect(page.get_by_role("tab", name="Hand-off")).to_contain_text("failed")
    page.get_by_role("button", name="Allow 4096 a side").click()
    expect(state(page)).to_contain_text("all 144 fit")
    expect(sheet).to_contain_text(re.compile(r"PNG · \d+ KB"), timeout=60_000)
    for name in ("N fly", "SW dive"):
        expect(sheet.get_by_text(re.compile(f"^{name} ")).first).to_be_visible()

    # A cell says what it holds, and shows it.
    cells = sheet.get_by_role("img", name=re.compile("The sheet"))
    box = cells.bounding_box()
    assert box is not None
    marks = sheet.locator("canvas[data-cell]")
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    cell = sheet.get_by_role("status", name="Cell")
    expect(cell).to_contain_text(re.compile(r"tern-\w+-\w+-\d\.png"))
    page.mouse.down()
    page.mouse.up()
    chosen = re.search(r"tern-(\w+)-(\w+)-(\d)\.png", cell.inner_text())
    assert chosen
    expect(page.get_by_role("region", name="Tuning controls")).to_contain_text(f"{chosen[1]} {chosen[2]}, cell")
    before = marks.get_attribute("data-cell")
    page.keyboard.press("ArrowRight")
    expect(marks).not_to_have_attribute("data-cell", before or "")

    picture, document = taken_away(desk, "terns-from-above")
    assert len({frame.y for frame in document.frames}) == len(document.spans) == 24
    assert picture.shape == (2304, 768, 4)
    for frame in document.frames:
        _, direction, motion, number = frame.name.split("-")
        drawn = draw_from_above(direction, motion, int(number) - 1)
        assert np.array_equal(cut_out(picture, frame), drawn)

    page.get_by_role("tab", name="Tuning").click()
    page.get_by_role("radio", name="Scene", exact=True).click()
    scene = page.get_by_role("region", name="Scene")
    canvas = scene.get_by_role("img", name="The frames over moving ground")
    scene.get_by_role("combobox", name="Plays").select_option(label="fly, as it heads")
    page.get_by_role("group", name="Scene, led by arrow keys").focus()
    keys = {"N": "ArrowUp", "S": "ArrowDown", "W": "ArrowLeft", "E": "ArrowRight"}
    seen = set()
    for direction in DIRECTIONS:
        for key in direction:
            page.keyboard.down(keys[key])
        expect(canvas).to_have_attribute("data-span", f"{direction} fly")
        first = canvas.get_attribute("data-frame")
        expect(canvas).not_to_have_attribute("data-frame", first or "")  # it plays
        for key in direction:
            page.keyboard.up(keys[key])
        seen.add(canvas.get_attribute("data-at"))
    assert len(seen) == 8  # it went somewhere each time
    page.keyboard.press("ArrowUp", delay=300)
    expect(canvas).to_have_attribute("data-span", "N fly")
    run = next(span for span in document.spans if span.name == "N fly")
    assert run.last - run.first + 1 == MOTIONS["fly"]
    scene.get_by_role("radio", name="once").click()
    expect(canvas).to_have_attribute("data-frame", str(run.last))
    scene.get_by_role("textbox", name="Alpha cut-off").fill("128")
    page.keyboard.press("Enter")
    scene.get_by_role("combobox", name="Ground").select_option(label="stripes")
    page.get_by_role("radio", name="Sheet", exact=True).click()
    page.get_by_role("tab", name="Hand-off").click()
    undo_all(desk)


def test_180_frames_run_off_a_sheet_and_one_action_makes_all_fit(desk: Desk) -> None:
    page = desk.page
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        frames = moving_square(180, 480, 270, soft=True)
        project = project_of(client, frames)
    desk.goto(f"/project/{project}")
    desk.settled()
    add_sheet(page)
    expect(state(page)).to_contain_text("152 of 180 frames run off")
    page.get_by_role("button", name="Scale to 0.421 (202 × 113)").click()
    expect(state(page)).to_contain_text("2020 × 2034 of 2048")
    expect(state(page)).to_contain_text("all 180 fit")
    picture, document = taken_away(desk, "wave")
    assert (max(picture.shape), len(document.frames)) == (2034, 180)
    shown = [cut_out(picture, frame)[:, :, 3].sum() for frame in document.frames]
    assert min(shown) > 0


def test_every_setting_of_a_sheet_is_changed_and_undone(desk: Desk) -> None:
    page = desk.page
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        project = project_of(client, moving_square(6, 24, 16, soft=True))
        runs = [{"name": "idle", "first": 1, "last": 2}, {"name": "walk", "first": 3, "last": 6}]
        edit(client, project, lambda recipe: recipe["rhythm"].update(spans=runs)).raise_for_status()
    desk.goto(f"/project/{project}")
    desk.settled()
    add_sheet(page)
    panel = page.get_by_role("region", name="Tuning controls")

    def output() -> dict[str, Any]:
        expect(page.get_by_role("status", name="Saving")).to_have_text("All changes saved")
        shown: dict[str, Any] = desk.get(f"/api/projects/{project}").json()
        found: dict[str, Any] = shown["recipe"]["outputs"][-1]
        return found

    def by_key(name: str) -> None:
        control = panel.get_by_role("radio", name=name, exact=True)
        control.focus()
        page.keyboard.press("Enter")

    def row_up() -> None:
        panel.get_by_text("Order of 2 rows").click()
        panel.get_by_role("button", name="Row walk up").click()

    def anchor() -> None:
        page.get_by_role("group", name=re.compile("Anchor point at")).focus()
        page.keyboard.press("Shift+ArrowDown")

    def anchor_of_span() -> None:
        by_key("span")
        fill(page, "Anchor across", 0.25)

    before = output()
    box = page.get_by_role("group", name=re.compile("Anchor point at")).bounding_box()
    assert box
    pull_and_call_off(page, (box["x"] + 4, box["y"] + 4), (20, 12))
    expect(page.get_by_role("group", name="Anchor point at 0.5, 0.5")).to_be_visible()
    assert output() == before

    changes: list[tuple[str, Any]] = [
        ("row_order", row_up),
        ("columns", lambda: panel.get_by_label("Columns").select_option(label="number")),
        ("rows", lambda: by_key("wrap")),
        ("cell", lambda: by_key("what is used")),
        ("layout", lambda: by_key("packed")),
        ("turn", lambda: by_key("may turn by 90°")),
        ("margin", lambda: fill(page, "Margin", 3)),
        ("spacing", lambda: fill(page, "Spacing", 2)),
        ("extrude", lambda: fill(page, "Extrude", 1)),
        ("bleed", lambda: panel.get_by_label("bleed").press("Space")),
        ("sides", lambda: by_key("powers of two")),
        ("split", lambda: by_key("as needed")),
        ("pixels", lambda: panel.get_by_label("Pixels").select_option(label="4-4-4-4")),
        ("dither", lambda: by_key("ordered")),
        ("mip_levels", lambda: panel.get_by_label("mip levels").press("Space")),
        ("anchor", anchor),
        ("anchors", anchor_of_span),
        ("names", lambda: fill(page, "Names in the description", "{span}-##")),
        ("csv", lambda: panel.get_by_label("CSV").press("Space")),
        ("css", lambda: panel.get_by_label("CSS").press("Space")),
        ("picture", lambda: by_key("WebP")),
    ]
    was = [output()]
    for key, change in changes:
        change()
        page.wait_for_function("() => !document.activeElement?.matches('input[aria-invalid=true]')")
        was.append(output())
        assert was[-1][key] != was[-2][key], key
    for before in reversed(was[:-1]):
        page.get_by_role("button", name="Undo").click()
        assert output() == before

    # A set of frames plays in the scene as well, once or for ever, at a rate of its own.
    page.get_by_role("tab", name="Hand-off").click()
    add(page, "TGA frames")
    page.get_by_role("tab", name="Tuning").click()
    page.get_by_role("radio", name="Scene", exact=True).click()
    scene = page.get_by_role("region", name="Scene")
    canvas = scene.get_by_role("img", name="The frames over moving ground")
    fill(page, "Frames a second", 12)
    for frame in ("2", "5", "0"):  # looked for with every picture of the screen: none lasts long
        page.wait_for_function(f"() => document.querySelector('canvas[data-span]').dataset.frame === '{frame}'")
    scene.get_by_role("radio", name="once").click()
    expect(canvas).to_have_attribute("data-frame", "5")
    page.get_by_role("radio", name="Frames", exact=True).click()


@pytest.fixture
def served(browser: Browser, tmp_path: Path) -> Any:
    """A page on which files that were made can be fetched, and nothing else."""
    context = browser.new_context(viewport={"width": 400, "height": 300})
    page = context.new_page()
    there: dict[str, bytes] = {"index.html": b"<!doctype html><body></body>"}
    kinds = {".html": "text/html", ".json": "application/json", ".png": "image/png", ".css": "text/css"}

    def answer(route: Route) -> None:
        name = route.request.url.rsplit("/", 1)[1]
        if name not in there:
            route.fulfill(status=404)
            return
        route.fulfill(body=there[name], content_type=kinds.get(Path(name).suffix, "text/javascript"))

    page.route("http://sheets.test/**", answer)
    page.goto("http://sheets.test/index.html")
    yield page, there
    context.close()


@pytest.mark.parametrize("said", [{"spacing": 1}, {"layout": "packed", "turn": True, "extrude": 1}])
def test_another_runtime_draws_the_frames_by_the_lines_in_the_documentation(
    served: Any, said: dict[str, Any], tmp_path: Path
) -> None:
    """pixi.js in Chromium, each frame over black; WebGL blends in 8 bits, twice."""
    page, there = served
    frames = blots(6)
    there |= files(made(frames, tmp_path, **said)) | {"pixi.js": PIXI.read_bytes()}
    page.add_script_tag(url="http://sheets.test/pixi.js")
    page.add_script_tag(content=snippet("js"))
    drawn = page.evaluate(
        """async () => {
            const app = new PIXI.Application();
            await app.init({ width: 24, height: 24, background: "#000", preference: "webgl" });
            const result = [];
            for (const { texture, time } of await loadSheet("http://sheets.test", "blots")) {
                texture.source.scaleMode = "nearest";
                const sprite = new PIXI.Sprite(texture);
                sprite.anchor.set(0);
                app.stage.removeChildren();
                app.stage.addChild(sprite);
                const { pixels } = app.renderer.extract.pixels({
                    target: app.stage, frame: new PIXI.Rectangle(0, 0, 24, 24), clearColor: "#000000ff",
                });
                result.push([Array.from(pixels), time]);
            }
            app.destroy();
            return result;
        }"""
    )
    assert len(drawn) == len(frames)
    for (pixels, lasts), frame in zip(drawn, frames, strict=True):
        seen = np.array(pixels, np.int64).reshape(24, 24, 4)[:, :, :3]
        picture = frame.read().astype(np.int64)
        true = picture[:, :, :3] * picture[:, :, 3:] / 255
        assert np.abs(seen - true).max() <= 2
        assert lasts == pytest.approx(1000 / 24, abs=0.001)


@pytest.mark.parametrize(
    ("said", "rhythm"),
    [({"columns": 4}, {}), ({"layout": "packed"}, {"holds": {2: 705_600_000 // 2}})],
)
def test_the_style_sheet_plays_the_frames_in_a_browser(
    served: Any, said: dict[str, Any], rhythm: dict[str, Any], tmp_path: Path
) -> None:
    page, there = served
    frames = blots(4)
    rendered = made(frames, tmp_path, css=True, rhythm={"rate": "10", **rhythm}, **said)
    there |= files(rendered)
    page.add_style_tag(url="http://sheets.test/blots.css")
    page.add_style_tag(content="body { margin: 0; background: #000 }")
    page.evaluate("() => { document.body.innerHTML = '<div class=\"blots\"></div>' }")
    page.wait_for_function("() => document.getAnimations().length === 1")
    described = json.loads(there["blots.json"])
    begun = 0.0
    for drawn, frame in zip(frames, described["frames"], strict=True):
        page.evaluate(
            "(ms) => { const [one] = document.getAnimations(); one.pause(); one.currentTime = ms; }",
            begun + frame["duration_ms"] / 2,
        )
        page.wait_for_function("() => new Promise((done) => requestAnimationFrame(() => done(true)))")
        shot = page.screenshot(clip={"x": 0, "y": 0, "width": 24, "height": 24})
        seen = np.array(Image.open(BytesIO(shot)).convert("RGB"), np.int64)
        picture = drawn.read().astype(np.int64)
        assert np.abs(seen - picture[:, :, :3] * picture[:, :, 3:] / 255).max() <= 2
        begun += frame["duration_ms"]
