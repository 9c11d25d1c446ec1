"""Locked colours: in the palette as they are, whatever else is."""

import json
from collections.abc import Callable
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageSequence
from pydantic import ValidationError

from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.reader import read_gif
from jayflick.core.formats.gif.shared import share_palette
from jayflick.core.recipe import Tuning
from jayflick.core.sequence.colours import Brought, colours_brought
from jayflick.core.sequence.pieces import Refused
from tests.conftest import Pictures, lit_ball, moving_square, save_frames

Run = Callable[..., tuple[int, str, str]]
LEVELS = st.tuples(*[st.integers(0, 255)] * 3)


def art(kind: str) -> Pictures:
    if kind == "clear":
        return [np.zeros((5, 7, 4), np.uint8)] * 2
    if kind == "flat":
        return [np.full((6, 5, 4), 255, np.uint8), np.full((6, 5, 4), 255, np.uint8)]
    return lit_ball(3, 48, 32) if kind == "film" else moving_square(3)


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(["clear", "flat", "film", "drawn"]),
    st.lists(LEVELS, max_size=9, unique=True),
    st.sampled_from([2, 9, 10, 40, 256]),
    st.booleans(),
)
def test_they_are_there_and_no_more_colours_than_asked_for(
    kind: str, locked: list[tuple[int, int, int]], colours: int, weighed: bool
) -> None:
    frames, locked = art(kind), locked[: min(colours, 255)]
    shared = share_palette(frames, colours, locked=locked, weighed=weighed)
    entries = {tuple(int(level) for level in entry) for entry in shared.colours}
    assert set(locked) <= entries
    assert 1 <= len(entries) == len(shared.colours) <= min(colours, 255)
    every = {tuple(int(n) for n in pixel[:3]) for f in frames for pixel in f.reshape(-1, 4) if pixel[3]}
    assert shared.lossless == (every <= entries)


@pytest.mark.parametrize(
    "options", [{}, {"loss": 60}, {"amount": 100}, {"amount": 80, "dither": "noise", "loss": 30}]
)
def test_a_pixel_of_a_locked_colour_shows_it(options: dict[str, int]) -> None:
    """A mark of the house's own colour, on film that needs all colours for itself."""
    own = (12, 200, 77)
    frames = [frame.copy() for frame in lit_ball(4)]
    for index, frame in enumerate(frames):
        frame[8 + index : 20, 10:30, :3] = own
    shared = share_palette(frames, 8, locked=[own], weighed="loss" in options)
    seen = read_gif(encode_gif(frames, shared, exact=[own], **options)).pictures()  # type: ignore[arg-type]
    for index, picture in enumerate(seen):
        assert (picture[8 + index : 20, 10:30, :3] == own).all()


@pytest.mark.parametrize(
    ("locked", "colours", "why"),
    [
        (["#000000", "#fff", "#000"], 16, "#000000 is locked twice"),
        (["#000", "#111", "#222"], 2, "3 locked colours do not fit a palette of 2"),
        (["#000", "#11"], 16, "should match pattern"),
    ],
)
def test_what_cannot_be_locked_is_said(locked: list[str], colours: int, why: str) -> None:
    with pytest.raises(ValidationError, match=why):
        Tuning.model_validate({"locked": locked, "colours": colours})


