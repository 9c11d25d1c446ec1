"""Sheets as others read them: PNG colour types and depths, decoders, a game library, another coder's palette.

Sources: PNG third edition, sections 7.2 (packing), 11.2.1 (colour types), 11.3.1 (tRNS).
"""

import math
import os
import re
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from PIL import Image

from jayflick.core.errors import Cancelled
from jayflick.core.formats.sheet.sheet_png import sheet_png
from jayflick.core.palette.with_alpha import Count, indices
from tests.core.test_sheets import blots, files, made

ROOT = Path(__file__).parents[2]
Picture = NDArray[np.uint8]


def snippet(language: str) -> str:
    """The example of this language in the documentation."""
    text = (ROOT / "docs" / "sheets.md").read_text()
    found = re.search(rf"```{language}\n(.*?)```", text, re.DOTALL)
    assert found
    return found[1]


def by_pillow(data: bytes) -> Picture:
    return np.array(Image.open(BytesIO(data)).convert("RGBA"))


def by_opencv(data: bytes) -> Picture:
    flags = cv2.IMREAD_UNCHANGED
    found = cv2.imdecode(np.frombuffer(data, np.uint8), flags)
    assert found is not None
    if found.ndim == 2:
        found = cv2.cvtColor(found, cv2.COLOR_GRAY2BGR)
    way = cv2.COLOR_BGRA2RGBA if found.shape[2] == 4 else cv2.COLOR_BGR2RGBA
    return np.asarray(cv2.cvtColor(found, way), np.uint8)


def _picture(colours: int, opaque: bool, grey: bool, width: int) -> Picture:
    rng = np.random.default_rng(colours + width)
    palette = rng.integers(0, 256, (colours, 4), dtype=np.uint8)
    if opaque:
        palette[:, 3] = 255
    if grey:
        palette[:, 1:3] = palette[:, :1]
    picture: Picture = palette[rng.integers(0, colours, (9, width))]
    return picture


@given(st.sampled_from([1, 2, 3, 16, 17, 200, 5000]), st.booleans(), st.booleans(), st.integers(1, 70))
def test_a_sheet_of_any_colour_type_is_read_by_others_to_the_bit(
    colours: int, opaque: bool, grey: bool, width: int
) -> None:
    picture = _picture(colours, opaque, grey, width)
    data = sheet_png(picture)
    assert np.array_equal(by_pillow(data), picture)
    assert np.array_equal(by_opencv(data), picture)


@pytest.mark.parametrize(
    ("colours", "opaque", "grey", "depth", "colour_type"),
    [
        *((2, True, False, 1, 3), (16, False, False, 4, 3), (200, False, False, 8, 3)),
        *((5000, False, False, 8, 6), (5000, True, False, 8, 2), (5000, False, True, 8, 4)),
    ],
)
def test_a_sheet_is_written_in_the_fewest_samples_that_hold_it(
    colours: int, opaque: bool, grey: bool, depth: int, colour_type: int
) -> None:
    data = sheet_png(_picture(colours, opaque, grey, 600))
    assert (data[24], data[25]) == (depth, colour_type)


def test_a_sheet_tried_for_long_is_smaller_and_the_same() -> None:
    picture = _picture(5000, False, False, 300)
    quick, slow = sheet_png(picture), sheet_png(picture, smallest=lambda: None)
    assert len(slow) < len(quick)
    assert np.array_equal(by_pillow(slow), picture)

    def called_off() -> None:
        raise Cancelled("called off")

    large = np.tile(picture, (10, 2, 1))
    with pytest.raises(Cancelled):
        sheet_png(large, smallest=called_off)


def test_256_colours_with_alpha_come_nearer_than_by_another_coder() -> None:
    """Against Pillow's octree, over black and over white, as root mean square."""
    y, x = np.mgrid[:160, :160]
    far = np.hypot(x - 80, y - 80)
    picture = np.stack(
        [x * 255 // 159, y * 255 // 159, 255 - (x + y) * 255 // 318, np.clip(510 - far * 6.4, 0, 255)], axis=2
    ).astype(np.uint8)
    counted = Count()
    counted.add(picture)
    palette = counted.palette(256)
    ours = palette[indices(picture, palette, None, diffuse=False)]
    octree = Image.Quantize.FASTOCTREE
    other = np.array(Image.fromarray(picture).quantize(256, octree, dither=Image.Dither.NONE).convert("RGBA"))

    def error(shown: Picture) -> float:
        total = 0.0
        for under in (0.0, 255.0):
            seen = [
                p[:, :, :3] * (p[:, :, 3:] / 255) + under * (1 - p[:, :, 3:] / 255) for p in (picture, shown)
            ]
            total += float(((seen[0] - seen[1]) ** 2).mean())
        return math.sqrt(total)

    assert error(ours) < 0.8 * error(other)


@pytest.mark.parametrize("said", [{"spacing": 1}, {"layout": "packed", "turn": True, "extrude": 1}])
def test_a_game_library_draws_the_frames_by_the_lines_in_the_documentation(
    said: dict[str, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """pygame-ce, without a monitor."""
    monkeypatch.setitem(os.environ, "SDL_VIDEODRIVER", "dummy")
    monkeypatch.setitem(os.environ, "PYGAME_HIDE_SUPPORT_PROMPT", "1")
    frames = blots(12)
    for name, data in files(made(frames, tmp_path / "stages", **said)).items():
        (tmp_path / name).write_bytes(data)
    scope: dict[str, Any] = {}
    exec(snippet("python"), scope)
    import pygame

    load: Callable[[Path], list[tuple[Any, float]]] = scope["load_sheet"]
    loaded = load(tmp_path / "blots.json")
    for drawn, (surface, lasts) in zip(frames, loaded, strict=True):
        seen = np.dstack([pygame.surfarray.array3d(surface), pygame.surfarray.array_alpha(surface)])
        assert np.array_equal(seen.transpose(1, 0, 2), drawn.read())
        assert lasts == pytest.approx(1000 / 24, abs=0.001)
