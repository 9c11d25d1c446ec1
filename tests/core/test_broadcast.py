"""Transitions that hide a cut, and overlays in memory: 1920 × 1080 × 4 are 8,294,400 bytes a frame."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from PIL import Image

from jayflick.core.broadcast.cover import Cover, opaque_share
from jayflick.core.broadcast.overlay import Memory
from jayflick.core.framing.art_box import Box
from tests.conftest import save_frames
from tests.core.conftest import Run

Picture = NDArray[np.uint8]


def curtain(count: int, width: int = 64, height: int = 36, whole: int = 3) -> list[Picture]:
    """A curtain that closes from both sides, stays shut for so many frames, and opens again."""
    frames = []
    middle = (count - 1) / 2
    for index in range(count):
        frame = np.full((height, width, 4), (23, 102, 194, 255), np.uint8)
        open_by = max(0.0, abs(index - middle) - whole / 2)
        reach = min(width // 2, round(open_by / middle * width / 2) if open_by else 0)
        frame[:, width // 2 - reach : width // 2 + reach, 3] = 0
        frames.append(frame)
    return frames


@given(st.lists(st.sampled_from([0.0, 0.5, 1.0]), max_size=40))
def test_the_cut_lies_in_the_middle_of_the_longest_covered_run(shares: list[float]) -> None:
    cover = Cover(tuple(shares))
    inside = {number for first, last in cover.covered for number in range(first, last + 1)}
    assert inside == {number for number, share in enumerate(shares, 1) if share == 1}
    if cover.cut is None:
        assert not inside
        return
    lengths = {run: run[1] - run[0] for run in cover.covered}
    (first, last) = next(run for run in cover.covered if run[0] <= cover.cut <= run[1])
    assert lengths[first, last] == max(lengths.values())
    assert abs((cover.cut - first) - (last - cover.cut)) <= 1


def test_one_pixel_that_is_not_opaque_uncovers_the_picture() -> None:
    """Against NumPy's own count."""
    frame = np.full((1080, 1920, 4), 255, np.uint8)
    assert opaque_share(frame) == 1
    frame[1079, 1919, 3] = 254
    assert opaque_share(frame) == np.mean(frame[:, :, 3] == 255) < 1


def test_the_command_says_where_a_transition_covers_and_where_to_cut(run: Run, tmp_path: Path) -> None:
    save_frames(tmp_path / "in", curtain(21), "curtain_{}.png")
    status, printed, _ = run("cover", tmp_path / "in", "--json")
    found = json.loads(printed)
    assert (status, found["count"], found["covered"], found["cut"]) == (0, 21, [[10, 12]], 11)
    alphas = []
    for number in range(1, 22):
        with Image.open(tmp_path / "in" / f"curtain_{number}.png") as picture:
            alphas.append(np.array(picture.convert("RGBA"))[:, :, 3])
    assert found["opaque"] == [pytest.approx(np.mean(alpha == 255), abs=1e-6) for alpha in alphas]
    status, printed, _ = run("cover", tmp_path / "in")
    assert (status, "covered from 10 to 12; cut at 11" in printed) == (0, True)

    open_ones = [frame for frame in curtain(21) if (frame[:, :, 3] == 0).any()]
    save_frames(tmp_path / "open", open_ones, "curtain_{}.png")
    status, printed, _ = run("cover", tmp_path / "open", "--json")
    assert json.loads(printed)["cut"] is None
    assert "no frame covers the picture: frame" in run("cover", tmp_path / "open")[1]


def test_the_command_says_what_an_overlay_takes(run: Run, tmp_path: Path) -> None:
    frames = []
    for index in range(4):
        frame = np.zeros((90, 160, 4), np.uint8)
        frame[10 + index : 20 + index, 100:140] = 255
        frames.append(frame)
    save_frames(tmp_path / "in", frames, "bug_{}.png")
    status, printed, _ = run("memory", tmp_path / "in", "--json")
    assert (status, json.loads(printed)) == (
        0,
        {
            "count": 4,
            "box": [100, 10, 40, 13],
            "trimmed_bytes": 4 * 40 * 13 * 4,
            "full_bytes": 4 * 8_294_400,
            "verdict": "pass",
        },
    )
    status, printed, _ = run("memory", tmp_path / "in", "--raster", "32x18")
    assert (status, "too much" in printed) == (1, True)


@pytest.mark.parametrize(("count", "verdict"), [(300, "pass"), (301, "warn"), (600, "warn"), (601, "fail")])
def test_an_overlay_of_many_frames_is_warned_of_and_then_stopped(count: int, verdict: str) -> None:
    """300 and 600 frames (common practice, no published source)."""
    assert Memory(count, Box(0, 0, 96, 54), (1920, 1080)).verdict == verdict


