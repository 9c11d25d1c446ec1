"""One recipe for many sequences: each as ``make`` makes it, whatever becomes of the others."""

import json
import os
import signal
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from jayflick.cli.report import BatchReport, SequenceReport
from jayflick.core.recipe import FramesOutput, GifOutput, Recipe, WebpOutput
from tests.conftest import moving_square, save_frames
from tests.core.conftest import Run
from tests.server import until

RECIPE = Recipe(
    outputs=(
        GifOutput(id="page", file_name="loop.gif"),
        WebpOutput(id="small", file_name="loop.webp"),
        FramesOutput(id="set", file_name="set.zip"),
    )
)


@pytest.fixture
def terns(tmp_path: Path) -> Path:
    """Folders of sequences in folders, an archive of two, and what is none of it."""
    for at, name in enumerate(("E/tern-dive", "E/tern-fly", "N/tern-fly", "N/take/.png")):
        folder, _, stem = name.rpartition("/")
        pattern = "{}.png" if stem == ".png" else f"{stem}-{{}}.png"
        save_frames(tmp_path / "terns" / folder, moving_square(3 + at, 24, 18), pattern)
    (tmp_path / "terns" / "notes.txt").write_text("of no use")
    with zipfile.ZipFile(tmp_path / "more.zip", "w") as packed:
        for name in ("tern-dive", "tern-fly"):
            for file in sorted((tmp_path / "terns/E").glob(f"{name}-*.png")):
                packed.write(file, f"S/{file.name}")
    (tmp_path / "terns.json").write_text(RECIPE.model_dump_json())
    return tmp_path


def contents(folder: Path) -> dict[str, bytes]:
    return {
        file.relative_to(folder).as_posix(): file.read_bytes()
        for file in sorted(folder.rglob("*"))
        if file.is_file() and not file.name.startswith(".")
    }


SEQUENCES = [f"terns/{one}" for one in ("E/tern-dive", "E/tern-fly", "N/take", "N/tern-fly")]
SEQUENCES = ["more/S/tern-dive", "more/S/tern-fly", *SEQUENCES]


