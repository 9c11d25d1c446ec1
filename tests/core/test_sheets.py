"""Sheets: where pictures lie, what their pixels hold, how they are described, and what does not fit."""

import csv
import io
import json
import math
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from jayflick.core.errors import InputError
from jayflick.core.formats.sheet.description import SheetDocument, schema
from jayflick.core.formats.sheet.even import even
from jayflick.core.formats.sheet.format import cut_out
from jayflick.core.formats.sheet.layout import Layout, Space
from jayflick.core.formats.sheet.packed import fits, packed
from jayflick.core.formats.sheet.pixels import BITS, reduced, texture_bytes
from jayflick.core.formats.sheet.plan import SheetPlan, plan_sheet
from jayflick.core.palette.with_alpha import Count, indices
from jayflick.core.pictures.kinds import read_picture
from jayflick.core.recipe import Recipe, SheetOutput
from jayflick.core.render import Rendered, render
from jayflick.core.stages import Stages
from tests.conftest import applied

Picture = NDArray[np.uint8]


@dataclass
class Drawn:
    """A frame that was drawn; ``picture`` of one that must not be read is ``None``."""

    name: str
    picture: Picture | None
    size: tuple[int, int]
    transparent: bool = True
    missing_after: int = 0
    content: str = ""

    @property
    def width(self) -> int:
        return self.size[0]

    @property
    def height(self) -> int:
        return self.size[1]

    @property
    def sha256(self) -> str:
        return (self.content or self.name).rjust(64, "0")

    def read(self) -> Picture:
        assert self.picture is not None, "a pixel was looked at"
        return self.picture


def unseen(count: int, width: int, height: int) -> list[Drawn]:
    """Frames of which only the size is known."""
    return [Drawn(f"{number}.png", None, (width, height), transparent=False) for number in range(count)]


