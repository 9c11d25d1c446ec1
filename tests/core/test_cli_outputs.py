"""The command line's other formats, targets, and many outputs at once."""

import json
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from PIL import Image

from tests.conftest import moving_square, save_frames
from tests.core.conftest import Run


@pytest.fixture
def soft(tmp_path: Path) -> Path:
    save_frames(tmp_path / "in", moving_square(6, 48, 32, soft=True), "gull_{}.png")
    return tmp_path / "in"


@pytest.mark.parametrize(
    ("name", "options", "form"),
    [
        ("a.apng", [], "apng"),
        ("a.png", [], "apng"),
        ("a.webp", ["--lossless"], "webp"),
        ("a.avif", ["--quality", "40"], "avif"),
        ("a.mp4", ["--plays", "2", "--quality", "30"], "video"),
        ("a.webm", [], "video"),
        ("a.mov", [], "video"),
        ("a.mov", ["--codec", "qtrle"], "video"),
        ("a.png", ["--still", "3"], "still"),
        ("a.jpg", ["--still", "1", "--matte", "#336699"], "still"),
    ],
)
def test_the_ending_says_what_is_made_and_info_reads_it(
    run: Run,
    soft: Path,
    tmp_path: Path,
    name: str,
    options: list[str],
    form: str,
) -> None:
    out = tmp_path / name
    status, printed, err = run("make", soft, "-o", out, "--fps", "10", *options, "--json")
    laid = "jayflick: note: transparent pixels lie over #ffffff: --matte sets another colour\n"
    assert (status, err) == (0, laid if name == "a.mp4" else "")
    report, info = json.loads(printed), json.loads(run("info", out, "--json")[1])
    assert (report["format"], info["format"]) == (form, form)
    for key in ("bytes", "width", "height", "count"):
        assert report[key] == info[key]
    if form != "still":
        assert info["duration_ms"] == report["duration_ms"] == (1200 if "--plays" in options else 600)
    assert run("info", out)[0] == 0


def test_a_set_for_the_next_program_and_a_still_keep_every_level_of_alpha(
    run: Run,
    soft: Path,
    tmp_path: Path,
) -> None:
    options = ["--frames", "tga", "--names", "gull_####", "--first-number", "0"]
    assert run("make", soft, "-o", f"{tmp_path}/set/", *options)[0] == 0
    assert run("make", soft, "-o", tmp_path / "still.png", "--still", "5")[0] == 0
    for file, number in ((tmp_path / "set" / "gull_0004.tga", 5), (tmp_path / "still.png", 5)):
        with Image.open(file) as made, Image.open(soft / f"gull_{number}.png") as source:
            np.testing.assert_array_equal(np.array(made), np.array(source))


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["-o", "a.mp4", "--keep-alpha"], "MP4 has no alpha, and frame 1 is not opaque; lay it over"),
        (["-o", "a.webm", "--codec", "h264"], "a.webm: .webm does not hold h264; use --codec vp9"),
        (["-o", "a.gif", "--still", "1"], "a.gif: this is no still"),
        (["-o", "a.png", "--still", "7"], "there is no frame 7"),
        (["-o", "a.gif", "--frames", "tga"], "--frames needs a folder"),
        (["-o", "a.gif", "--target", "nowhere"], "there is no target 'nowhere'; choose one of page-loop, post"),
        (["-o", "set/", "--names", "gull"], "--names: 'gull' is no name of frames"),
        (["-o", "a.webp", "--quality", "101"], "--quality: 101 is too large: at most 100"),
        (["-o", "a.gif", "--all"], "--all needs a folder"),
        (["-o", "a.webp", "--matte", "#336699", "--keep-alpha"], "contradict each other"),
    ],
)
def test_what_cannot_be_is_one_line_and_nothing_is_written(
    run: Run,
    soft: Path,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    arguments: list[str],
    message: str,
) -> None:
    work = tmp_path / "work"
    work.mkdir()
    monkeypatch.chdir(work)
    status, out, err = run("make", soft, *arguments)
    assert (status, out, err.count("\n")) == (2, "", 1)
    assert message in err
    assert list(work.iterdir()) == []