@pytest.mark.parametrize(
    ("names", "message"),
    [
        ([], "holds no numbered frames"),
        (["a_1.png", "b_1.png"], "holds 2 sequences: a_#.png, b_#.png"),
    ],
)
def test_a_folder_without_one_set_is_said(run: Run, tmp_path: Path, names: list[str], message: str) -> None:
    (tmp_path / "in").mkdir()
    for name in names:
        Image.new("RGBA", (4, 4)).save(tmp_path / "in" / name)
    status, _, err = run("cover", tmp_path / "in")
    assert (status, message in err) == (2, True), err


def test_a_set_with_a_gap_another_size_or_a_broken_file_is_said(run: Run, tmp_path: Path) -> None:
    folder = tmp_path / "in"
    save_frames(folder, curtain(5), "c_{}.png")
    (folder / "c_3.png").unlink()
    assert "numbers missing: 3" in run("cover", folder)[1]
    Image.new("RGBA", (4, 4)).save(folder / "c_3.png")
    assert "c_3.png: is 4 × 4, the first is 64 × 36" in run("memory", folder)[2]
    (folder / "c_3.png").write_bytes((folder / "c_2.png").read_bytes()[:60])
    assert run("cover", folder)[2].startswith("jayflick: c_3.png: ")


def test_numbers_that_lie_far_apart_cost_no_more_than_others(run: Run, tmp_path: Path) -> None:
    folder = tmp_path / "in"
    save_frames(folder, curtain(2), "c_{}.png")
    (folder / "c_2.png").rename(folder / f"c_{10**15}.png")
    status, printed, _ = run("cover", folder)
    assert (status, "numbers missing: 2, 3, 4, 5, 6 …" in printed) == (0, True)


def test_a_transition_is_checked_for_cover_where_it_goes(run: Run, tmp_path: Path) -> None:
    """The file's own pictures are looked at, and those of an output that is made: both say the same."""
    save_frames(tmp_path / "in", curtain(21), "curtain_{}.png")
    open_ones = [frame for frame in curtain(21) if (frame[:, :, 3] == 0).any()]
    save_frames(tmp_path / "open", open_ones, "curtain_{}.png")
    for folder, verdict, measured in (
        ("in", "pass", "frames 10 to 12, cut at 11"),
        ("open", "fail", "frame 9 covers 93.75 %"),
    ):
        for asked in (
            ("check", tmp_path / folder),
            ("make", tmp_path / folder, "-o", f"{tmp_path}/made-{folder}/", "--size", "64x36", "--fps", "60"),
        ):
            _, printed, _ = run(*asked, "--target", "switcher-transition", "--json")
            document = json.loads(printed)
            rules = {rule["rule"]: rule for rule in document.get("check", document)["rules"]}
            assert (rules["Cover"]["verdict"], rules["Cover"]["measured"]) == (verdict, measured)


def test_frames_whose_rate_nobody_said_go_one_by_one_where_a_target_fixes_it(run: Run, tmp_path: Path) -> None:
    """Sixty rendered frames are the second that they are for, not two and a half."""
    save_frames(tmp_path / "in", curtain(60), "curtain_{}.png")
    for asked, files, verdict in (
        ((), 60, "pass"),
        (("--fps", "24"), 150, "fail"),  # they were said to last longer
        (("--fps", "24", "--one-by-one"), 60, "pass"),
        (("--play-fps", "30"), 75, "fail"),
    ):
        to = tmp_path / f"out-{len(asked)}-{files}"
        _, printed, _ = run(
            *("make", tmp_path / "in", "-o", f"{to}/", "--size", "64x36", *asked),
            *("--target", "switcher-transition", "--json"),
        )
        rules = {rule["rule"]: rule["verdict"] for rule in json.loads(printed)["check"]["rules"]}
        assert (len(list(to.iterdir())), rules["Frames"]) == (files, verdict), asked
    status, _, error = run("make", tmp_path / "in", "-o", tmp_path / "a.gif", "--one-by-one")
    assert status == 2
    assert "--one-by-one needs a rate" in error


def test_what_comes_out_of_nothing_and_goes_into_nothing_is_not_called_a_loop(run: Run, tmp_path: Path) -> None:
    curtains = curtain(21)
    clear = np.zeros_like(curtains[0])
    for name, ends, told in (("transition", clear, False), ("loop", curtains[5], True)):
        save_frames(tmp_path / name, [ends, *curtains[1:-1], ends], "c_{}.png")
        (found,) = json.loads(run("gather", tmp_path / name, "--json")[1])["sequences"]
        assert ("turn" in {problem["kind"] for problem in found["problems"]}) == told