def blots(count: int, side: int = 24, seed: int = 1) -> list[Drawn]:
    """Soft blots of many colours, each somewhere else on a clear canvas."""
    rng = np.random.default_rng(seed)
    frames = []
    for number in range(count):
        picture = np.zeros((side, side, 4), np.uint8)
        width, height = rng.integers(2, side // 2, 2)
        left, top = rng.integers(0, side - width), rng.integers(0, side - height)
        picture[top : top + height, left : left + width] = rng.integers(1, 256, (height, width, 4))
        frames.append(Drawn(f"blot-{number + 1}.png", picture, (side, side)))
    return frames


def sheet(**said: Any) -> Recipe:
    rhythm = said.pop("rhythm", {})
    output = {"format": "sheet", "file_name": "blots.png", **said}
    return Recipe.model_validate({"rhythm": rhythm, "outputs": [output]})


def made(frames: Sequence[Drawn], folder: Path, **said: Any) -> Rendered:
    return render(sheet(**said), frames, "page", Stages(folder))


def files(rendered: Rendered) -> dict[str, bytes]:
    return {file.name: file.read() for file in rendered.timed.files}


def opened(rendered: Rendered) -> tuple[list[Picture], SheetDocument]:
    """The pictures and the description, as they leave."""
    written = files(rendered)
    document = SheetDocument.model_validate_json(next(d for n, d in written.items() if n.endswith(".json")))
    return [read_picture(written[one.file], name=one.file) for one in document.sheets], document


def planned(frames: Sequence[Drawn], folder: Path, **said: Any) -> SheetPlan:
    recipe = sheet(**said)
    (output,) = recipe.outputs
    assert isinstance(output, SheetOutput)
    plan = plan_sheet(recipe, frames, output, Stages(folder))
    assert plan is not None
    return plan


# Where pictures lie


def covered(layout: Layout, sizes: Sequence[tuple[int, int]], space: Space) -> None:
    """Every cell with its repeated edges lies on its sheet, off its margin, far enough from all others."""
    room = [np.zeros((height + space.spacing, width + space.spacing), bool) for width, height in layout.sheets]
    for cell, (width, height) in zip(layout.cells, sizes, strict=True):
        across, down = (height, width) if cell.turned else (width, height)
        left, top = cell.x - space.extrude, cell.y - space.extrude
        right, bottom = cell.x + across + space.extrude, cell.y + down + space.extrude
        sheet_width, sheet_height = layout.sheets[cell.sheet]
        assert min(left, top) >= space.margin
        assert right <= sheet_width - space.margin
        assert bottom <= sheet_height - space.margin
        part = room[cell.sheet][top : bottom + space.spacing, left : right + space.spacing]
        assert not part.any(), "two overlap"
        part[:] = True


def sides_are_kept(layout: Layout, space: Space) -> None:
    for width, height in layout.sheets:
        assert max(width, height) <= space.widest
        if space.sides == "pot":
            assert (width & (width - 1), height & (height - 1)) == (0, 0)
        if space.sides == "four":
            assert (width % 4, height % 4) == (0, 0)
        if space.sides == "square":
            assert width == height


SPACES = st.builds(
    Space,
    margin=st.integers(0, 5),
    spacing=st.integers(0, 4),
    extrude=st.integers(0, 2),
    sides=st.sampled_from(["free", "pot", "square", "four"]),
    widest=st.sampled_from([64, 100, 256]),
)
SIZES = st.lists(st.tuples(st.integers(1, 40), st.integers(1, 40)), min_size=1, max_size=40)


@given(SIZES, SPACES, st.booleans(), st.booleans())
def test_no_two_packed_pictures_overlap_and_none_leaves_its_sheet(
    sizes: list[tuple[int, int]], space: Space, turning: bool, split: bool
) -> None:
    layout = packed(sizes, space, turning=turning, split=split)
    assert len(layout.cells) == len(sizes)
    assert turning or not any(cell.turned for cell in layout.cells)
    # What is said to fit when a scale is looked for is laid out as well.
    assert not (fits(sizes, space, turning=turning) and (layout.off or len(layout.sheets) > 1))
    if layout.off:
        assert (
            not split
            or max(max(sizes[i]) for i in layout.off) + 2 * space.extrude > space.most - 2 * space.margin
        )
        return
    covered(layout, sizes, space)
    sides_are_kept(layout, space)
    assert layout == packed(sizes, space, turning=turning, split=split)


@given(
    st.lists(st.integers(1, 20), min_size=1, max_size=8),
    st.tuples(st.integers(1, 40), st.integers(1, 40)),
    st.sampled_from([1, 3, "square", "longest"]),
    SPACES,
    st.booleans(),
)
def test_even_cells_lie_in_rows_and_none_is_cut(
    rows: list[int], cell: tuple[int, int], columns: Any, space: Space, split: bool
) -> None:
    layout = even(rows, cell, columns, space, split=split)
    count = sum(rows)
    assert len(layout.cells) == sum(layout.lines) == count
    assert layout.empty == layout.columns * len(layout.lines) - count
    begins = np.cumsum([0, *rows])[:-1]
    assert {layout.cells[i].x for i in begins} == {space.first}  # each row begins at the left
    if not layout.off:
        covered(layout, [cell] * count, space)
        sides_are_kept(layout, space)


def test_rows_are_as_long_as_the_longest_and_shorter_ones_end_in_empty_cells() -> None:
    """8 directions of 4 motions of at most 20 frames (common practice, no published source)."""
    motions = [20, 8, 12, 4]
    layout = even([count for count in motions for _ in range(8)], (48, 48), "longest", Space(widest=2048))
    assert (layout.columns, len(layout.lines), layout.sheets) == (20, 32, ((960, 1536),))
    assert layout.empty == 8 * (0 + 12 + 8 + 16)


def test_sheets_of_odd_art_are_packed_into_little_more_than_their_area() -> None:
    rng = np.random.default_rng(7)
    sizes = [(int(w), int(h)) for w, h in rng.integers(8, 64, (400, 2))]
    layout = packed(sizes, Space(widest=4096))
    assert layout.unused(sizes) < 0.03


def test_frames_that_are_equal_share_their_place_and_empty_ones_have_one(tmp_path: Path) -> None:
    first, second = blots(2)
    again = Drawn("again.png", second.picture, second.size)
    nothing = Drawn("nothing.png", np.zeros((24, 24, 4), np.uint8), (24, 24))
    pictures, document = opened(made([first, second, again, nothing], tmp_path, layout="packed"))
    places = [(frame.x, frame.y) for frame in document.frames]
    assert places[1] == places[2]
    assert len(set(places)) == 3
    assert (document.frames[3].width, document.frames[3].height) == (1, 1)
    assert not cut_out(pictures[0], document.frames[3]).any()


def test_equal_frames_have_names_of_their_own_and_one_played_twice_has_one(tmp_path: Path) -> None:
    one, other = blots(2)
    first, third = (
        Drawn(name, one.picture, one.size, content="alike") for name in ("f_0001.png", "f_0003.png")
    )
    recipe = sheet(layout="packed", rhythm={"order": [1, 2, 3, 2]})
    _, document = opened(render(recipe, [first, other, third], "page", Stages(tmp_path)))
    names = [frame.name for frame in document.frames]
    assert (names[0], names[2], names[1]) == ("f_0001", "f_0003", names[3])
    assert document.frames[0].x == document.frames[2].x


@pytest.mark.parametrize("how", [{"layout": "packed"}, {"layout": "even", "cell": "used"}])
def test_over_a_page_colour_every_cell_is_all_of_its_canvas(how: dict[str, Any], tmp_path: Path) -> None:
    frames = blots(3)
    pictures, document = opened(made(frames, tmp_path, over="#336699", **how))
    for drawn, frame in zip(frames, document.frames, strict=True):
        seen = cut_out(pictures[frame.sheet], frame)
        assert (seen[:, :, 3] == 255).all()
        assert (seen[drawn.read()[:, :, 3] == 0] == (0x33, 0x66, 0x99, 255)).all()


# What comes out is what went in

LAYOUTS = st.fixed_dictionaries(
    {
        "layout": st.sampled_from(["even", "packed"]),
        "cell": st.sampled_from(["canvas", "used"]),
        "turn": st.booleans(),
        "margin": st.integers(0, 2),
        "spacing": st.integers(0, 2),
        "extrude": st.integers(0, 2),
        "sides": st.sampled_from(["free", "pot"]),
        "split": st.just(True),
        "widest": st.sampled_from([64, 512]),
        "picture": st.sampled_from(["png", "webp"]),
    }
).map(lambda said: {**said, "file_name": f"blots.{said['picture']}"})


@settings(max_examples=40)
@given(LAYOUTS, st.integers(1, 9))
def test_cells_cut_back_out_are_the_frames(said: dict[str, Any], count: int) -> None:
    frames = blots(count)
    with tempfile.TemporaryDirectory() as folder:
        pictures, document = opened(made(frames, Path(folder), **said))
    for drawn, frame in zip(frames, document.frames, strict=True):
        assert np.array_equal(cut_out(pictures[frame.sheet], frame), drawn.read())
        # Edges that are repeated outwards equal the edge they come from.
        across, down = (frame.height, frame.width) if frame.turned else (frame.width, frame.height)
        own = pictures[frame.sheet][frame.y : frame.y + down, frame.x : frame.x + across]
        n = said["extrude"]
        around = pictures[frame.sheet][frame.y - n : frame.y + down + n, frame.x - n : frame.x + across + n]
        assert np.array_equal(around, np.pad(own, ((n, n), (n, n), (0, 0)), mode="edge"))


@pytest.mark.parametrize("pixels", ["4444", "5551", "565"])
@pytest.mark.parametrize("dither", ["none", "ordered", "diffusion"])
def test_pixels_hold_only_levels_that_their_bits_have(pixels: str, dither: Any) -> None:
    """k / (2ⁿ − 1) of 255 (OpenGL 4.6, section 2.3.5.1); without dither within half a step."""
    frame = np.random.default_rng(3).integers(0, 256, (64, 64, 4), dtype=np.uint8)
    frame[:8, :, 3] = 0
    if pixels == "565":
        frame[:, :, 3] = 255
    out = reduced(frame, pixels, dither, 3, 5)
    for channel, bits in enumerate(BITS[pixels]):
        if bits == 0:
            assert (out[:, :, channel] == 255).all()
            continue
        held = np.rint(np.arange(1 << bits) * 255 / ((1 << bits) - 1))
        assert np.isin(out[:, :, channel], held).all()
        assert np.array_equal(out[:, :, channel] >> (8 - bits), np.searchsorted(held, out[:, :, channel]))
        if dither == "none":
            error = np.abs(out[:, :, channel].astype(int) - frame[:, :, channel])
            assert error.max() <= math.ceil(255 / ((1 << bits) - 1) / 2)
    assert (out[frame[:, :, 3] == 0, 3] == 0).all()
    assert np.array_equal(reduced(out, pixels, dither), out)  # what can be held stays


@pytest.mark.parametrize("dither", ["ordered", "diffusion"])
def test_dithered_levels_are_right_in_the_mean(dither: Any) -> None:
    grey = np.full((64, 64, 4), 255, np.uint8)
    grey[:, :, :3] = 100
    plain, dithered = (reduced(grey, "4444", how)[:, :, 0].mean() for how in ("none", dither))
    assert abs(dithered - 100) < 1 < abs(plain - 100)


def test_gaps_over_a_page_colour_hold_only_levels_there_are(tmp_path: Path) -> None:
    pictures, _ = opened(made(blots(5), tmp_path, pixels="565", over="#336699", spacing=3, columns=2))
    assert {tuple(int(level) for level in pictures[0][0, 25])} == {(49, 101, 156, 255)}
    assert np.isin(pictures[0][:, :, 1], np.rint(np.arange(64) * 255 / 63)).all()


def test_an_ordered_pattern_lies_still_on_the_canvas() -> None:
    grey = np.full((16, 16, 4), 100, np.uint8)
    whole = reduced(grey, "4444", "ordered")
    assert np.array_equal(reduced(grey[3:, 5:], "4444", "ordered", left=5, top=3), whole[3:, 5:])


def test_few_colours_with_alpha_are_kept_exactly_and_many_come_near() -> None:
    rng = np.random.default_rng(5)
    few = rng.integers(0, 256, (200, 4), dtype=np.uint8)
    picture = few[rng.integers(0, 200, (40, 40))]
    picture[picture[:, :, 3] == 0] = 0
    counted = Count()
    counted.add(picture)
    palette = counted.palette(256)
    assert np.array_equal(palette[indices(picture, palette, None, diffuse=False)], picture)

    y, x = np.mgrid[:128, :128]
    many = np.stack([x * 2, y * 2, 255 - x, np.clip(y * 3, 0, 255)], axis=2).astype(np.uint8)
    counted = Count()
    counted.add(many)
    palette = counted.palette(256)
    shown = palette[indices(many, palette, None, diffuse=False)]
    assert len(palette) <= 256
    assert (shown[many[:, :, 3] == 0] == 0).all()
    lit = [picture[:, :, :3] * (picture[:, :, 3:] / 255) for picture in (many, shown)]
    assert np.abs(lit[0] - lit[1]).mean() < 7


def test_memory_is_that_of_the_texture_whatever_the_file_weighs() -> None:
    assert texture_bytes(2048, 2048, "8888", False) == 16 << 20
    assert texture_bytes(2048, 2048, "4444", False) == 8 << 20
    # 1 + 1/4 + 1/16 + … comes to a third more.
    assert texture_bytes(1024, 1024, "8888", True) == sum(4 << (2 * n) for n in range(11))
    assert texture_bytes(64, 64, "256", False) == 64 * 64 + 1024


# The description


def test_the_description_says_for_each_played_frame_where_it_lies_and_how_long(tmp_path: Path) -> None:
    rhythm = {
        "rate": "20",
        "direction": "there-and-back",
        "holds": {2: 705_600_000 // 4},
        "spans": [
            {"name": "fly", "first": 1, "last": 2, "repeat": 3},
            {"name": "glide", "first": 3, "last": 4, "direction": "reverse"},
        ],
    }
    said = {
        "rhythm": rhythm,
        "names": "{span}-##",
        "anchor": [0.5, 1.0],
        "anchors": [{"span": "glide", "at": [0.25, 0.5]}, {"frames": [4], "at": [0, 0]}],
        "csv": True,
    }
    rendered = made(blots(4), tmp_path, **said)
    _, document = opened(rendered)
    frames = document.frames
    assert [frame.index for frame in frames] == list(range(6))  # 1 2 3 4 3 2
    assert [frame.duration_ms for frame in frames] == [50, 250, 50, 50, 50, 250]
    assert (frames[1].x, frames[1].y) == (frames[5].x, frames[5].y)
    assert [frame.name for frame in frames] == [
        "fly-01",
        "fly-02",
        "glide-01",
        "glide-02",
        "glide-01",
        "fly-02",
    ]
    assert [(frame.anchor_x, frame.anchor_y) for frame in frames[1:4]] == [(0.5, 1), (0.25, 0.5), (0, 0)]
    assert [span.model_dump() for span in document.spans] == [
        {"name": "fly", "first": 0, "last": 1, "direction": "forward", "repeat": 3},
        {"name": "glide", "first": 2, "last": 4, "direction": "reverse", "repeat": 0},
    ]
    written = files(rendered)
    rows = list(csv.DictReader(io.StringIO(written["blots.csv"].decode())))
    assert [row["sheet"] for row in rows] == ["blots.png"] * 6
    assert [(int(row["x"]), float(row["duration_ms"])) for row in rows] == [
        (f.x, f.duration_ms) for f in frames
    ]


def test_the_schema_in_the_documentation_is_that_of_the_description() -> None:
    root = Path(__file__).parents[2]
    assert (root / "docs" / "sheet.schema.json").read_text() == schema()
    keys = json.loads(schema())["$defs"]["SheetFrame"]["properties"]
    assert list(keys)[:4] == ["index", "name", "span", "sheet"]


def test_names_that_collide_are_told_apart_and_that_is_said(tmp_path: Path) -> None:
    rendered = made(blots(3), tmp_path, names="tern")
    _, document = opened(rendered)
    assert [frame.name for frame in document.frames] == ["tern", "tern-2", "tern-3"]
    assert any("2 frames have a name that another has" in note for note in rendered.notes)


def test_time_names_and_anchors_touch_no_pixel(tmp_path: Path) -> None:
    stages, frames = Stages(tmp_path), blots(4)
    first = render(sheet(), frames, "page", stages)
    stages.runs.clear()
    changed = sheet(names="#", anchor=[0, 1], csv=True, css=True, rhythm={"rate": "10"}, mip_levels=True)
    second = render(changed, frames, "page", stages)
    assert (stages.runs, second.pixels) == ({}, first.pixels)
    assert second.timed.described != first.timed.described
    # What makes the same layout of the same pictures has the same ones: two columns are the squarest of four.
    assert render(sheet(columns=2), frames, "page", stages).pixels == first.pixels


def test_a_style_sheet_steps_through_a_line_of_equal_delays_and_has_key_frames_for_others(
    tmp_path: Path,
) -> None:
    line = files(made(blots(4), tmp_path, columns=4, css=True, rhythm={"rate": "10"}))["blots.css"].decode()
    assert "animation: blots 400ms steps(4) infinite" in line
    assert "to { background-position: -96px 0px; }" in line
    uneven = {"rate": "10", "holds": {1: 705_600_000 // 5}}
    keyed = files(made(blots(4), tmp_path, columns=4, css=True, rhythm=uneven))["blots.css"].decode()
    assert [line.split("{")[0].strip() for line in keyed.splitlines() if "%" in line] == [
        "0%",
        "40%",
        "60%",
        "80%, 100%",
    ]


# What does not fit


def test_the_scale_at_which_all_fit_is_found_exactly(tmp_path: Path) -> None:
    """180 frames of 480 × 270 in even cells fit 2048 at 0.421: 10 across, 18 down (arithmetic)."""
    plan = planned(unseen(180, 480, 270), tmp_path)
    assert len(plan.laid.layout.off) == 180 - 4 * 7
    scaled = plan.scaled
    assert scaled is not None
    assert (scaled.width, scaled.height, f"{float(scaled.scale):.3f}") == (202, 113, "0.421")
    assert (10 * scaled.width <= 2048, 18 * scaled.height <= 2048) == (True, True)
    # The next larger scales at which a side becomes a whole number fit in no number of columns.
    for width, height in ((202, 114), (203, 114)):
        assert all(c * width > 2048 or -(-180 // c) * height > 2048 for c in range(1, 181))


def test_each_remedy_makes_all_frames_fit_by_one_change(tmp_path: Path) -> None:
    frames, area = unseen(180, 480, 270), {"resample": "area"}
    plan = planned(frames, tmp_path, size=area)
    assert [remedy.text for remedy in plan.remedies] == [
        "scale to 0.421 (202 × 113)",
        "take 7 sheets",
        "allow 8192 a side",
    ]
    for remedy in plan.remedies:
        recipe = applied(sheet(size=area), remedy)
        output = recipe.outputs[0]
        assert isinstance(output, SheetOutput)
        helped = plan_sheet(recipe, frames, output, Stages(tmp_path))
        assert helped is not None
        assert not helped.laid.layout.off, remedy.text


@pytest.mark.parametrize(
    ("said", "text"),
    [
        ({"columns": 24}, "choose the columns that fit"),
        ({"rows": "spans", "columns": "longest"}, "let the rows wrap"),
        ({"columns": 4, "widest": 300}, "scale to 0.521 (50 × 50)"),
    ],
)
def test_what_changes_no_pixel_is_offered_first(tmp_path: Path, said: dict[str, Any], text: str) -> None:
    spans = [{"name": str(number), "first": number, "last": number} for number in range(1, 25)]
    plan = planned(
        unseen(24, 96, 96), tmp_path, widest=said.pop("widest", 960), rhythm={"spans": spans}, **said
    )
    assert plan.remedies[0].text == text


def test_art_that_is_mostly_clear_is_offered_to_be_trimmed(tmp_path: Path) -> None:
    frames = blots(30, side=40)
    plan = planned(frames, tmp_path, widest=128)
    assert plan.remedies[-1].text == "trim to what is used"
    refused = r"21 of 30 frames do not fit on a sheet of 128 × 128; they fit at 0\.525 \(21 × 21\)"
    with pytest.raises(InputError, match=refused):
        made(frames, tmp_path, widest=128)
    assert plan.scaled is not None
    size = {"width": plan.scaled.width, "height": plan.scaled.height, "fit": "stretch"}
    made(frames, tmp_path, widest=128, size=size)


def test_three_thousand_large_frames_are_refused_with_the_scale_before_a_pixel_is_read(tmp_path: Path) -> None:
    with pytest.raises(InputError, match=r"2999 of 3000 frames do not fit .*they fit at 0\.0\d+"):
        made(unseen(3000, 1920, 1080), tmp_path)


@pytest.mark.parametrize(
    ("said", "message"),
    [
        ({"widest": 16}, "the frame does not fit on a sheet of 16 × 16"),
        ({"widest": 16, "split": True}, "does not fit on several sheets of 16 × 16"),
        ({"pixels": "565"}, "565 has no alpha, and frame 1 is not opaque"),
    ],
)
def test_what_cannot_be_laid_out_is_said(tmp_path: Path, said: dict[str, Any], message: str) -> None:
    with pytest.raises(InputError, match=message):
        made(blots(1), tmp_path, **said)


def test_frames_without_anything_on_them_are_said(tmp_path: Path) -> None:
    empty = [Drawn(f"{n}.png", np.zeros((8, 8, 4), np.uint8), (8, 8)) for n in range(2)]
    for said in ({"layout": "packed"}, {"cell": "used"}):
        with pytest.raises(InputError, match="all frames are empty"):
            made(empty, tmp_path, **said)
    assert any("empty" in note for note in made(empty, tmp_path).notes)
    # That nothing is used is known by now, so trimming is no remedy.
    plan = planned(empty, tmp_path, widest=16, columns=2, margin=2)
    assert plan.laid.layout.off
    assert not any("trim" in remedy.text for remedy in plan.remedies)