def test_a_target_sets_what_it_fixes_and_its_check_decides_the_status(
    run: Run,
    soft: Path,
    tmp_path: Path,
) -> None:
    small = tmp_path / "small.gif"
    status, printed, _ = run("make", soft, "-o", small, "--target", "square-thumbnail", "--json")
    report = json.loads(printed)
    assert (status, report["width"], report["height"]) == (0, 150, 150)
    not_passed = [rule["rule"] for rule in report["check"]["rules"] if rule["verdict"] != "pass"]
    assert (report["check"]["verdict"], not_passed) == ("warn", ["Enlarged"])  # of 48 × 32
    status, printed, err = run("make", soft, "-o", f"{tmp_path}/set/", "--target", "square-thumbnail", "--json")
    assert (status, json.loads(printed)["check"]["verdict"]) == (1, "fail")
    assert len(list((tmp_path / "set").iterdir())) == 6  # written all the same
    assert "Format PNG frames, allowed GIF" in err
    assert run("check", small, "--target", "square-thumbnail")[0] == 0
    own = tmp_path / "own.json"
    own.write_text(
        '{"name": "own", "title": "Own", "figures": {"frames": {"stop": {"most": 5}, "source": "ours"}}}'
    )
    status, printed, _ = run("check", tmp_path / "set", "--target", own, "--json")
    document = json.loads(printed)
    assert (status, document["target"], document["verdict"]) == (1, "own", "fail")
    assert document["rules"] == [
        {
            "rule": "Frames",
            "measured": "6",
            "allowed": "at most 5",
            "verdict": "fail",
            "remedy": "use fewer frames, or thin them out",
        }
    ]
    own.write_text('{"name": "own",\n "title": "Own", "sides": 7}')
    assert "own.json: line 2, sides" in run("check", small, "--target", own)[2]
    assert run("check", tmp_path / "nothing.gif", "--target", "post")[0] == 2
    names = [target["name"] for target in json.loads(run("targets", "--json")[1])]
    assert "post" in names
    assert all(name in run("targets")[1] for name in names)


def test_all_outputs_of_a_recipe_go_into_one_folder(run: Run, soft: Path, tmp_path: Path) -> None:
    outputs: list[dict[str, Any]] = [
        {"id": "page", "file_name": "gull.gif"},
        {"id": "again", "file_name": "gull.gif", "size": {"width": 20}},
        {"id": "soft", "format": "webp", "file_name": "gull.webp"},
        {"id": "set", "format": "frames", "file_name": "gull.zip"},
    ]
    (tmp_path / "recipe.json").write_text(json.dumps({"outputs": outputs}))
    arguments = [
        "make",
        soft,
        "--recipe",
        tmp_path / "recipe.json",
        "--all",
        "-o",
        f"{tmp_path}/out/",
        "--json",
    ]
    status, printed, err = run(*arguments)
    assert (status, err) == (0, "")
    assert [one["output"] for one in json.loads(printed)["outputs"]] == [
        "gull.gif",
        "gull-2.gif",
        "gull.webp",
        "gull/",
    ]
    files = sorted(str(file.relative_to(tmp_path / "out")) for file in (tmp_path / "out").rglob("*.*"))
    assert files == ["gull-2.gif", "gull.gif", "gull.webp", *(f"gull/frame_000{n}.png" for n in range(1, 7))]
    assert run(*arguments)[0] == 2  # never silently replaced


