"""Pictures cut into the views that lie side by side on them."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from jayflick.core.errors import InputError
from jayflick.core.sequence.views import Grid
from tests.core.conftest import Run

SIDES, FEW = st.integers(1, 60), st.integers(1, 9)


@given(
    st.integers(1, 9), st.integers(1, 9), st.integers(0, 5), st.sampled_from(["rows", "columns"]), SIDES, SIDES
)
def test_views_are_alike_lie_apart_by_the_gutter_and_fill_the_picture(
    across: int, down: int, gutter: int, order: str, width: int, height: int
) -> None:
    grid = Grid(across, down, gutter, order)  # type: ignore[arg-type]
    if width - gutter * (across - 1) < across or height - gutter * (down - 1) < down:
        with pytest.raises(InputError, match="do not hold"):
            grid.boxes(width, height)
        return
    boxes = grid.boxes(width, height)
    assert len(boxes) == across * down
    assert len({(box.width, box.height) for box in boxes}) == 1
    taken = np.zeros((height, width), int)
    for left, top, wide, high in boxes:
        taken[top : top + high, left : left + wide] += 1
    assert taken.max() == 1
    right, lower = grid.left_over(width, height)
    assert 0 <= right < across
    assert 0 <= lower < down
    free = (width - right) * (height - lower) - int(taken.sum())
    assert (free == 0) == (gutter == 0 or across == down == 1)
    corners = [(box.top, box.left) if order == "rows" else (box.left, box.top) for box in boxes]
    assert corners == sorted(corners)


def test_a_picture_of_three_views_becomes_a_loop(run: Run, tmp_path: Path) -> None:
    wide = np.full((20, 94, 4), 255, np.uint8)
    for number in range(3):
        wide[:, number * 32 : number * 32 + 30, :3] = 40 + 60 * number
    Image.fromarray(wide).save(tmp_path / "three.png")
    options = ["--views", "3x1", "--views-gutter", "2", "--there-and-back", "--length", "4s"]
    report = json.loads(run("make", tmp_path / "three.png", "-o", f"{tmp_path}/out/", *options, "--json")[1])
    assert (report["count"], report["duration_ms"], report["width"]) == (4, 4000, 30)
    made = [np.asarray(Image.open(path)) for path in sorted((tmp_path / "out").iterdir())]
    assert [int(picture[:, :, 0].mean()) for picture in made] == [40, 100, 160, 100]
    assert [np.ptp(picture) for picture in (made[0][:, :, 0], made[1][:, :, 0])] == [0, 0]


@pytest.mark.parametrize("options", [["--views", "3"], ["--views", "0x2"], ["--views", "99x1"]])
def test_views_that_do_not_fit_are_refused(run: Run, tmp_path: Path, options: list[str]) -> None:
    Image.new("RGB", (60, 20)).save(tmp_path / "a.png")
    status, _, err = run("make", tmp_path / "a.png", "-o", tmp_path / "a.gif", *options)
    assert (status, "view" in err) == (2, True)
