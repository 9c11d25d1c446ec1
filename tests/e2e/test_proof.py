"""Files proved in the places they are for, before they leave: through the interface, on the stand-ins."""

import re
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from playwright.sync_api import FilePayload, FrameLocator, Locator, Page, expect

from tests.conftest import Pictures, save_frames
from tests.core.test_broadcast import curtain
from tests.e2e.conftest import Desk, drop
from tests.server import until
from tests.service.conftest import edit, project_of

Picture = NDArray[np.uint8]
SENT = 90_000


def standins(desk: Desk) -> dict[str, str]:
    """Where each is, once all are ready."""
    found: list[dict[str, Any]] = []

    def ready() -> bool:
        found[:] = httpx.get(f"{desk.base}/api/standins").json()
        return bool(found) and all(one["state"] == "ready" for one in found)

    until(ready)
    return {one["name"]: one["url"] for one in found}


def picture(address: str) -> Picture:
    """What a stand-in showed, shape (height, width, 3)."""
    answer = httpx.get(address, timeout=30).raise_for_status()
    return np.array(Image.open(BytesIO(answer.content)).convert("RGB"))


def on_air(url: str, document: str, frame: int) -> None:
    """Wait until a frame has been on air."""
    until(lambda: bool(httpx.get(f"{url}/api/{document}").json()["at"] > frame))


def halved(frame: Picture) -> NDArray[np.float32]:
    """A straight RGBA frame, premultiplied, at half its size: each pixel the mean of four."""
    whole = frame.astype(np.float32)
    whole[..., 3] /= 255
    whole[..., :3] *= whole[..., 3:]
    rows = whole[::2] + whole[1::2]
    return np.asarray((rows[:, ::2] + rows[:, 1::2]) / 4, np.float32)


def over(behind: Picture, premultiplied: NDArray[np.float32]) -> NDArray[np.float32]:
    """Porter and Duff's *over* (1984)."""
    under = behind * (1 - premultiplied[..., 3:])
    return np.asarray(premultiplied[..., :3] + under, np.float32)


def exported(desk: Desk) -> dict[str, bytes]:
    """The files of the project that is open, as they leave."""
    project = desk.page.url.split("/project/")[1].split("?")[0]
    archive = zipfile.ZipFile(BytesIO(httpx.get(f"{desk.base}/api/projects/{project}/handoff").content))
    return {name: archive.read(name) for name in sorted(archive.namelist())}


def send(page: Page, to: str, **choices: str) -> Locator:
    """Send the output on show to a stand-in; returns its answer, which is there."""
    form = page.get_by_role("region", name="Send")
    form.get_by_label("Where to send it").select_option(label=to)
    for label, value in choices.items():
        form.get_by_label(label).select_option(value)
    form.get_by_role("button", name="Send", exact=True).click()
    answer = page.get_by_role("group", name=f"Answer of {to}")
    expect(answer).to_contain_text(re.compile("accepted|changed|refused"), timeout=SENT)
    return answer


def look(answer: Locator, page: Page, title: str) -> FrameLocator:
    answer.get_by_role("button", name="Look at it there").click()
    return page.frame_locator(f'iframe[title="{title}"]')


def opened(desk: Desk, client: httpx.Client, frames: Pictures, output: dict[str, Any], rate: str) -> str:
    """A project of some frames with one output, open on Hand-off."""
    project = project_of(client, frames)

    def change(recipe: dict[str, Any]) -> None:
        recipe["outputs"] = [{"id": "page", **output}]
        recipe["rhythm"]["rate"] = rate

    edit(client, project, change).raise_for_status()
    desk.page.goto(f"{desk.base}/project/{project}")
    tab = desk.page.get_by_role("tab", name="Hand-off")
    tab.click()
    expect(tab).to_contain_text("ready", timeout=SENT)
    return project


def target(client: httpx.Client, name: str) -> dict[str, Any]:
    (found,) = [one["target"] for one in client.get("/api/targets").json() if one["target"]["name"] == name]
    document: dict[str, Any] = found
    return document


def test_everything_is_proved_on_the_stand_ins_before_it_leaves(desk: Desk) -> None:
    urls = standins(desk)
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        _a_transition_hides_the_cut(desk, urls["switcher"])
        made = [
            _an_overlay_is_warned_of_trimmed_and_taken(desk, client, urls["switcher"]),
            _a_set_plays_once_and_text_comes_in(desk, client, urls["graphics"]),
            _a_wide_gif_is_shrunk_as_was_said(desk, client),
            _a_white_rim_is_hidden_by_the_cut_off(desk, client, urls["effects"]),
        ]
        desk.goto()
        for project in made:
            client.delete(f"/api/projects/{project}")