def test_a_palette_comes_from_a_gif_or_a_list(run: Run, tmp_path: Path) -> None:
    """Film in the very colours of another loop: none beside them, and in the list's own order."""
    source, film = tmp_path / "source", tmp_path / "film"
    save_frames(source, moving_square(3))
    save_frames(film, lit_ball(3, 64, 36))
    house, out, again = tmp_path / "house.gif", tmp_path / "film.gif", tmp_path / "again.gif"
    assert run("make", source, "-o", house, "--colours", "12")[0] == 0
    status, printed, _ = run("make", film, "-o", out, "--colours", "12", "--lock", house, "--json")
    locked = json.loads(printed)["options"]["outputs"][0]["tuning"]["locked"]
    assert (status, len(locked)) == (0, 12)
    shown = {
        tuple(pixel)
        for seen in read_gif(house.read_bytes()).pictures()
        for pixel in seen[..., :3].reshape(-1, 3)
    }
    assert {tuple(bytes.fromhex(one[1:])) for one in locked} == {tuple(int(n) for n in one) for one in shown}
    seen = np.concatenate([picture.reshape(-1, 4) for picture in read_gif(out.read_bytes()).pictures()])
    assert {f"#{r:02x}{g:02x}{b:02x}" for r, g, b, _ in np.unique(seen, axis=0)} <= set(locked)
    (tmp_path / "house.txt").write_text("\n".join(locked))
    listed = run("make", film, "-o", again, "--colours", "12", "--lock", tmp_path / "house.txt")
    assert (listed[0], again.read_bytes()) == (0, out.read_bytes())
    # Tables by frame are one palette too, and so are a picture's own colours.
    made = run("make", source, "-o", house, "--force", "--palette", "frame", "--colours", "8")
    assert made[0] == 0
    few = tmp_path / "few.png"
    with Image.open(house) as first:
        first.convert("RGBA").save(few)
    for brought in (house, few):
        done, printed, _ = run("make", film, "-o", out, "--force", "--lock", brought, "--json")
        locked = json.loads(printed)["options"]["outputs"][0]["tuning"]["locked"]
        assert (done, set(locked)) == (0, shown_by_pillow(brought))
    (tmp_path / "none.txt").write_text("#123456, bluish")
    status, _, err = run("make", film, "-o", out, "--force", "--lock", tmp_path / "none.txt")
    assert (status, "bluish" in err) == (2, True)


def shown_by_pillow(path: Path) -> set[str]:
    """Every colour that a file's frames show, by Pillow."""
    with Image.open(path) as opened:
        frames = [np.asarray(frame.convert("RGBA")) for frame in ImageSequence.Iterator(opened)]
    pixels = np.concatenate([frame[frame[..., 3] > 0] for frame in frames])
    return {f"#{r:02x}{g:02x}{b:02x}" for r, g, b, _ in np.unique(pixels, axis=0)}


@given(colours=st.integers(1, 400), most=st.integers(2, 255), seed=st.integers(0, 9))
@settings(max_examples=30, deadline=None)
def test_a_picture_brings_its_own_colours_or_the_best_for_it(colours: int, most: int, seed: int) -> None:
    """All of few, exactly; of many never more than asked for, no two alike, never those of clear pixels."""
    random = np.random.default_rng(seed)
    palette = random.integers(0, 256, (colours, 3), np.uint8)
    pixels = np.zeros((30, 31, 4), np.uint8)
    pixels[..., :3] = palette[np.arange(30 * 31).reshape(30, 31) % colours]
    pixels[..., 3] = 255
    pixels[7:9, :, :] = (1, 2, 3, 0)
    file = BytesIO()
    Image.fromarray(pixels).save(file, "PNG")
    (brought,) = colours_brought(file.getvalue(), "photo.png", most)
    assert isinstance(brought, Brought)
    shown = {f"#{one.tobytes().hex()}" for one in np.unique(pixels[pixels[..., 3] > 0][:, :3], axis=0)}
    assert len(set(brought.colours)) == len(brought.colours) <= most
    if len(shown) <= most:
        assert set(brought.colours) == shown


@pytest.mark.parametrize(
    ("data", "why"),
    [
        (b"", "the file is empty"),
        (b" ", "lists 0 colours"),
        (b"#12345", "#12345"),
        (b"\x89PNG\r\n\x1a\n\0\0\0", "photo.png"),
        (b"\0" * 90, "photo.png"),
        (" ".join(f"#{n:06x}" for n in range(256)).encode(), "lists 256 colours"),
    ],
)
def test_what_brings_no_palette_says_why(data: bytes, why: str) -> None:
    (refused,) = colours_brought(data, "photo.png")
    assert isinstance(refused, Refused)
    assert why in str(refused.error)
