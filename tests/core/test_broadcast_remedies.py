"""What makes a transition cover and an overlay small: worked out, applied, made, and measured again."""

from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays
from numpy.typing import NDArray
from PIL import Image

from jayflick.core.broadcast.cover import Cover
from jayflick.core.broadcast.covering import MOST_ENLARGED, backed, covering_part, source_part, strength
from jayflick.core.broadcast.raster import ACTION, GRAPHICS, RASTER, in_corner, safe_area
from jayflick.core.broadcast.remedies import HELD, for_overlay, for_transition
from jayflick.core.framing.art_box import Box
from jayflick.core.pictures.kinds import read_picture
from jayflick.core.recipe import Backing, FramesOutput, Recipe
from jayflick.core.render import Rendered, render
from jayflick.core.sequence.files import FileFrame, look_at
from jayflick.core.stages import Stages
from jayflick.core.targets.catalogue import find
from jayflick.core.targets.check import Checked, check, facts_of
from tests.conftest import applied, save_frames
from tests.core.test_broadcast import curtain

Picture = NDArray[np.uint8]


def brought(folder: Path, pictures: Iterable[Picture]) -> list[FileFrame]:
    return list(look_at(save_frames(folder, list(pictures), "art_{}.png"), folder.parent)[1].values())


def a_set(target: str, **more: Any) -> Recipe:
    output = FramesOutput(file_name="set.zip", target=find(target), **more)
    return Recipe.model_validate({"rhythm": {"rate": "60"}, "outputs": [output.model_dump()]})


def pictures_of(rendered: Rendered, stages: Stages) -> list[Picture]:
    return [read_picture(file.read(), name=file.name) for file in rendered.timed.files]