def _a_transition_hides_the_cut(desk: Desk, url: str) -> None:
    page = desk.page
    httpx.put(f"{url}/api/desk/show", json={"pace": 0}).raise_for_status()
    desk.open("Gull across")
    page.keyboard.press("h")
    cover = page.get_by_role("region", name="Cover")
    expect(cover.get_by_role("img", name=re.compile("is where the sources are cut"))).to_be_visible()
    proposed = int(re.sub(r"\D", "", cover.get_by_role("button", name=re.compile("Cut at frame")).inner_text()))
    frames = [np.array(Image.open(BytesIO(data))) for data in exported(desk).values()]
    covered = [bool((frame[..., 3] == 255).all()) for frame in frames]
    assert covered[proposed - 1]
    answer = send(page, "Vision desk")
    expect(answer).to_contain_text("Is in memory 3")
    stage = look(answer, page, "Vision desk")
    berth = stage.get_by_role("listitem", name="Memory 3")
    expect(berth.get_by_label("Cut of memory 3")).to_have_value(str(proposed))
    before = httpx.get(f"{url}/api/desk").json()["program"]
    with page.expect_response(
        "**/api/desk/play"
    ) as answered:  # what is under way may be over when it is asked for
        berth.get_by_role("button", name="Play").click()
    began = answered.value.json()["began"]
    on_air(url, "desk", began + 60)
    after = "B" if before == "A" else "A"
    for number, frame in enumerate(frames):
        seen = picture(f"{url}/api/program/{began + number}")
        source = before if number < proposed - 1 else after
        expected = over(picture(f"{url}/api/sources/{source}/{began + number}"), halved(frame))
        assert np.abs(seen - expected).max() <= 3, f"frame {number + 1} is not what the clip makes of {source}"
        if number in (proposed - 2, proposed - 1):  # on both sides of the cut nothing shows through
            bare = halved(frame)
            assert (bare[..., 3] == 1).all()
            assert np.abs(seen - bare[..., :3]).max() <= 3
    expect(stage.get_by_text(f"On air: {'Mole' if after == 'B' else 'Pier'} camera").first).to_be_visible()
    httpx.delete(f"{url}/api/memories/3").raise_for_status()
    expect(answer).to_contain_text("accepted, no longer there")


def _an_overlay_is_warned_of_trimmed_and_taken(desk: Desk, client: httpx.Client, url: str) -> str:
    page = desk.page
    frames = []
    for index in range(320):
        frame = np.zeros((72, 128, 4), np.uint8)
        frame[8:24, 90:122] = (index % 250, 120, 60, 255)
        frames.append(frame)
    output = {
        "format": "frames",
        "name": "Bug",
        "file_name": "bug.zip",
        "names": "bug_####",
        "target": target(client, "overlay"),
    }
    project = opened(desk, client, frames, output, "60")
    rules = page.get_by_role("region", name="Rules check")
    expect(rules).to_contain_text("Frames 320")
    expect(rules).to_contain_text("at most 300")
    raster = page.get_by_role("region", name="On the raster")
    expect(raster).to_contain_text("0.7 MB trimmed")  # 320 × 32 × 16 × 4
    expect(raster).to_contain_text("2654 MB in full frames")
    raster.get_by_role("button", name="Trim to 32 × 16").click()
    expect(raster.get_by_label("Left on the raster")).to_have_value("90", timeout=SENT)
    point = raster.get_by_role("button", name="bottom right", exact=True)
    expect(point).to_be_enabled(timeout=SENT)  # not by what it used before it was trimmed
    point.press("Enter")
    expect(raster.get_by_label("Left on the raster")).to_have_value(str(1920 - 96 - 32), timeout=SENT)
    expect(raster).to_contain_text("in the safe areas")
    expect(point).to_be_focused()
    desk.page.keyboard.press("Control+z")
    expect(raster.get_by_label("Left on the raster")).to_have_value("90", timeout=SENT)
    raster.get_by_role("button", name=re.compile("arrow keys move it")).focus()
    for key in ("Shift+ArrowRight", "ArrowDown", "ArrowDown"):  # it keeps the focus while it is saved
        page.keyboard.press(key)
        page.wait_for_function(
            "() => document.activeElement?.getAttribute('aria-label')?.includes('arrow keys')"
        )
    expect(raster.get_by_label("Left on the raster")).to_have_value("100")
    expect(raster.get_by_label("Top on the raster")).to_have_value("10")
    expect(page.get_by_role("status", name="Saving")).to_have_text("All changes saved")
    expect(page.get_by_role("button", name="Send", exact=True)).to_be_enabled(timeout=SENT)
    answer = send(page, "Vision desk")
    expect(answer).to_contain_text("More than 300 frames")
    memories = httpx.get(f"{url}/api/desk").json()["memories"]
    assert [memory["box"] for memory in memories if memory["title"].endswith("Bug")] == [[100, 10, 32, 16]]
    stage = look(answer, page, "Vision desk")
    stage.get_by_label("Memory on layer 1").select_option("3")
    expect(stage.get_by_label("Memory on layer 1")).to_have_value("3")
    at = httpx.get(f"{url}/api/desk").json()["at"] + 20
    on_air(url, "desk", at)
    seen = picture(f"{url}/api/program/{at}?width=1920")
    assert (seen[12, 110][1:] == (120, 60)).all()
    stage.get_by_label("Memory on layer 1").select_option("")
    until(lambda: httpx.delete(f"{url}/api/memories/3").status_code == 200)
    return project


