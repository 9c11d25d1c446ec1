"""The demo: drawn the same at every run, seamless, and what its recipes say it is."""

import itertools

import numpy as np
import pytest

from jayflick.core.pictures.kinds import read_picture
from jayflick.core.sequence.names import split_name
from jayflick.demo import DEMO, DemoProject

PARAMETERS = pytest.mark.parametrize("project", DEMO, ids=[project.stem for project in DEMO])


@PARAMETERS
def test_a_frame_is_the_same_bytes_whenever_it_is_drawn(project: DemoProject) -> None:
    first, again, other = project.png(3), project.png(3), project.png(4)
    assert first == again != other
    picture = read_picture(first, name=project.file_name(3))
    np.testing.assert_array_equal(picture[:, :, :3], project.draw(3, project.count)[:, :, :3])
    assert split_name(project.file_name(3)).number == 4


@PARAMETERS
def test_the_loop_closes_without_a_jump(project: DemoProject) -> None:
    """The step from the last frame to the first is like those around it."""
    count = project.count
    around = [project.draw(index % count, count).astype(int) for index in range(count - 3, count + 3)]
    steps = [np.abs(before - after).mean() for before, after in itertools.pairwise(around)]
    assert 0 < steps[2] < 1.5 * max(steps[1], steps[3])


def test_the_tern_has_soft_edges_and_the_lamp_has_none() -> None:
    tern, lamp = (project.draw(5, project.count) for project in DEMO)
    assert tern.shape == (256, 256, 4)
    assert len(np.unique(tern[:, :, 3])) > 10
    assert lamp.shape == (540, 960, 3)
    assert len(np.unique(lamp.reshape(-1, 3), axis=0)) > 20_000  # smooth gradients
