"""How alike two files are: against scikit-image, and against pictures made to show each measure."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from skimage.metrics import peak_signal_noise_ratio, structural_similarity

from jayflick.cli import main
from jayflick.core.errors import InputError
from jayflick.core.pictures.moving import Moving
from jayflick.core.quality.compare import compare
from tests.conftest import Pictures, moving_square, save_frames


def compared(first: Path, second: Path, capsys: pytest.CaptureFixture[str]) -> dict[str, Any]:
    assert main(["compare", str(first), str(second), "--json"]) == 0
    found: dict[str, Any] = json.loads(capsys.readouterr().out)
    return found


def noisy(frames: Pictures, spread: float) -> Pictures:
    random = np.random.default_rng(3)
    result = []
    for frame in frames:
        changed = frame.copy()
        noise = random.normal(0, spread, (*frame.shape[:2], 3))
        changed[:, :, :3] = np.clip(frame[:, :, :3] + noise, 0, 255)
        result.append(changed)
    return result


@pytest.mark.parametrize("sides", [(48, 32), (7, 7), (61, 9)])
@pytest.mark.parametrize("spread", [1, 9, 60])
def test_each_picture_has_the_psnr_and_ssim_that_scikit_image_measures(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], sides: tuple[int, int], spread: float
) -> None:
    frames = [frame[: sides[1], : sides[0]] for frame in moving_square(3, 64, 32)]
    others = noisy(frames, spread)
    save_frames(tmp_path / "a", frames)
    save_frames(tmp_path / "b", others)
    found = compared(tmp_path / "a", tmp_path / "b", capsys)
    assert found["matched"] == "frames"
    for pair, frame, other in zip(found["pairs"], frames, others, strict=True):
        a, b = frame[:, :, :3], other[:, :, :3]
        noise = peak_signal_noise_ratio(a, b)  # type: ignore[no-untyped-call]
        alike = structural_similarity(a, b, win_size=7, channel_axis=2)  # type: ignore[no-untyped-call]
        assert pair["psnr"] == pytest.approx(noise)
        assert pair["ssim"] == pytest.approx(alike, abs=1e-6)
    assert found["ssim"] == pytest.approx(np.mean([pair["ssim"] for pair in found["pairs"]]))
    assert found["pairs"][found["worst"]]["ssim"] == min(pair["ssim"] for pair in found["pairs"])


@pytest.mark.parametrize("ending", [".gif", ".apng", ".webp"])
def test_a_file_and_its_own_decoded_frames_are_equal(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], ending: str
) -> None:
    save_frames(tmp_path / "frames", moving_square(5, soft=True))
    file = tmp_path / f"loop{ending}"
    assert main(["make", str(tmp_path / "frames"), "-o", str(file)]) == 0
    decoded = []
    with Image.open(file) as image:
        for index in range(image.n_frames):  # type: ignore[attr-defined]
            image.seek(index)
            decoded.append(np.array(image.convert("RGBA")))
    save_frames(tmp_path / "decoded", decoded)
    capsys.readouterr()
    for other in (tmp_path / "decoded", file):
        found = compared(file, other, capsys)
        assert (found["psnr"], found["ssim"], found["crawling"] or 0) == (None, 1, 0)
    assert main(["compare", str(file), str(file)]) == 0
    assert capsys.readouterr().out == f"loop{ending} and loop{ending}: 5 pictures by time, equal\n"


def test_pictures_are_matched_by_when_they_are_shown(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    save_frames(tmp_path / "frames", moving_square(12))
    make = ["make", str(tmp_path / "frames"), "--fps", "24"]
    assert main([*make, "-o", str(tmp_path / "a.apng")]) == 0
    assert main([*make, "--colours", "256", "-o", str(tmp_path / "b.gif")]) == 0  # in hundredths
    assert main([*make, "--step", "3", "-o", str(tmp_path / "c.apng")]) == 0  # each for three
    capsys.readouterr()
    found = compared(tmp_path / "a.apng", tmp_path / "b.gif", capsys)
    assert [(pair["first"], pair["second"]) for pair in found["pairs"]] == [(n, n) for n in range(12)]
    found = compared(tmp_path / "a.apng", tmp_path / "c.apng", capsys)
    assert [pair["second"] for pair in found["pairs"]] == [n // 3 for n in range(12)]
    assert [pair["psnr"] is None for pair in found["pairs"]] == [n % 3 == 0 for n in range(12)]
    found = compared(tmp_path / "c.apng", tmp_path / "a.apng", capsys)
    assert [pair["first"] for pair in found["pairs"]] == [n // 3 for n in range(12)]


def test_what_ought_to_stand_still_and_changes_crawls(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    still = np.full((40, 60, 4), 255, np.uint8)
    still[:, :, :3] = 90
    frames = [still.copy() for _ in range(4)]
    others = [frame.copy() for frame in frames]
    for index, frame in enumerate(others):
        frame[:10, :15, :3] += np.uint8(index % 2 * 9)  # a sixteenth flickers
        frame[20:, :, :3] += np.uint8(index % 2)  # as much as rounding makes
    for frame in frames:
        frame[10:20, :15, :3] = 0
    save_frames(tmp_path / "a", frames)
    save_frames(tmp_path / "b", others)
    found = compared(tmp_path / "a", tmp_path / "b", capsys)
    assert [pair["crawling"] for pair in found["pairs"]] == [None, *[1 / 16] * 3]
    assert found["crawling"] == pytest.approx(1 / 16)


def test_what_stands_out_is_said_with_where_and_when(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    slope = (np.arange(128) // 4 + 64).astype(np.uint8)
    frame = np.full((96, 128, 4), 255, np.uint8)
    frame[:, :, :3] = slope[None, :, None]
    banded = frame.copy()
    banded[64:90, 64:96, :3] -= np.uint8(20)  # it comes and goes, over what stands still
    save_frames(tmp_path / "a", [frame] * 5)
    save_frames(tmp_path / "b", [frame, banded, banded, frame, frame])
    found = compared(tmp_path / "a", tmp_path / "b", capsys)
    out = found["stands_out"]
    assert (out["blemish"], out["first"], out["last"], out["place"]) == ("crawling", 1, 1, [64, 64])
    assert main(["compare", str(tmp_path / "a"), str(tmp_path / "b")]) == 0
    assert "stands out: crawling, picture 2, worst around 64, 64 of picture 2" in capsys.readouterr().out
    assert compared(tmp_path / "a", tmp_path / "a", capsys)["stands_out"] is None


def test_what_cannot_be_compared_is_refused_in_a_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    save_frames(tmp_path / "a", moving_square(3))
    save_frames(tmp_path / "fewer", moving_square(2))
    save_frames(tmp_path / "smaller", moving_square(3, 40, 32))
    (tmp_path / "empty").mkdir()
    (tmp_path / "note.txt").write_text("no picture")
    cut = (tmp_path / "a" / "square_1.png").read_bytes()[:90]
    (tmp_path / "cut.png").write_bytes(cut)
    for name, words in {
        "fewer": "fewer: holds 2 pictures, the other 3",
        "smaller": "smaller: is 40 × 32, the other 48 × 32",
        "empty": "empty: holds no pictures",
        "note.txt": "note.txt: not a supported picture format",
        "cut.png": "cut.png: ",
        "gone.gif": "gone.gif: ",
    }.items():
        assert main(["compare", str(tmp_path / "a"), str(tmp_path / name)]) == 2
        out, error = capsys.readouterr()
        assert (out, error.count("\n")) == ("", 1)
        assert f"jayflick: {words}" in error


def test_a_file_with_fewer_pictures_than_times_is_refused() -> None:
    frames = moving_square(3)
    short = Moving((1, 1, 1), None, iter(frames[:2]))
    with pytest.raises(InputError, match="short: ends after 2 pictures, which are fewer than it says"):
        compare(Moving((1, 1, 1), None, iter(frames)), short, (3, 3), ("long", "short"))


def test_pictures_too_small_for_a_window_have_no_ssim(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    Image.fromarray(np.full((3, 5, 4), 255, np.uint8)).save(tmp_path / "a.png")
    Image.fromarray(np.full((3, 5, 4), 250, np.uint8)).save(tmp_path / "b.png")
    found = compared(tmp_path / "a.png", tmp_path / "b.png", capsys)
    assert found["ssim"] is None
    assert found["psnr"] is not None