def _a_set_plays_once_and_text_comes_in(desk: Desk, client: httpx.Client, url: str) -> str:
    page = desk.page
    frames = [np.full((40, 80, 4), (10 * number, 200, 30, 255), np.uint8) for number in range(12)]
    for frame in frames:
        frame[0, 0, 3] = 0
    output = {
        "format": "frames",
        "name": "Gate sign",
        "file_name": "sign.zip",
        "picture": "tga",
        "place": [200, 100],
        "target": target(client, "graphics-page"),
    }
    project = opened(desk, client, frames, output, "50")
    edit(client, project, lambda recipe: recipe["rhythm"].update(repeat=1)).raise_for_status()
    page.reload()
    page.get_by_role("tab", name="Hand-off").click()
    expect(page.get_by_role("button", name="Send", exact=True)).to_be_enabled(timeout=SENT)
    stage = look(send(page, "Departure board"), page, "Departure board")
    stage.get_by_role("button", name="Add a line of text").click()
    expect(stage.get_by_label("Delay of line 1, seconds")).to_have_value("0.8")
    stage.get_by_role("button", name="Take").click()
    expect(stage.get_by_role("img", name="On air")).to_be_visible()
    since = httpx.get(f"{url}/api/board").json()["since"]
    on_air(url, "board", since + 80)

    def at(frame: int) -> NDArray[np.int64]:
        return picture(f"{url}/api/program/{since + frame}?width=1920").astype(np.int64)

    assert [at(frame)[110, 210, 0] for frame in (0, 6, 11, 12, 60)] == [0, 60, 110, 110, 110]
    line = np.s_[820:910, 160:1200]
    lit = [int((at(frame)[line].min(axis=2) > 250).sum()) for frame in (39, 80)]
    assert lit[0] == 0, "no text before 0.8 s"
    assert lit[1] > 3000, "all of it after its fade"
    refused = httpx.put(f"{url}/api/board/page", json={"texts": [{"text": "x" * 5000}]})
    assert "this has 5000" in refused.json()["message"]
    stage.get_by_role("button", name="Out").click()
    return project


def _a_wide_gif_is_shrunk_as_was_said(desk: Desk, client: httpx.Client) -> str:
    page = desk.page
    x = np.linspace(0, 255, 750).astype(np.uint8)
    frames = []
    for number in range(4):
        frame = np.full((300, 750, 4), 255, np.uint8)
        frame[..., 0] = np.roll(x, number * 40)
        frames.append(frame)
    output = {"format": "gif", "name": "Post", "file_name": "post.gif", "target": target(client, "post")}
    project = opened(desk, client, frames, output, "10")
    rules = page.get_by_role("region", name="Rules check")
    expect(rules).to_contain_text("Width 750 px")
    expect(rules).to_contain_text("at most 600 px")
    answer = send(page, "Notice board")
    expect(answer).to_contain_text("changed on arrival")
    expect(answer).to_contain_text("Shrunk from 750 × 300 to 600 × 240")
    stage = look(answer, page, "Notice board")
    expect(stage.get_by_role("list", name="Posts").get_by_role("listitem").first).to_contain_text("600 × 240")
    # With the remedy it is taken as it is; what was answered before is marked.
    rules.get_by_role("button", name="Scale to 600 × 240").click()
    expect(answer).to_contain_text("before the last change")
    expect(page.get_by_role("button", name="Send", exact=True)).to_be_enabled(timeout=SENT)
    page.get_by_role("button", name="Send", exact=True).click()
    expect(answer).to_contain_text("Is shown as it was sent", timeout=SENT)
    desk.forgiven.append("409")
    page.get_by_role("button", name="Send", exact=True).click()  # by accident
    expect(page.get_by_text("The same files were accepted there already")).to_be_visible()
    return project