def test_a_set_that_cannot_be_written_whole_leaves_nothing(
    run: Run,
    soft: Path,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    from jayflick.cli.writing import Writing

    whole = Writing.put

    def full(writing: Writing, path: Path, data: bytes, **more: bool) -> None:
        if path.name == "0004.png":
            raise OSError(28, "No space left on device")
        whole(writing, path, data, **more)

    monkeypatch.setattr(Writing, "put", full)
    status, _, err = run("make", soft, "-o", f"{tmp_path}/out/")
    assert (status, "No space left" in err, (tmp_path / "out").exists()) == (1, True, False)


def test_frames_are_trimmed_to_what_they_use(run: Run, soft: Path, tmp_path: Path) -> None:
    report = json.loads(run("make", soft, "-o", tmp_path / "a.png", "--trim", "--json")[1])
    assert (report["width"], report["height"]) == (46, 12)
    assert report["options"]["framing"]["crop"] == [1, 7, 46, 12]
    assert report["options"]["framing"]["drawn_on"] == [48, 32]
    report = json.loads(run("make", soft, "-o", tmp_path / "b.png", "--trim", "3", "--json")[1])
    assert (report["width"], report["height"]) == (48, 18)
    status, _, err = run("make", soft, "-o", tmp_path / "c.png", "--trim-bars")
    assert (status, "there is nothing to trim" in err) == (0, False)  # what is clear all round is a bar as well
    assert run("make", soft, "-o", tmp_path / "d.png", "--trim", "--crop", "0,0,9,9")[0] == 2


def test_what_is_asked_goes_before_what_a_recipe_says_and_nothing_is_dropped_in_silence(
    run: Run, soft: Path, tmp_path: Path
) -> None:
    own = {"crop": [0, 0, 40, 30], "drawn_on": [96, 64]}
    outputs = [{"file_name": "a.gif", "framing": own, "target": {"name": "tiny", "alpha": "none"}}]
    (tmp_path / "r.json").write_text(json.dumps({"framing": own, "outputs": outputs}))
    arguments = ["make", soft, "--recipe", tmp_path / "r.json", "--json", "--force"]
    report = json.loads(run(*arguments, "-o", tmp_path / "a.gif", "--crop", "1,2,30,20")[1])
    assert (report["width"], report["height"]) == (30, 20)
    report = json.loads(run(*arguments, "-o", tmp_path / "a.gif", "--trim", "--max-bytes", "2M")[1])
    assert (report["width"], report["height"]) == (46, 12)
    assert [rule["rule"] for rule in report["check"]["rules"]] == ["Bytes", "Alpha"]
    _, _, err = run(*arguments, "-o", f"{tmp_path}/all/", "--all", "--size", "20x", "--quality", "5")
    assert "--size has no effect with --all" in err
    assert "--quality has no effect with --all" in err
    assert run(*arguments, "-o", tmp_path / "b.gif", "--trim=-3")[0] == 2
    save_frames(soft, moving_square(1, 60, 60, soft=True), "gull_{}.png", first=9)
    (tmp_path / "r.json").write_text(json.dumps({"gather": {"sizes": "scale"}}))
    assert run(*arguments, "-o", tmp_path / "c.gif", "--trim")[0] == 0  # one of another size is not compared


def test_a_canvas_takes_the_picture_where_it_is_placed(run: Run, soft: Path, tmp_path: Path) -> None:
    options = ["--canvas", "60x50", "--place", "bottom-right"]
    assert run("make", soft, "-o", tmp_path / "a.png", "--still", "1", *options)[0] == 0
    with Image.open(tmp_path / "a.png") as made, Image.open(soft / "gull_1.png") as source:
        picture = np.array(made)
        assert picture.shape == (50, 60, 4)
        np.testing.assert_array_equal(picture[18:, 12:], np.array(source))
        assert not picture[:18].any()
    for wrong, word in (
        (["--canvas", "60"], "is not a size"),
        (["--canvas", "9x9", "--place", "up"], "--place"),
    ):
        status, _, err = run("make", soft, "-o", tmp_path / "b.png", *wrong)
        assert (status, word in err) == (2, True)


@pytest.fixture
def shaky(tmp_path: Path) -> Path:
    """Eight frames of one still scene, as from a hand that shakes and a lamp that flickers."""
    random = np.random.default_rng(2)
    scene = cv2.GaussianBlur(random.integers(0, 256, (140, 200, 3), np.uint8), (0, 0), 3)
    scene = cv2.normalize(scene, None, 20, 220, cv2.NORM_MINMAX)
    frames = []
    for number in range(8):
        right, down = (0, 0) if number == 0 else random.integers(-6, 7, 2)
        part = scene[20 + down : 120 + down, 20 + right : 180 + right] * random.uniform(0.92, 1.08)
        frames.append(np.dstack([part.round(), np.full((100, 160), 255)]).astype(np.uint8))
    save_frames(tmp_path / "shaky", frames, "pier_{}.png")
    return tmp_path / "shaky"


def flicker(folder: Path) -> float:
    """How far the mean luminance of neighbours differs, as a standard deviation."""
    means = [np.asarray(Image.open(path).convert("L"), float).mean() for path in sorted(folder.iterdir())]
    return float(np.diff(means).std())


def test_frames_are_steadied_and_stop_flickering(run: Run, shaky: Path, tmp_path: Path) -> None:
    steady = ["--line-up", "1", "--line-up-cover", "crop", "--match-tone", "1"]
    status, out, _ = run("make", shaky, "-o", f"{tmp_path}/out/", *steady, "--json")
    assert status == 0
    framing = json.loads(out)["options"]["framing"]
    left, top, width, height = framing["crop"]
    assert framing["drawn_on"] == [160, 100]
    assert width > 140
    assert height > 80
    made = [np.asarray(Image.open(path), int) for path in sorted((tmp_path / "out").iterdir())]
    assert made[0].shape == (height, width, 4)
    first = np.asarray(Image.open(shaky / "pier_1.png"), int)[top : top + height, left : left + width]
    for picture in made:
        assert (picture[:, :, 3] == 255).all()
        assert np.abs(picture - first).mean() < 1.5
    assert flicker(tmp_path / "out") * 10 < flicker(shaky)
    lined = json.loads(run("make", shaky, "-o", tmp_path / "a.gif", "--line-up", "1", "--json")[1])
    assert (lined["width"], lined["options"]["framing"]["line_up"]["cover"]) == (160, "enlarge")


@pytest.mark.parametrize(
    ("options", "what"),
    [
        (["--line-up", "9"], "there is no frame 9 to line up on"),
        (["--line-up", "1", "--line-up-box", "150,0,20,20"], "reaches outside the 160 × 100 frames"),
        (["--line-up", "1", "--line-up-box", "1,2,3"], "is not a box"),
        (["--match-tone", "9"], "there is no frame 9 to match"),
        (["--exposure", "9"], "too large: at most 4"),
        (["--gamma", "nan"], "is not a number"),
        (["--contrast", "101"], "too large: at most 100"),
    ],
)
def test_what_cannot_be_framed_so_is_said(
    run: Run, shaky: Path, tmp_path: Path, options: list[str], what: str
) -> None:
    status, _, err = run("make", shaky, "-o", tmp_path / "a.gif", *options)
    assert (status, what in err, "Traceback" in err) == (2, True, False), err


def test_tone_and_resampling_are_options(run: Run, soft: Path, tmp_path: Path) -> None:
    options = ["--size", "96x", "--resample", "nearest", "--saturation", "-100", "--exposure", "0.5"]
    report = json.loads(run("make", soft, "-o", f"{tmp_path}/big/", *options, "--json")[1])
    assert report["scaled_by"] == "nearest"
    made = np.asarray(Image.open(tmp_path / "big" / "0001.png"))
    np.testing.assert_array_equal(made[::2, ::2], made[1::2, 1::2])
    assert np.ptp(made[:, :, :3], axis=2).max() == 0
    uneven = json.loads(
        run("make", soft, "-o", tmp_path / "a.gif", "--size", "70x", "--resample", "nearest", "--json")[1]
    )
    assert any("unlike sizes" in note for note in uneven["notes"])
    choked = run("make", soft, "-o", tmp_path / "b.png", "--still", "1", "--choke", "1")
    assert choked[0] == 0
    alpha = np.asarray(Image.open(tmp_path / "b.png"))[:, :, 3]
    assert (alpha > 0).sum() < (np.asarray(Image.open(soft / "gull_1.png"))[:, :, 3] > 0).sum()
    # Pixels at the art's border take the softness of what lay outside.
    assert alpha.max() == 255


@pytest.mark.parametrize(
    ("options", "sides"),
    [
        (["--size", "580px"], (580, 363)),
        (["--size", "50%"], (80, 50)),
        (["--size", "12,5 %"], (20, 13)),
        (["--size", "50%", "--crop", "0,0,40,40"], (20, 20)),
        (["--canvas", "108x162", "--size", "30%", "--place", "centre"], (108, 162)),
        (["--canvas", "120x120", "--place", "40,-10"], (120, 120)),
        (["--order", "1-3, 2", "--fps", "12,5"], (160, 100)),
    ],
)
def test_sizes_and_orders_are_taken_as_people_type_them(
    run: Run, shaky: Path, tmp_path: Path, options: list[str], sides: tuple[int, int]
) -> None:
    status, out, err = run("make", shaky, "-o", tmp_path / "a.gif", *options, "--json")
    assert status == 0, err
    report = json.loads(out)
    assert (report["width"], report["height"]) == sides
    if "--order" in options:
        assert (report["count"], report["duration_ms"]) == (4, 320)


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (["--size", "1,000x"], "is not a size"),
        (["--fps", "1,000"], "is not a rate"),
        (["--order", "1-99"], "the order has a frame 99"),
        (["--order", "7-"], "is not an order"),
        (["--size", "50%", "--trim"], "do not go together"),
        (["--exposure", "1,000"], "may be 1000 or 1"),
    ],
)
def test_what_may_be_read_in_two_ways_is_refused(
    run: Run, shaky: Path, tmp_path: Path, options: list[str], words: str
) -> None:
    status, _, err = run("make", shaky, "-o", tmp_path / "a.gif", *options)
    assert (status, words in err, err.count("\n")) == (2, True, 1), err