@given(arrays.arrays(np.bool_, st.tuples(st.integers(1, 12), st.integers(1, 16)), elements=st.booleans()))
def test_no_larger_part_of_the_same_shape_is_opaque(solid: NDArray[np.bool_]) -> None:
    """Against every part there is."""
    height, width = solid.shape
    picture = np.zeros((height, width, 4), np.uint8)
    picture[solid, 3] = 255
    widest = 0
    for across in range(1, width + 1):
        down = max(1, -(-across * height // width))
        for top in range(height - down + 1):
            for left in range(width - across + 1):
                if solid[top : top + down, left : left + across].all():
                    widest = across
    found = covering_part(picture)
    if found is None:
        assert widest < max(1, width // MOST_ENLARGED)
        return
    assert found.width == widest
    assert solid[found.top : found.top + found.height, found.left : found.left + found.width].all()


def test_a_part_of_the_picture_is_found_in_the_frames() -> None:
    crop, placed = Box(10, 20, 400, 200), Box(0, 5, 200, 100)
    assert source_part(Box(50, 30, 100, 50), crop, placed) == Box(110, 70, 200, 100)
    assert source_part(placed, crop, placed) == crop


@given(
    arrays.arrays(np.uint8, (3, 5, 4)),
    st.tuples(st.integers(0, 255), st.integers(0, 255), st.integers(0, 255)),
    st.integers(1, 255),
)
def test_a_colour_behind_is_what_pillow_makes_of_both(
    picture: Picture, colour: tuple[int, int, int], level: int
) -> None:
    """Porter and Duff's *over*, by Pillow's alpha_composite."""
    behind = Image.new("RGBA", (5, 3), (*colour, level))
    behind.alpha_composite(Image.fromarray(picture))
    red, green, blue = colour
    ours = backed(picture, f"#{red:02x}{green:02x}{blue:02x}", level)
    theirs = np.array(behind)
    np.testing.assert_allclose(ours[:, :, 3].astype(int), theirs[:, :, 3], atol=1)
    solid = theirs[:, :, 3] > 24  # of fainter pixels a level of colour is less than one of what is seen
    np.testing.assert_allclose(ours[solid][:, :3].astype(int), theirs[solid][:, :3], atol=6)
    if level == 255:
        np.testing.assert_allclose(ours.astype(int), theirs, atol=1)


def test_a_backing_comes_and_goes_evenly() -> None:
    backing = Backing(colour="#123456", first=5, last=6, fade=3)
    assert [strength(backing, step) for step in range(1, 12)] == [
        *(0, 64, 128, 191, 255, 255),
        *(191, 128, 64, 0, 0),
    ]


@pytest.mark.parametrize("which", [0, 1])
def test_a_transition_that_does_not_cover_does_after_either_remedy(tmp_path: Path, which: int) -> None:
    """Its curtain never closes: a gap of 16 of 320 pixels stays at the right edge."""
    art = curtain(21, 320, 180, whole=3)
    for frame in art:
        frame[:, 304:, 3] = 0
    frames = brought(tmp_path / "in", art)
    stages = Stages(tmp_path / "stages")
    recipe = a_set("switcher-transition")
    before = render(recipe, frames, "page", stages)
    cover = Cover(tuple(before.info["opaque"]))
    assert cover.cut is None
    remedies = for_transition(recipe, frames, recipe.outputs[0], stages, cover)  # type: ignore[arg-type]
    assert [remedy.text for remedy in remedies] == [
        "enlarge to 105.3 %",  # 320 of 304
        f"put #1766c2 behind frames {cover.fullest - 2} to {cover.fullest + 2}",
    ]
    after = render(applied(recipe, remedies[which]), frames, "page", stages)
    covered = Cover(tuple(after.info["opaque"]))
    assert covered.cut is not None
    assert (after.info["width"], after.info["height"], after.info["count"]) == (320, 180, 21)
    assert covered.hidden(covered.cut)
    seen = pictures_of(after, stages)[covered.cut - 1]
    assert (seen[:, :, 3] == 255).all()
    if which == 1:  # what was opaque is as it was, and frames far from it are the very same files
        kept = art[covered.cut - 1][:, :, 3] == 255
        np.testing.assert_array_equal(seen[kept], art[covered.cut - 1][kept])
        assert after.coded.files[0] == before.coded.files[0]


def test_a_cover_of_one_frame_is_held_longer_in_the_same_time(tmp_path: Path) -> None:
    frames = brought(tmp_path / "in", curtain(21, 64, 36, whole=1))
    stages = Stages(tmp_path / "stages")
    recipe = a_set("switcher-transition", take={"rate": "60"})
    before = render(recipe, frames, "page", stages)
    cover = Cover(tuple(before.info["opaque"]))
    assert cover.covered == ((11, 11),)
    remedies = for_transition(recipe, frames, recipe.outputs[0], stages, cover)  # type: ignore[arg-type]
    held = next(remedy for remedy in remedies if remedy.text == f"hold frame 11 for {HELD} frames")
    after = render(applied(recipe, held), frames, "page", stages)
    opaque = after.info["opaque"]
    (first, last) = Cover(tuple(opaque)).covered[0]
    assert len(opaque) == 21
    assert last - first + 1 >= 4, "six frames, and the time of the others a little shorter"


def test_a_colour_lies_behind_the_fullest_frame_also_where_frames_are_written_again(tmp_path: Path) -> None:
    """At 60 a second each of 12 frames of 12 fps is five files: the colour is told by played frames."""
    art = curtain(12, 320, 180)
    for frame in art:
        frame[:, 304:, 3] = 0
    frames = brought(tmp_path / "in", art)
    stages = Stages(tmp_path / "stages")
    recipe = a_set("switcher-transition", take={"rate": "60"}, held="repeated")
    recipe = recipe.model_copy(update={"rhythm": recipe.rhythm.model_copy(update={"rate": "12"})})
    before = render(recipe, frames, "page", stages)
    cover = Cover(tuple(before.info["opaque"]))
    assert len(cover.opaque) == 60
    *_, behind = for_transition(recipe, frames, recipe.outputs[0], stages, cover)  # type: ignore[arg-type]
    after = Cover(tuple(render(applied(recipe, behind), frames, "page", stages).info["opaque"]))
    assert after.hidden(cover.fullest)
    assert after.cut is not None


@pytest.mark.parametrize("first", [(2, 3, 1), (4, 4, 0), None])
def test_a_backing_from_a_warm_cache_is_the_one_from_a_fresh_one(
    tmp_path: Path, first: tuple[int, int, int] | None
) -> None:
    frames = brought(tmp_path / "in", curtain(6))
    warm, fresh = Stages(tmp_path / "warm"), Stages(tmp_path / "fresh")

    def backed_by(run: tuple[int, int, int] | None) -> Recipe:
        backing = run and {"colour": "#204060", "first": run[0], "last": run[1], "fade": run[2]}
        return a_set("overlay", backing=backing)

    render(backed_by(first), frames, "page", warm)
    for run in ((2, 4, 2), (4, 4, 0), None):
        made, alone = (render(backed_by(run), frames, "page", stages) for stages in (warm, fresh))
        assert [file.read() for file in made.timed.files] == [file.read() for file in alone.timed.files]
        assert made.info == alone.info


def test_an_overlay_is_trimmed_and_keeps_its_place(tmp_path: Path) -> None:
    art = []
    for index in range(4):
        frame = np.zeros((180, 320, 4), np.uint8)
        frame[20 + index : 60 + index, 240:300] = (200, 90, 40, 255)
        art.append(frame)
    frames = brought(tmp_path / "in", art)
    stages = Stages(tmp_path / "stages")
    recipe = a_set("overlay", place=(5, 6))
    before = render(recipe, frames, "page", stages)
    used = Box(*before.info["used"])
    assert used == Box(240, 20, 60, 43)
    (trim,) = for_overlay(recipe, frames, recipe.outputs[0], stages, used)  # type: ignore[arg-type]
    assert trim.text == "trim to 60 × 43"
    better = applied(recipe, trim)
    after = render(better, frames, "page", stages)
    assert better.outputs[0].place == (245, 26)  # type: ignore[union-attr]
    for seen, drawn in zip(pictures_of(after, stages), art, strict=True):
        np.testing.assert_array_equal(seen, drawn[20:63, 240:300])
    assert for_overlay(better, frames, better.outputs[0], stages, Box(*after.info["used"])) == []  # type: ignore[arg-type]


def test_art_that_fills_the_raster_is_offered_small_in_its_corner(tmp_path: Path) -> None:
    frames = brought(tmp_path / "in", [np.full((1080, 1920, 4), 200, np.uint8)])
    stages = Stages(tmp_path / "stages")
    recipe = a_set("overlay")
    (small,) = for_overlay(recipe, frames, recipe.outputs[0], stages, Box(0, 0, 1920, 1080))  # type: ignore[arg-type]
    assert small.text == "make it 480 × 270, small in its corner"
    after = render(applied(recipe, small), frames, "page", stages)
    assert (after.info["width"], after.info["height"]) == (480, 270)
    left, top = small.settings[-1].value
    safe = safe_area(RASTER, GRAPHICS)
    assert (left + 480, top) == (safe.left + safe.width, safe.top)


def test_safe_areas_are_those_of_ebu_r_95() -> None:
    """EBU R 95: 3.5 % and 5 % of each side; the figures are given from memory."""
    assert safe_area((1920, 1080), ACTION) == Box(67, 38, 1786, 1004)
    assert safe_area((1920, 1080), GRAPHICS) == Box(96, 54, 1728, 972)
    assert in_corner((1920, 1080), 480, 270) == (1344, 54)


def test_frames_that_are_written_again_and_again_are_checked_at_the_rate_of_the_files(tmp_path: Path) -> None:
    """24 frames in one second at 60 a second: 60 files, each shown for 1/60 s."""
    frames = brought(tmp_path / "in", curtain(24))
    recipe = a_set("switcher-transition", take={"rate": "60"}, held="repeated")
    recipe = recipe.model_copy(update={"rhythm": recipe.rhythm.model_copy(update={"rate": "24"})})
    made = render(recipe, frames, "page", Stages(tmp_path / "stages"))
    facts = facts_of(recipe.outputs[0], made.info, ["set_0001.png"], [1000 / 24])
    assert (facts.frames, facts.duration_ms) == (60, 1000)
    assert facts.shortest_delay_ms == pytest.approx(1000 / 60)
    target = recipe.outputs[0].target
    assert target is not None
    verdicts = {one.rule: one.verdict for one in check(facts, target, recipe.outputs[0])}
    assert verdicts["Frames"] == verdicts["Duration"] == verdicts["Rate"] == "pass"
    assert len(made.info["opaque"]) == 60


def test_a_set_of_another_rate_is_brought_to_that_of_the_show(tmp_path: Path) -> None:
    """A set has no time of its own: at 60 a second 12 frames of 12 fps would be over in a fifth of a second."""
    frames = brought(tmp_path / "in", curtain(12))
    recipe = a_set("overlay")
    recipe = recipe.model_copy(update={"rhythm": recipe.rhythm.model_copy(update={"rate": "12"})})
    stages = Stages(tmp_path / "stages")

    def rate_of(recipe: Recipe) -> tuple[Rendered, Checked]:
        made = render(recipe, frames, "page", stages)
        delays = [float(delay) for delay in made.held.milliseconds]
        facts = facts_of(recipe.outputs[0], made.info, ["set_0001.png"], delays)
        target = recipe.outputs[0].target
        assert target is not None
        return made, next(one for one in check(facts, target, recipe.outputs[0]) if one.rule == "Rate")

    before, rule = rate_of(recipe)
    assert (before.info["count"], rule.verdict, rule.measured) == (12, "warn", "12 fps")
    assert rule.remedy is not None
    after, rule = rate_of(applied(recipe, rule.remedy))
    assert (after.info["count"], after.info["duration_ms"], rule.verdict) == (60, 1000, "pass")
