"""The demo: drawn the same at every run, seamless, and what its recipes say it is."""

import itertools

import numpy as np
import pytest

from jayflick.core.pictures.kinds import read_picture
from jayflick.core.sequence.first import spans_of
from jayflick.core.sequence.gather import Found, gather, joined
from jayflick.core.sequence.pieces import Piece, Refused, pieces
from jayflick.demo import DEMO, DemoProject

BY_FOLDER = {project.folder: project for project in DEMO}


@pytest.mark.parametrize("project", DEMO, ids=BY_FOLDER)
def test_a_file_is_the_same_bytes_whenever_it_is_made(project: DemoProject) -> None:
    _, make = project.files[len(project.files) // 3]
    assert make() == make()
    assert len({name for name, _ in project.files}) == len(project.files)


@pytest.mark.parametrize("folder", ["tern", "dusk_lamp", "pier"])
def test_the_loop_closes_without_a_jump(folder: str) -> None:
    """The step from the last frame to the first is like those around it."""
    files = BY_FOLDER[folder].files
    around = [read_picture(files[index][1](), name="").astype(int) for index in (-3, -2, -1, 0, 1, 2)]
    steps = [np.abs(before - after).mean() for before, after in itertools.pairwise(around)]
    assert 0 < steps[2] < 1.5 * max(steps[1], steps[3])


def test_the_tern_has_soft_edges_and_the_lamp_has_none() -> None:
    tern, lamp = (read_picture(BY_FOLDER[f].files[5][1](), name="") for f in ("tern", "dusk_lamp"))
    assert tern.shape == (256, 256, 4)
    assert len(np.unique(tern[:, :, 3])) > 10
    assert lamp.shape == (540, 960, 4)
    assert len(np.unique(lamp.reshape(-1, 4), axis=0)) > 20_000  # smooth gradients


def test_the_folder_that_is_a_mess_is_reported_whole() -> None:
    found = []
    for name, make in BY_FOLDER["kite"].files:
        (piece,) = pieces(make(), name)
        if isinstance(piece, Piece):
            found.append(Found(name, piece.header, None, piece.fingerprint))
        elif isinstance(piece, Refused):
            found.append(Found(name, None, piece.error))
    (sequence,), ignored = gather(found)
    assert ignored == []
    assert sequence.missing == [7, 12, 15]
    assert {problem["kind"]: problem["file"] for problem in sequence.problems} == {
        "unreadable": "kite_15.png",
        "size": "kite_4.png",
        "missing": "",
        "turn": "kite_21.png",
    }


def test_the_flock_falls_into_directions_and_motions() -> None:
    sequences, _ = gather(Found(name, None) for name, _ in BY_FOLDER["terns"].files)
    assert sorted(len(sequence.files) for sequence in sequences) == [4] * 8 + [6] * 8 + [8] * 8
    assert {tuple(sequence.labels) for sequence in sequences} >= {("NE", "dive"), ("N", "glide")}
    some = [one for one in sequences if one.labels[0] == "NE"]
    assert [span.name for span in spans_of(joined(some))] == ["fly", "dive", "glide"]
    both = [one for one in sequences if one.labels[0] in ("NE", "N")]
    assert {span.name for span in spans_of(joined(both))} >= {"NE dive", "N dive"}
    assert [span.name for span in spans_of(joined([some[0], some[0]]))] == ["NE fly", "NE fly 2"]
