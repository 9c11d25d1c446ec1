"""Helpers that more than one layer of tests needs."""

import os
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import settings
from numpy.typing import NDArray
from PIL import Image

from jayflick.core.formats.gif import runs
from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.recipe import Recipe
from jayflick.core.targets.check import Remedy

# No test may fail because the machine is slow. The same cases every time: what passed once passes again.
settings.register_profile("repeatable", deadline=None, derandomize=True)
settings.register_profile(
    "explore", deadline=None, print_blob=True
)  # --hypothesis-profile=explore: other cases
settings.load_profile("repeatable")

# Nothing here speaks TLS: each client that is made would load all certificate authorities, which takes longer
# than what it asks (HTTPX, environment variables). Those who are started inherit it.
os.environ.pop("SSL_CERT_FILE", None)
os.environ["SSL_CERT_DIR"] = os.path.dirname(__file__)

Pictures = list[NDArray[np.uint8]]


@pytest.fixture(scope="session", autouse=True)
def own_state(tmp_path_factory: pytest.TempPathFactory) -> None:
    """What runs remember of what they wrote stays with the tests."""
    os.environ["XDG_STATE_HOME"] = str(tmp_path_factory.mktemp("state"))


def steps_of(data: bytes) -> Pictures:
    """What each of the coded frames shows, in a GIF that has not been given its time: equal ones are one."""
    return list(runs.steps_of(read_gif(data)))


def moving_square(count: int = 6, width: int = 48, height: int = 32, *, soft: bool = False) -> Pictures:
    """A square that crosses a gradient or, ``soft``, nothing at all, its edges half there. RGBA."""
    frames = []
    for index in range(count):
        frame = np.zeros((height, width, 4), np.uint8)
        if not soft:
            frame[:, :, 0] = np.linspace(0, 255, width, dtype=np.uint8)
            frame[:, :, 1] = np.linspace(40, 200, height, dtype=np.uint8)[:, None]
            frame[:, :, 3] = 255
        left = 2 + index * (width - 16) // max(count - 1, 1)
        frame[7:19, left - 1 : left + 13] = (250, 240, 90, 120 if soft else 255)
        frame[8:18, left : left + 12] = (220, 60, 30, 255)
        frames.append(frame)
    return frames


def lit_ball(count: int, width: int = 240, height: int = 136) -> Pictures:
    """A lit ball crossing black, with the grain a camera or a clip leaves in the dark. RGBA."""
    y, x = np.mgrid[0:height, 0:width]
    random = np.random.default_rng(8)
    frames = []
    for index in range(count):
        across = (x - 60 - 5 * index) / 34
        down = (y - height / 2) / 34
        far = across**2 + down**2
        light = np.clip(0.7 * np.sqrt(np.clip(1 - far, 0, 1)) - 0.5 * across - 0.5 * down, 0, 1) * (far < 1)
        glow = 10 * np.exp(-far / 6) + random.normal(0.3, 0.5, (height, width))
        frame = np.full((height, width, 4), 255, np.uint8)
        frame[:, :, :3] = np.clip(light[:, :, None] * (230, 160, 90) + glow[:, :, None], 0, 255)
        frames.append(frame)
    return frames


def save_frames(folder: Path, frames: Pictures, name: str = "square_{}.png", first: int = 1) -> list[Path]:
    """Frames as PNG files with unpadded numbers."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = [folder / name.format(number) for number in range(first, first + len(frames))]
    for path, frame in zip(paths, frames, strict=True):
        Image.fromarray(frame).save(path)
    return paths


@pytest.fixture(scope="session", autouse=True)
def compiled_loops() -> None:
    """Compile once, so that no test's own time limit meets the compiler."""
    from jayflick.core.warm import compiled_before, warm

    if not compiled_before():
        warm()


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    """Say at once that a test failed, while the others still run, to whoever gave us a place to say it."""
    place = os.environ.get("JAYFLICK_TEST_NEWS")
    if report.failed and place:
        text = f"FAILED  {report.nodeid} ({report.when})\n{report.longreprtext[-3000:]}\n"
        os.write(int(place), text.encode())


def applied(recipe: Recipe, remedy: Remedy) -> Recipe:
    """The recipe after a remedy, as the interface applies it."""
    document: Any = recipe.model_dump(mode="json")
    for setting in remedy.settings:
        where, *keys = setting.path
        part = document["outputs"][0] if where == "output" else document[where]
        for key in keys[:-1]:
            part = part[key]
        part[keys[-1]] = setting.value
    return Recipe.model_validate(document)
