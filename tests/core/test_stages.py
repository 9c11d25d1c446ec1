"""Kept results: what a cache gives is what was put there, or nothing."""

import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.recipe import Recipe
from jayflick.core.render import render
from jayflick.core.sequence.files import look_at
from jayflick.core.stages import Stages, cache_key
from tests.conftest import moving_square, save_frames

KEY = cache_key("wake", 1)


@given(data=st.binary(min_size=1, max_size=60), at=st.integers(0, 80), bit=st.integers(0, 7), cut=st.booleans())
def test_a_damaged_result_is_made_again(
    tmp_path_factory: pytest.TempPathFactory, data: bytes, at: int, bit: int, cut: bool
) -> None:
    stages = Stages(tmp_path_factory.mktemp("stages"))
    assert stages.obtain("wake", KEY, lambda: data) == data
    file = stages.path("wake", KEY)
    whole = bytearray(file.read_bytes())
    at %= len(whole)
    if cut:
        del whole[at:]
    else:
        whole[at] ^= 1 << bit
    file.write_bytes(whole)
    assert stages.get("wake", KEY) is None
    assert stages.obtain("wake", KEY, lambda: data) == data
    assert stages.get("wake", KEY) == data
    assert stages.runs["wake"] == 2


def test_results_cut_short_as_by_a_loss_of_power_cost_work_and_nothing_else(tmp_path: Path) -> None:
    frames = list(look_at(save_frames(tmp_path / "frames", moving_square(4)), tmp_path)[1].values())
    stages = Stages(tmp_path / "stages")
    before = render(Recipe(), frames, "page", stages)
    for number, file in enumerate(sorted(stages.folder.glob("[0-9a-f][0-9a-f]/*"))):
        size = file.stat().st_size
        with file.open("r+b") as opened:
            opened.truncate((0, size // 2, size - 1)[number % 3])
    again = render(Recipe(), frames, "page", stages)
    assert (again.data, again.info) == (before.data, before.info)


def test_what_there_is_no_room_for_is_made_each_time(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    stages = Stages(tmp_path)

    def full(*arguments: object, **options: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("jayflick.core.stages.atomic_write", full)
    assert [stages.obtain("wake", KEY, lambda: b"wake") for _ in range(2)] == [b"wake", b"wake"]
    assert stages.runs["wake"] == 2


def test_what_was_used_last_stays_longest(tmp_path: Path) -> None:
    stages = Stages(tmp_path)
    keys = [cache_key("wake", 1, number) for number in range(5)]
    for moment, key in enumerate(keys):
        stages.obtain("wake", key, lambda: bytes(100))
        os.utime(stages.path("wake", key), (moment, moment))
    stages.get("wake", keys[0])
    kept = stages.prune(2 * 112)
    assert kept == 2 * 112
    assert [stages.has("wake", key) for key in keys] == [True, False, False, False, True]