def _a_white_rim_is_hidden_by_the_cut_off(desk: Desk, client: httpx.Client, url: str) -> str:
    page = desk.page
    y, x = np.mgrid[-1.5:1.5:120j, -1.5:1.5:120j]
    frame = np.zeros((120, 120, 4), np.uint8)
    frame[..., 3] = np.rint(255 * np.clip((1.2 - np.hypot(x, y)) * 3, 0, 1))
    solid = frame[..., 3] == 255
    frame[..., :3] = np.where(solid[..., None], (20, 40, 90), (250, 250, 250))
    frame[frame[..., 3] == 0] = 0
    output = {"format": "frames", "name": "Spark", "file_name": "spark.zip"}
    frames = [np.ascontiguousarray(np.rot90(frame, number)) for number in range(3)]
    project = opened(desk, client, frames, output, "12")
    stage = look(send(page, "Lantern plane"), page, "Lantern plane")
    expect(stage.get_by_text("3 frames, 120 × 120")).to_be_visible()

    def rim() -> int:
        """Pixels around the art that are not the backdrop's."""
        number = httpx.get(f"{url}/api/plane").json()["since"] + 40
        place = np.s_[210:330, 420:540]
        seen = picture(f"{url}/api/pictures/{number}")[place].astype(int)
        bare = picture(f"{url}/api/backdrops/{number}")[place].astype(int)
        return int((np.abs(seen - bare).max(axis=2) > 2)[~solid].sum())

    assert rim() > 500
    cutoff = stage.get_by_label("Cut-off, number")
    cutoff.fill("255")
    cutoff.press("Enter")
    until(lambda: httpx.get(f"{url}/api/plane").json()["setting"]["cutoff"] == 255)
    assert rim() == 0
    return project


def test_a_transition_goes_from_the_drop_to_accepted_in_five_actions(desk: Desk, tmp_path: Path) -> None:
    """No rate is typed, no size, no cut: what nobody said is what the target takes."""
    standins(desk)
    page = desk.page
    desk.goto()
    save_frames(tmp_path / "ferry_wipe", curtain(60, 1920, 1080, whole=6), "comp_{}.png")
    drop(page, [tmp_path / "ferry_wipe"])  # 1
    expect(page).to_have_title("Ferry wipe – Jay Flick", timeout=SENT)
    page.get_by_role("button", name="Add an output").click()  # 2
    page.get_by_role("dialog", name="Add an output").get_by_text("Switcher transition", exact=True).click()  # 3
    page.get_by_role("tab", name="Hand-off").click()  # 4
    form = page.get_by_role("region", name="Send")
    expect(form.get_by_label("Where to send it")).to_have_value("switcher")
    expect(form).to_contain_text("cut at frame 30", timeout=SENT)
    expect(page.get_by_role("tab", name="Rhythm")).to_contain_text("once")
    form.get_by_role("button", name="Send", exact=True).click()  # 5
    expect(page.get_by_role("group", name="Answer of Vision desk")).to_contain_text("accepted", timeout=SENT)
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        project = page.url.split("/project/")[1].split("?")[0]
        desk.goto()
        client.delete(f"/api/projects/{project}").raise_for_status()


