"""What bytes are spent on, and which colours pictures show."""

from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from jayflick.core.formats.spent import spent
from jayflick.core.formats.table import format_of
from jayflick.core.palette.swatches import swatches
from jayflick.core.recipe import ApngOutput, AvifOutput, BaseOutput, GifOutput, Tuning, VideoOutput, WebpOutput
from tests.conftest import lit_ball, moving_square
from tests.core.test_budget import Work


def walked(data: bytes) -> tuple[int, int]:
    """A GIF's bytes of colour tables and of picture data, block by block (GIF89a, 18 to 22)."""
    at, tables, pictures = 13, 0, 0

    def table(flags: int) -> int:
        return 3 << ((flags & 7) + 1) if flags & 0x80 else 0

    tables += table(data[10])
    at += tables
    while data[at] != 0x3B:
        if data[at] == 0x2C:
            own = table(data[at + 9])
            tables += own
            at += 10 + own + 1  # the minimum code size goes before the data
            picture = True
        else:
            at += 2
            picture = False
        while data[at]:
            pictures += (1 + data[at]) * picture
            at += 1 + data[at]
        pictures += picture
        at += 1
    return tables, pictures


@pytest.mark.parametrize("palette", ["shared", "frame"])
def test_a_gif_is_told_by_its_blocks(tmp_path: Path, palette: str) -> None:
    trial = Work(tmp_path, lit_ball(5, 96, 54)).trial(
        GifOutput(tuning=Tuning.model_validate({"colours": 50, "palette": palette}))
    )
    found = spent(trial.output, trial.rendered.coded, trial.rendered.timed)
    assert found is not None
    assert (found.palettes, found.pictures) == walked(trial.rendered.data)
    assert found.palettes == 3 * 64 * (1 if palette == "shared" else 5)
    assert found.palettes + found.pictures + found.rest == trial.size


@pytest.mark.parametrize(
    "output",
    [
        ApngOutput(file_name="a.png"),
        WebpOutput(file_name="a.webp"),
        AvifOutput(file_name="a.avif", speed=10),
        VideoOutput(file_name="a.mp4"),
    ],
)
def test_of_other_formats_pictures_are_most_of_it(tmp_path: Path, output: BaseOutput) -> None:
    trial = Work(tmp_path, lit_ball(5, 96, 54)).trial(output)
    found = spent(trial.output, trial.rendered.coded, trial.rendered.timed)
    if found is None:  # it cannot be told what its frames cost
        assert trial.rendered.coded.costs == ()
        return
    assert found.palettes == 0
    assert found.pictures + found.rest == trial.size
    assert 0 < found.rest < found.pictures


def test_swatches_count_what_pillow_counts() -> None:
    pictures = [picture & np.array([192, 192, 192, 255], np.uint8) for picture in moving_square(4, 40, 30)]
    pictures[2][:5, :, 3] = 0  # clear pixels show no colour
    counts: dict[tuple[int, ...], int] = {}
    for picture in pictures:
        for number, colour in Image.fromarray(picture).getcolors(10_000) or []:
            if isinstance(colour, tuple) and colour[3] > 0:
                counts[colour[:3]] = counts.get(colour[:3], 0) + number
    found = swatches(pictures)
    assert {one.colour: one.share for one in found} == pytest.approx(
        {"#{:02x}{:02x}{:02x}".format(*colour): n / sum(counts.values()) for colour, n in counts.items()}
    )
    assert [one.share for one in found] == sorted((one.share for one in found), reverse=True)


def test_of_very_many_colours_the_most_used_are_told() -> None:
    noise = np.random.default_rng(4).integers(0, 256, (60, 60, 4)).astype(np.uint8)
    noise[:, :, 3] = 255
    noise[:20] = (1, 2, 3, 255)
    found = swatches([noise])
    assert len(found) == 256
    assert found[0] == ("#010203", 1200 / 3600)


def test_a_gif_shows_the_colours_of_its_palette(tmp_path: Path) -> None:
    trial = Work(tmp_path, lit_ball(4, 96, 54)).trial(GifOutput(tuning=Tuning(colours=20, dither="none")))
    with Image.open(BytesIO(trial.rendered.data)) as image:
        palette = image.getpalette("RGB") or []
    held = {"#{:02x}{:02x}{:02x}".format(*palette[at : at + 3]) for at in range(0, len(palette), 3)}

    found = swatches(format_of(trial.output).pictures([trial.rendered.data]))
    assert {one.colour for one in found} <= held
    assert len(found) == trial.rendered.info["colours"]
