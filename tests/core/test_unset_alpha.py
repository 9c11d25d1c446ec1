"""TGA frames whose alpha is 0 throughout: clear where their set means its alpha, opaque where nobody set it.

Source: Truevision TGA File Format Specification, version 2.0, fields 5.6 and 24; that many writers leave the
fourth byte unset is common practice, no published source.
"""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from jayflick.core.formats.picture import write_picture
from jayflick.core.pictures.kinds import read_picture
from jayflick.core.pictures.unset import UNSET
from jayflick.core.recipe import Recipe
from jayflick.core.sequence.pieces import Piece, pieces
from tests.core.conftest import Run


def fade(folder: Path, *, bits: int | None, ending: str = ".tga") -> Path:
    """A square that fades in from nothing, stays, and fades out; ``bits``: of the attributes."""
    folder.mkdir()
    for number, alpha in enumerate((0, 0, 90, 255, 255, 90, 0), 1):
        frame = np.zeros((24, 32, 4), np.uint8)
        frame[:, :] = (200, 90, 40, alpha)
        path = folder / f"fade_{number}{ending}"
        Image.fromarray(frame).save(path)
        if bits is not None:
            data = bytearray(path.read_bytes())
            data[17] = (data[17] & 0xF0) | bits
            path.write_bytes(data)
    return folder


@pytest.mark.parametrize("bits", [0, 8])
def test_a_fade_of_tga_frames_is_what_its_png_twin_is(run: Run, tmp_path: Path, bits: int) -> None:
    tga, png = fade(tmp_path / "tga", bits=bits), fade(tmp_path / "png", bits=None, ending=".png")
    for command in (("cover",), ("memory",), ("check", "--target", "overlay")):
        name, *more = command
        said = [run(name, folder, *more, "--json") for folder in (tga, png)]
        assert said[0][0] == said[1][0]
        assert said[0][1].replace("tga", "png") == said[1][1].replace("tga", "png") or name == "check"
    for source in (tga, png):
        assert run("make", source, "-o", f"{tmp_path / source.name}-out/")[0] == 0
    for number in range(1, 8):
        one, other = (tmp_path / f"{form}-out" / f"{number:04}.png" for form in ("tga", "png"))
        assert (np.asarray(Image.open(one)) == np.asarray(Image.open(other))).all()


def test_a_set_that_never_sets_its_alpha_is_opaque(run: Run, tmp_path: Path) -> None:
    folder = tmp_path / "unset"
    folder.mkdir()
    for number in (1, 2):
        Image.fromarray(np.full((9, 9, 4), (200, 90, 40 * number, 0), np.uint8)).save(
            folder / f"n_{number}.tga"
        )
    assert run("make", folder, "-o", f"{tmp_path}/out/")[0] == 0
    assert np.asarray(Image.open(tmp_path / "out" / "0001.png").convert("RGBA"))[0, 0].tolist() == [
        200,
        90,
        40,
        255,
    ]
    data = (folder / "n_1.tga").read_bytes()
    (piece,) = pieces(data, "n_1.tga")
    assert isinstance(piece, Piece)
    assert UNSET in piece.header.notes


@pytest.mark.parametrize("rle", [False, True])
@pytest.mark.parametrize("premultiplied", [False, True])
def test_our_own_frames_say_what_their_alpha_means(rle: bool, premultiplied: bool) -> None:
    frame = np.zeros((7, 5, 4), np.uint8)
    data = write_picture(frame, "tga", rle=rle, premultiplied=premultiplied)
    assert not read_picture(data, name="clear.tga")[:, :, 3].any()
    frame[2:, 1:] = (60, 40, 20, 120)
    data = write_picture(frame, "tga", rle=rle, premultiplied=premultiplied)
    shown = read_picture(data, name="soft.tga")
    times = 255 / 120 if premultiplied else 1
    assert np.abs(shown[3, 3, :3] - np.array([60, 40, 20]) * times).max() <= 1
    path = Image.open(__import__("io").BytesIO(data))  # another reader takes no notice
    assert (np.asarray(path) == frame).all()


def test_which_frames_are_clear_is_part_of_the_recipe(run: Run, tmp_path: Path) -> None:
    folder = fade(tmp_path / "tga", bits=8)
    recipe = tmp_path / "recipe.json"
    recipe.write_text(Recipe().model_dump_json())
    assert run("make", folder, "-o", f"{tmp_path}/said/", "--recipe", recipe)[0] == 0  # it names none as clear
    assert (np.asarray(Image.open(tmp_path / "said" / "0001.png").convert("RGBA"))[:, :, 3] == 255).all()