def test_a_transition_that_does_not_cover_is_put_right_and_conformed(desk: Desk) -> None:
    page = desk.page
    art = curtain(24, 320, 180)
    for frame in art:
        frame[:, 300:, 3] = 0  # it never closes at the right
    with httpx.Client(base_url=desk.base, timeout=60) as client:
        output = {
            "format": "frames",
            "name": "Curtain",
            "file_name": "curtain.zip",
            "target": target(client, "switcher-transition"),
        }
        project = opened(desk, client, art, output, "12")
        cover = page.get_by_role("region", name="Cover")
        expect(cover.get_by_role("img", name="No frame covers all of the picture")).to_be_visible()
        cover.get_by_text("Hatch what is uncovered").click()
        marks = page.get_by_role("img", name="What is uncovered")
        share = """(canvas) => {
            const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
            let marked = 0;
            for (let at = 3; at < data.length; at += 4) marked += data[at] > 0;
            return marked / (data.length / 4);
        }"""
        page.keyboard.press("Home")
        until(lambda: abs(float(marks.evaluate(share)) - float((art[0][..., 3] < 255).mean())) < 0.02)

        # 24 frames at 12 a second: what becomes of them at 60 is said before.
        expect(cover).to_contain_text("It would play at 200 % of its speed, 24 frames shown more than once")
        cover.get_by_role("button", name="Conform to 60 frames").click()
        rules = page.get_by_role("region", name="Rules check")
        expect(rules).to_contain_text("frames, duration, rate", timeout=SENT)
        expect(cover.get_by_role("button", name="Conform to 60 frames")).to_be_hidden()

        cover.get_by_role("button", name=re.compile(r"Put #\w{6} behind frames")).click()
        expect(cover.get_by_role("img", name=re.compile("is where the sources are cut"))).to_be_visible(
            timeout=SENT
        )
        page.keyboard.press("Control+z")
        expect(cover.get_by_role("img", name="No frame covers all of the picture")).to_be_visible(timeout=SENT)
        cover.get_by_role("button", name="Enlarge to 106.7 %").click()  # 320 of 300
        expect(cover.get_by_role("img", name=re.compile("is where the sources are cut"))).to_be_visible(
            timeout=SENT
        )
        files = exported(desk)
        pictures = [np.array(Image.open(BytesIO(data))) for data in files.values()]
        assert len(pictures) == 60
        cut = int(re.sub(r"\D", "", cover.get_by_role("button", name=re.compile("Cut at frame")).inner_text()))
        assert (pictures[cut - 1][..., 3] == 255).all()
        assert pictures[0].shape == (180, 320, 4)

        by_hand = cover.get_by_label("Cut by hand")
        by_hand.fill("3")
        by_hand.press("Enter")
        expect(rules).to_contain_text("the cut at frame 3 would be seen")
        rules.get_by_role("button", name=f"Cut at frame {cut}").click()
        expect(rules).not_to_contain_text("would be seen")
        desk.goto()
        client.delete(f"/api/projects/{project}")


def test_a_file_is_seen_on_a_page_of_any_width_and_colour(desk: Desk) -> None:
    page = desk.page
    desk.open("Tern in flight")
    page.keyboard.press("p")
    proof = page.get_by_role("region", name="Proof")
    expect(proof.get_by_role("img", name="The file")).to_be_visible()
    played = proof.get_by_role("img", name="The file").first.evaluate(
        "async (img) => { await img.decode(); return [img.naturalWidth, new URL(img.src).pathname] }"
    )
    assert played[0] == 256
    assert played[1].startswith("/api/results/")
    proof.get_by_role("radio", name="dark").click()
    colour = "(page) => getComputedStyle(page).backgroundColor"
    assert proof.get_by_label("Page, dark").evaluate(colour) == "rgb(22, 25, 29)"
    proof.get_by_role("radio", name="320 px").click()
    expect(proof.get_by_label("Page, dark")).to_have_css("width", "320px")
    proof.get_by_role("radio", name="all at once").click()
    expect(proof.get_by_role("img", name="The file")).to_have_count(3)
    assert proof.get_by_label("Page, matte").evaluate(colour) == "rgb(169, 196, 212)"
    page.keyboard.press("p")
    expect(proof).to_be_hidden()


def test_the_shelf_lists_the_stand_ins_and_each_has_a_page(desk: Desk) -> None:
    urls = standins(desk)
    desk.page.goto(desk.base)
    listed = desk.page.get_by_role("region", name="Stand-ins")
    expect(listed.get_by_role("listitem")).to_have_count(4)
    expect(listed.get_by_text("ready")).to_have_count(4)
    for name, heading in (
        ("switcher", "Vision desk"),
        ("graphics", "Departure board"),
        ("post", "Notice board"),
        ("effects", "Lantern plane"),
    ):
        desk.page.goto(urls[name], wait_until="domcontentloaded")
        expect(desk.page.get_by_role("heading", name=heading)).to_be_visible()
    desk.page.get_by_label("Files to bring").set_input_files(
        [FilePayload(name=f"spark_{n}.png", mimeType="image/png", buffer=_small(n)) for n in (1, 2, 3)]
    )
    expect(desk.page.get_by_text("plays on the plane, 3 frames")).to_be_visible()


def _small(number: int) -> bytes:
    out = BytesIO()
    Image.new("RGBA", (20, 20), (number * 60, 90, 40, 200)).save(out, "PNG")
    return out.getvalue()