def test_each_sequence_becomes_what_make_makes_of_it(
    run: Run, terns: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(terns)
    call = ("batch", "terns", "more.zip", "-o", "site", "--recipe", "terns.json", "--report", "report.json")
    status, out, err = run(*call)
    assert status == 0, err
    assert "notes.txt: no frames by their names" in err
    assert "6 made, 0 failed" in out.splitlines()[-1]
    assert len(out.splitlines()) == 7
    report = json.loads(Path("report.json").read_text())
    BatchReport.model_validate(report)
    assert [one["sequence"] for one in report["sequences"]] == SEQUENCES
    for name, files in (
        ("terns/E/tern-dive", "terns/E/tern-dive-*.png"),
        ("terns/N/take", "terns/N/take/*.png"),
        ("more/S/tern-fly", "terns/E/tern-fly-*.png"),
    ):
        status, _, err = run("make", files, "-o", f"alone/{name}/", "--all", "--recipe", "terns.json")
        assert status == 0, err
        made = contents(Path("site") / name)
        assert made == contents(Path("alone") / name)
        assert {"loop.gif", "loop.webp", "set/frame_0001.png"} <= made.keys()

    again = contents(Path("site"))
    assert run(*call[:-2])[0] == 1, "what is there is not replaced"
    status, out, _ = run(*call, "--resume", "--json")
    assert (status, contents(Path("site"))) == (0, again)
    lines = [json.loads(line) for line in out.splitlines()]
    assert {one["state"] for one in lines} == {"kept"}
    SequenceReport.model_validate(lines[0])

    # Only what is missing, changed or made of other frames is made; a stranger's file stays.
    Path("site/terns/E/tern-dive/loop.gif").unlink()
    save_frames(Path("terns/N"), moving_square(5, 24, 18)[::-1], "tern-fly-{}.png")
    Path("site/terns/N/take/loop.webp").write_bytes(b"somebody else's")
    status, out, err = run(*call, "--resume", "--json")
    states = {one["sequence"]: one["state"] for one in map(json.loads, out.splitlines())}
    assert status == 1
    assert "terns/N/take: loop.webp: already exists" in err
    assert {name for name, state in states.items() if state == "made"} == {
        "terns/E/tern-dive",
        "terns/N/tern-fly",
    }
    assert {name for name, state in states.items() if state == "failed"} == {"terns/N/take"}
    assert Path("site/terns/N/take/loop.webp").read_bytes() == b"somebody else's"
    assert Path("site/terns/E/tern-dive/loop.gif").read_bytes() == again["terns/E/tern-dive/loop.gif"]


def test_one_that_fails_is_a_line_and_the_rest_is_made(
    run: Run, terns: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(terns)
    Path("terns/E/tern-fly-2.png").write_bytes(b"\x89PNG\r\n\x1a\n and no more")
    Path("broken.zip").write_bytes(b"PK\3\4 and no more")
    status, out, err = run("batch", "terns", "broken.zip", "-o", "out", "--colours", 8, "--jobs", 1)
    assert status == 1
    assert len(out.splitlines()) == 4
    assert "jayflick: terns/E/tern-fly: tern-fly-2.png:" in err
    assert "jayflick: broken: broken.zip:" in err
    assert sorted(contents(Path("out"))) == [
        f"terns/{one}.gif" for one in ("E/tern-dive", "N/take", "N/tern-fly")
    ]
    status, _, err = run(
        "batch", "terns/N", "-o", "out", "--max-bytes", 60, "--may", "none", "--names", "a/{sequence}.gif"
    )
    assert status == 1, "none fits"
    assert sorted(contents(Path("out/a"))) == ["take.gif", "tern-fly.gif"]


def test_a_recipe_of_more_frames_is_cut_short_and_says_so(
    run: Run, terns: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(terns)
    Path("long.json").write_text('{"rhythm": {"first": 2, "last": 4, "holds": {"4": 70560000}}}')
    status, _, err = run(
        "batch", "terns/E", "-o", "out", "--recipe", "long.json", "--names", "{sequence}/{file}"
    )
    assert status == 0, err
    assert "jayflick: tern-dive: note: the range ends at 3 instead of 4" in err
    assert "jayflick: tern-dive: note: 1 delay dropped: no such frames" in err
    assert "tern-fly: note" not in err
    with Image.open("out/tern-dive/loop.gif") as short, Image.open("out/tern-fly/loop.gif") as whole:
        assert (short.n_frames, whole.n_frames) == (2, 3)  # type: ignore[attr-defined]


def test_a_sheet_takes_all_that_lies_in_a_folder(
    run: Run, terns: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(terns)
    call = ("batch", "terns", "-o", "out", "--sheet", "packed", "--names", "{sequence}.png", "--describe")
    assert run(*call, "all.json")[0] == 2, "each would write it"
    status, _, err = run(*call, "{sequence}.json")
    assert status == 0, err
    assert sorted(contents(Path("out"))) == ["E.json", "E.png", "N.json", "N.png", "N/take.json", "N/take.png"]
    status, _, err = run("make", "terns/E", "-o", "E.png", "--sheet", "packed")
    assert (status, Path("E.png").read_bytes()) == (0, Path("out/E.png").read_bytes()), err


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (["terns", "-o", "site", "--names", "all.gif"], "does not tell sequences apart"),
        (["terns", "-o", "site", "--names", "../{sequence}.gif"], "does not tell sequences apart"),
        (["terns/E/tern-fly-*.png", "terns/N/tern-fly-*.png", "-o", "site"], "would have the same name"),
        (["terns/N/take/1.png", "terns.json", "-o", "terns.json"], "is not a folder"),
        (["terns.json", "-o", "site"], "no sequence was found; 1 other file is here"),
        (["gone", "-o", "site"], "gone: does not exist"),
        (["terns", "-o", "site", "--jobs", "0"], "out of range"),
        (["terns", "-o", "site", "--names", "{sequence}.bmp"], "this file type cannot be written"),
        (["terns", "-o", "site", "--colours", "1"], "--colours"),
        (["terns", "-o", "site", "--recipe", "report.json"], "report.json"),
        (["terns", "-o", "site", "--recipe", "terns.json", "--names", "{sequence}.{file}/a"], ""),
    ],
)
def test_what_cannot_be_meant_is_said_before_anything_is_made(
    run: Run, terns: Path, monkeypatch: pytest.MonkeyPatch, options: list[str], said: str
) -> None:
    monkeypatch.chdir(terns)
    Path("report.json").write_text('{"outputs": 3}')
    status, _, err = run("batch", *options)
    if said:
        assert (status, Path("site").exists()) == (2, False)
        assert said in err
    else:
        assert status == 0, err


def started(folder: Path, *more: str) -> "subprocess.Popen[str]":
    call = [sys.executable, "-m", "jayflick.cli", "batch", "many", "-o", "out", "--jobs", "2", *more]
    return subprocess.Popen(call, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


def noted(folder: Path) -> int:
    notes = folder / "out/.jayflick-batch.jsonl"
    return len(notes.read_bytes().splitlines()) if notes.exists() else 0


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGKILL])
def test_what_is_done_stays_whole_however_it_ends_and_the_rest_is_made_later(
    tmp_path: Path, how: signal.Signals
) -> None:
    for at in range(12):
        save_frames(tmp_path / "many" / f"kite-{at}", moving_square(8, 200, 150 + at), "f{}.png")
    process = started(tmp_path)
    until(lambda: noted(tmp_path) >= 2)
    process.send_signal(how)
    _, err = process.communicate(timeout=60)
    assert process.returncode == (-how if how == signal.SIGKILL else 1)
    if how != signal.SIGKILL:
        assert "of 12 are done; run it again with --resume to make the rest" in err
        assert not list(tmp_path.rglob(".part-*")), "nothing is left half-written"
    before = len(contents(tmp_path / "out"))
    assert 2 <= before < 12
    again = started(tmp_path, "--resume", "--json")
    out, err = again.communicate(timeout=120)
    states: list[dict[str, Any]] = [json.loads(line) for line in out.splitlines()]
    made = [one["sequence"] for one in states if one["state"] == "kept"]
    assert again.returncode == 0, err
    assert (len(states), len(made)) == (12, before)
    assert len(contents(tmp_path / "out")) == 12


def test_no_frame_and_no_strangers_file_is_replaced(
    run: Run, terns: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(terns)
    save_frames(Path("kites/k"), moving_square(2, 24, 18), "{}.png")
    save_frames(Path("kites"), moving_square(3, 24, 18), "k_2_{}.png")
    before = contents(Path("kites")) | contents(Path("terns"))
    over = ("--still", 1, "--names", "{sequence}_2_1.png", "--force")
    status, out, err = run("batch", "kites", "-o", "kites", *over)
    assert (status, len(out.splitlines())) == (1, 2)
    assert "jayflick: k: k_2_1.png: is a frame of another sequence, and is never replaced" in err
    call = ("batch", "terns/N", "-o", "out", "--resume", "--report")
    assert run(*call, "terns/notes.txt")[0] == 2, "it is not ours"
    assert run(*call, "terns/N/tern-fly-1.png", "--force")[0] == 2, "it is a frame"
    assert (run(*call, "report.json")[0], run(*call, "report.json")[0]) == (0, 0)
    assert before.items() <= (contents(Path("kites")) | contents(Path("terns"))).items()


def test_a_sequence_whose_process_is_killed_is_made_by_another(tmp_path: Path) -> None:
    for at in range(6):
        save_frames(tmp_path / "many" / f"kite-{at}", moving_square(8, 200, 150 + at), "f{}.png")
    process = started(tmp_path)
    until(lambda: noted(tmp_path) >= 1)
    children = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()
    os.kill(int(children[0]), signal.SIGKILL)
    _, err = process.communicate(timeout=120)
    assert (process.returncode, len(contents(tmp_path / "out"))) == (0, 6), err
