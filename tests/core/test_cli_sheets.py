"""Sheets from the command line."""

import csv
import json
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image

from jayflick.core.formats.sheet.description import SheetDocument
from jayflick.core.formats.sheet.format import cut_out
from tests.conftest import moving_square, save_frames
from tests.core.conftest import Run


def read(path: Path) -> NDArray[np.uint8]:
    with Image.open(path) as picture:
        return np.array(picture.convert("RGBA"))


@pytest.fixture
def flock(tmp_path: Path) -> Path:
    """Two motions of terns, five and three frames of 48 × 32."""
    frames = moving_square(8, 48, 32, soft=True)
    save_frames(tmp_path / "in", frames[:5], "tern-fly-{}.png")
    save_frames(tmp_path / "in", frames[5:], "tern-dive-{}.png")
    return tmp_path / "in"


def test_sequences_become_rows_with_everything_said(run: Run, flock: Path, tmp_path: Path) -> None:
    out, said, table = tmp_path / "terns.png", tmp_path / "terns.json", tmp_path / "terns.csv"
    status, printed, err = run(
        *("make", flock, "-o", out, "--sheet", "even", "--rows", "spans", "--margin", "2", "--spacing", "3"),
        *("--extrude", "1", "--sides", "four", "--anchor", "0.5,1", "--describe", said, "--describe", table),
        *("--fps", "10", "--json"),
    )
    assert (status, err) == (0, "")
    report = json.loads(printed)
    sheet = read(out)
    # 2 + 5 × (48 + 2) + 4 × 3 + 2 across, 2 rows of 32 + 2 down, both brought to a multiple of 4.
    assert report["sheets"] == [[268, 76]]
    assert (report["width"], report["height"]) == (sheet.shape[1], sheet.shape[0]) == (268, 76)
    assert report["bytes"] == out.stat().st_size
    document = SheetDocument.model_validate_json(said.read_text())
    assert [span.name for span in document.spans] == ["fly", "dive"]
    assert [frame.y for frame in document.frames] == [3] * 5 + [40] * 3
    assert {(frame.duration_ms, frame.anchor_y) for frame in document.frames} == {(100, 1)}
    for frame in document.frames:
        source = read(flock / f"{frame.name}.png")
        assert np.array_equal(cut_out(sheet, frame), source)
    assert len(list(csv.reader(table.read_text().splitlines()))) == 9
    again, _, refused = run("make", flock, "-o", out, "--sheet", "even")
    assert (again, "already exists" in refused) == (2, True)


def test_too_many_frames_are_refused_with_the_scale_that_is_then_taken(
    run: Run, flock: Path, tmp_path: Path
) -> None:
    out = tmp_path / "small.png"
    asked = ("make", flock, "-o", out, "--sheet", "even", "--widest", "64")
    status, _, err = run(*asked)
    assert (status, out.exists()) == (2, False)
    assert "6 of 8 frames do not fit on a sheet of 64 × 64; they fit at 0.521 (25 × 16)" in err
    status, _, err = run(*asked, "--scale-to-fit", "--json")
    assert (status, "scaled to 0.521 (25 × 16)" in err) == (0, True)
    assert max(read(out).shape) <= 64
    # What an earlier run wrote and this one does not is gone; what somebody else put there stays.
    (tmp_path / "small-9.png").write_bytes(b"a stranger's")
    pages_of = {"even": [f"small-{page}.png" for page in range(1, 5)], "packed": ["small.png"]}
    for layout, pages in pages_of.items():
        status, printed, err = run(*asked[:-3], layout, "--widest", "64", "--more-sheets", "--force", "--json")
        assert (status, err) == (0, "")
        assert [one["file"] for one in json.loads(printed)["files"]] == pages
        assert sorted(path.name for path in tmp_path.glob("small*")) == sorted([*pages, "small-9.png"])
        assert all(max(read(tmp_path / page).shape[:2]) <= 64 for page in pages)


@pytest.mark.parametrize(
    ("options", "message"),
    [
        (["-o", "s.gif", "--sheet", "even"], "this is no sheet; use .png or .webp"),
        (["-o", "s/", "--sheet", "even"], "a sheet is a file; use -o sheet.png"),
        (["-o", "s.png", "--sheet", "even", "--columns", "0"], "no number of columns"),
        (["-o", "s.png", "--sheet", "even", "--anchor", "middle"], "no point"),
        (["-o", "s.png", "--sheet", "even", "--describe", "s.txt"], "s.txt: is no kind of description"),
        (["-o", "s.png", "--sheet", "even", "--widest", "9000"], "--widest: 9000 is too large: at most"),
    ],
)
def test_what_makes_no_sheet_is_said(
    run: Run, flock: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, options: list[str], message: str
) -> None:
    monkeypatch.chdir(tmp_path)
    status, _, err = run("make", flock, *options)
    assert (status, message in err) == (2, True), err


def test_options_of_sheets_are_noted_where_they_have_no_effect(run: Run, flock: Path, tmp_path: Path) -> None:
    frames = str(flock / "tern-fly-*.png")
    status, _, err = run("make", frames, "-o", tmp_path / "a.gif", "--extrude", "2")
    assert (status, "--extrude has no effect here: it is for sheet" in err) == (0, True)


def test_pixels_and_a_target_are_settled_for_what_a_phone_takes(run: Run, flock: Path, tmp_path: Path) -> None:
    out = tmp_path / "phone.png"
    status, printed, err = run(
        *("make", flock, "-o", out, "--sheet", "packed", "--pixels", "565", "--pixel-dither", "ordered"),
        *("--widest", "4096", "--target", "phone-sheet", "--json"),
    )
    assert (status, err.splitlines()) == (
        0,
        [
            "jayflick: note: --widest 4096 is more than the target takes: 2048",
            "jayflick: note: transparent pixels lie over #ffffff: --matte sets another colour",
        ],
    )
    report = json.loads(printed)
    assert report["check"]["verdict"] == "pass"
    made = report["options"]["outputs"][0]
    assert (made["widest"], made["over"]) == (2048, "#ffffff")  # the target says what is allowed
    assert (read(out)[:, :, 3] == 255).all()
