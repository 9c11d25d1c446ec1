"""The command line, as a script meets it: documents on stdout, one line on stderr, an exit status."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests.conftest import lit_ball, moving_square, save_frames
from tests.core.conftest import Run


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    save_frames(tmp_path / "in", moving_square(12))
    return tmp_path / "in"


def test_frames_become_a_gif_with_a_report(run: Run, folder: Path, tmp_path: Path) -> None:
    out = tmp_path / "loop.gif"
    options = ["--fps", "24", "--size", "24x", "--colours", "16", "--dither", "none", "--repeat", "2"]
    status, printed, err = run("make", folder, "-o", out, *options, "--report", tmp_path / "r.json", "--json")
    assert (status, err) == (0, "")
    report = json.loads(printed)
    assert report == json.loads((tmp_path / "r.json").read_text())
    assert {key: report[key] for key in ("output", "bytes", "width", "height", "count", "duration_ms")} == {
        "output": "loop.gif",
        "bytes": out.stat().st_size,
        "width": 24,
        "height": 16,
        "count": 12,
        "duration_ms": 500,
    }
    assert set(report["seconds"]) == {"read", "rhythm", "framing", "tuning", "encoding", "total"}
    assert report["peak_memory_bytes"] > 10_000_000
    assert report["options"]["outputs"][0]["tuning"]["colours"] == 16
    status, printed, _ = run("info", out, "--json")
    info = json.loads(printed)
    assert (status, info["format"], info["repeat"], info["duration_ms"]) == (0, "gif", 2, 500)
    assert [frame["index"] for frame in info["frames"]] == list(range(12))
    assert sum(frame["bytes"] for frame in info["frames"]) < info["bytes"]
    assert info["colours"] <= 16
    with Image.open(out) as picture:
        assert getattr(picture, "n_frames", 1) == 12


def test_a_palette_for_each_frame(run: Run, tmp_path: Path) -> None:
    save_frames(tmp_path / "in", lit_ball(3))
    tables = []
    for palette in ("shared", "frame"):
        out = tmp_path / f"{palette}.gif"
        assert run("make", tmp_path / "in", "-o", out, "--dither", "none", "--palette", palette)[0] == 0
        tables.append({frame["palette"] for frame in json.loads(run("info", out, "--json")[1])["frames"]})
    assert tables == [{"global"}, {"local"}]


def test_loss_is_likeness_given_for_bytes(run: Run, tmp_path: Path) -> None:
    save_frames(tmp_path / "in", lit_ball(4))
    sizes = []
    for loss in ("0", "40"):
        out = tmp_path / f"{loss}.gif"
        assert run("make", tmp_path / "in", "-o", out, "--dither", "none", "--loss", loss)[0] == 0
        sizes.append(out.stat().st_size)
    assert sizes[1] < sizes[0] / 2
    status, _, err = run("make", tmp_path / "in", "-o", tmp_path / "a.webp", "--loss", "9")
    assert (status, "--loss has no effect here" in err) == (0, True)


def test_a_folder_takes_numbered_frames_in_played_order(run: Run, folder: Path, tmp_path: Path) -> None:
    options = ["--range", "2-5", "--there-and-back"]
    assert run("make", folder, "-o", f"{tmp_path}/out/", *options)[0] == 0
    files = sorted((tmp_path / "out").iterdir())
    assert [file.name for file in files] == [f"{n:04}.png" for n in range(1, 7)]
    for number, file in zip([2, 3, 4, 5, 4, 3], files, strict=True):  # never through a palette
        with Image.open(file) as picture, Image.open(folder / f"square_{number}.png") as source:
            assert picture.mode == "RGBA"
            np.testing.assert_array_equal(np.array(picture), np.array(source))
    options = ["--frames", "tga", "--names", "gull_##_a", "--first-number", "98", "--colours", "9"]
    status, _, err = run("make", folder, "-o", f"{tmp_path}/out", *options, "--force")
    assert (status, "--colours has no effect here" in err) == (0, True)
    assert sorted(file.name for file in (tmp_path / "out").glob("*.tga"))[::11] == [
        "gull_098_a.tga",
        "gull_109_a.tga",
    ]


def test_a_recipe_and_options_on_top_of_it(run: Run, folder: Path, tmp_path: Path) -> None:
    (tmp_path / "recipe.json").write_text('{"rhythm": {"rate": "10"}, "outputs": [{"tuning": {"colours": 8}}]}')
    arguments = ["make", folder, "-o", tmp_path / "a.gif", "--recipe", tmp_path / "recipe.json", "--json"]
    assert json.loads(run(*arguments)[1])["duration_ms"] == 1200
    assert json.loads(run(*arguments, "--delay", "4cs", "--force")[1])["duration_ms"] == 480


def test_options_are_not_guessed_and_a_result_is_never_a_frame(run: Run, folder: Path, tmp_path: Path) -> None:
    status, _, err = run("make", folder, "-o", tmp_path / "a.gif", "--gap", "hold")
    assert (status, "--gap" in err) == (2, True)
    loop = folder / "loop.gif"
    for output in (f"{folder}/played/", loop):
        for _ in range(2):
            status, printed, _ = run("make", f"{folder}/square_*.png", "-o", output, "--json", "--force")
            assert (status, json.loads(printed)["count"]) == (0, 12)
    status, printed, err = run("make", folder, "-o", loop, "--json", "--force")
    assert (status, json.loads(printed)["count"]) == (0, 12)
    assert "passed over 0001.png, 0002.png" in err
    assert run("make", loop, "-o", loop, "--force")[0] == 0  # named itself, it is reworked


def test_gather_without_a_usable_frame_is_bad_input_in_both_forms(run: Run, tmp_path: Path) -> None:
    (tmp_path / "notes.txt").write_text("hello")
    status, printed, err = run("gather", tmp_path, "--json")
    assert (status, json.loads(printed)["sequences"], err.count("\n")) == (2, [], 1)
    assert run("gather", tmp_path)[0] == 2


def test_a_new_loop_is_dithered_only_where_that_serves_it(run: Run, tmp_path: Path) -> None:
    save_frames(tmp_path / "sky", moving_square(6, 192, 128))  # dither on a gradient costs twice the bytes
    save_frames(tmp_path / "ball", lit_ball(6))
    for folder, colours, dither in (("sky", 64, "none"), ("ball", 128, "diffusion")):
        arguments = ["make", tmp_path / folder, "-o", tmp_path / "a.gif", "--colours", colours, "--force"]
        report = json.loads(run(*arguments, "--json")[1])
        assert report["dither"] == dither
        named = json.loads(run(*arguments, "--dither", dither, "--json")[1])
        assert report["bytes"] == named["bytes"]


def test_gather_tells_what_is_there(run: Run, folder: Path, tmp_path: Path) -> None:
    (folder / "square_4.png").unlink()
    (folder / "square_6.png").write_bytes(b"")
    (folder / "notes.txt").write_text("hello")
    status, printed, _ = run("gather", folder, "--json")
    (sequence,) = json.loads(printed)["sequences"]
    assert (status, sequence["count"], sequence["missing"]) == (0, 10, [4, 6])
    assert [problem["kind"] for problem in sequence["problems"]] == ["unreadable", "missing"]
    assert json.loads(printed)["ignored"] == [
        {"file": "notes.txt", "message": "not a supported picture format"}
    ]
    assert "square_6.png: the file is empty" in run("gather", folder)[1]


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["make", "nowhere.png", "-o", "x.gif"], "nowhere.png: there is no such file"),
        (["make", "*.nothing", "-o", "x.gif"], "*.nothing: nothing matches this pattern"),
        (["make", "IN", "-o", "x.bmp"], "x.bmp: this file type cannot be written"),
        (["make", "IN", "-o", "THERE"], "there.gif: already exists; add --force"),
        (["make", "IN", "-o", "x.gif", "--fps", "0"], "'0' is not a rate"),
        (["make", "IN", "-o", "x.gif", "--colours", "1"], "--colours: 1 is too small: at least 2"),
        (["make", "IN", "-o", "x.gif", "--loss", "101"], "--loss: 101 is too large: at most 100"),
        (["make", "IN", "-o", "x.gif", "--lock", "#000 #12"], "argument --lock: '#12' is not a colour"),
        (["make", "IN", "-o", "x.gif", "--lock", "#000,#000000"], "#000000 is locked twice"),
        (
            ["make", "IN", "-o", "x.gif", "--lock", "THERE"],
            "--lock: there.gif: 'mine' is not a colour",
        ),
        (["make", "IN", "-o", "x.gif", "--range", "3-99"], "the range 3-99 does not lie in the 12 frames"),
        (["make", "IN", "-o", "x.gif", "--size", "99999x"], "--size: 99999 is too large: at most"),
        (["make", "IN", "-o", "x.gif", "--range", "9-3"], "jayflick: the first frame of the range comes after"),
        (["make", "IN", "-o", "x.gif", "--dither", "magic"], "argument --dither: invalid choice"),
        (["make", "IN", "-o", "x.gif", "--fps", "5", "--delay", "4cs"], "not allowed with"),
        (["info", "THERE"], "there.gif: not a supported picture format"),
        (["dance"], "invalid choice"),
        ([], "the following arguments are required"),
    ],
)
def test_bad_input_is_one_line_and_status_2(
    run: Run, folder: Path, tmp_path: Path, arguments: list[str], message: str
) -> None:
    (tmp_path / "there.gif").write_text("mine")
    places = {"IN": folder, "THERE": tmp_path / "there.gif"}
    status, out, err = run(*[places.get(argument, argument) for argument in arguments])
    assert (status, out) == (2, "")
    assert err.startswith("jayflick: ")
    assert err.count("\n") == 1
    assert message in err
    assert (tmp_path / "there.gif").read_text() == "mine"


def test_broken_frames_and_sequences_and_strange_names_are_named(
    run: Run, folder: Path, tmp_path: Path
) -> None:
    save_frames(folder, moving_square(2), "other_{}.png")
    status, _, err = run("make", folder, "-o", tmp_path / "x.gif")
    assert (status, err.count("\n")) == (2, 1)
    assert "2 sequences are here: square_#.png, other_#.png; choose one with a pattern in quotes" in err
    assert run("make", f"{folder}/other_*.png", "-o", tmp_path / "x.gif")[0] == 0
    evil = folder / "other_3\n\u202e.png"
    evil.write_bytes(b"\x89PNG\r\n\x1a\n")
    status, _, err = run("make", evil, "-o", tmp_path / "y.gif")
    assert (status, err.count("\n")) == (2, 1)
    assert "\\u202e" in err
    assert not (tmp_path / "y.gif").exists()


def test_it_runs_as_a_program_and_stays_quiet_when_its_reader_leaves(folder: Path, tmp_path: Path) -> None:
    program = [sys.executable, "-m", "jayflick.cli"]
    made = subprocess.run(
        [*program, "make", folder, "-o", tmp_path / "a.gif"], capture_output=True, text=True, check=True
    )
    assert made.stdout == made.stderr == ""
    piped = subprocess.run(
        f"'{sys.executable}' -m jayflick.cli info '{tmp_path}/a.gif' | true",
        shell=True,
        capture_output=True,
        text=True,
        check=False,
    )
    assert "Traceback" not in piped.stderr


def test_a_recipe_decides_on_frames_that_do_not_fit(run: Run, folder: Path, tmp_path: Path) -> None:
    save_frames(folder, moving_square(1, 60, 60), "square_{}.png", first=13)
    status, _, err = run("make", folder, "-o", tmp_path / "a.gif")
    assert (status, "square_13.png: is 60 × 60, the others are 48 × 32" in err) == (2, True)
    for gather, count in (('{"left_out": [13]}', 12), ('{"sizes": "scale"}', 13)):
        (tmp_path / "recipe.json").write_text(f'{{"gather": {gather}}}')
        arguments = ["make", folder, "-o", tmp_path / f"{count}.gif", "--recipe", tmp_path / "recipe.json"]
        status, printed, err = run(*arguments, "--json")
        assert (status, json.loads(printed)["count"]) == (0, count)
        assert "note: square_13.png: is 60 × 60" in err
    (tmp_path / "recipe.json").write_text('{"gather": {}}')
    assert run("make", folder, "-o", tmp_path / "b.gif", "--recipe", tmp_path / "recipe.json")[0] == 2
