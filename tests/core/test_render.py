"""The whole way through: the same bytes for the same recipe, and no work done twice."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from pydantic import ValidationError

from jayflick.core.broadcast.cover import opaque_share
from jayflick.core.errors import Cancelled, InputError
from jayflick.core.formats.gif import shared
from jayflick.core.formats.gif.reader import describe, read_gif
from jayflick.core.formats.gif.writer import FrameBlock
from jayflick.core.framing.frames import Framed
from jayflick.core.pictures.kinds import read_picture
from jayflick.core.progress import Progress
from jayflick.core.recipe import (
    MAX_PLACES,
    Alpha,
    FramesOutput,
    Framing,
    Gather,
    GifOutput,
    Recipe,
    Rhythm,
    SheetOutput,
    Size,
    Tuning,
)
from jayflick.core.render import Rendered, render
from jayflick.core.sequence.files import FileFrame, look_at
from jayflick.core.stages import Stages
from jayflick.core.timing.shots import Shot
from tests.conftest import moving_square, save_frames


def recipe(rhythm: dict[str, object] | None = None, **output: object) -> Recipe:
    facts = {"tuning": Tuning(colours=32, amount=50), **output}
    return Recipe(rhythm=Rhythm.model_validate(rhythm or {}), outputs=(GifOutput.model_validate(facts),))


@pytest.fixture
def frames(tmp_path: Path) -> list[FileFrame]:
    return list(look_at(save_frames(tmp_path / "frames", moving_square(6)), tmp_path)[1].values())


def delays(rendered: Rendered) -> list[int]:
    return [10 * delay for delay in rendered.held.units]


def test_the_same_recipe_gives_the_same_bytes_with_and_without_stage_results(
    frames: list[FileFrame], tmp_path: Path
) -> None:
    edited = recipe({"rate": "15", "direction": "there-and-back"}, size=Size(width=30))
    stages = Stages(tmp_path / "a")
    first = render(edited, frames, "page", stages)
    again = render(edited, frames, "page", stages)
    fresh = render(edited, frames, "page", Stages(tmp_path / "b"))
    assert first.data == again.data == fresh.data
    assert first.info["count"] == 10
    assert first.info["bytes"] == len(first.data)


def test_a_change_redoes_only_what_depends_on_it(frames: list[FileFrame], tmp_path: Path) -> None:
    stages = Stages(tmp_path / "stages")

    def runs(edited: Recipe) -> dict[str, int]:
        stages.runs.clear()
        render(edited, frames, "page", stages)
        return dict(stages.runs)

    coded = {"pictures": 1, "encoding": 1}
    colours = {"palette": 1, **coded}
    pixels = {"colours": 1, **colours}
    assert runs(recipe()) == {"framing": 6, **pixels}
    assert runs(recipe()) == {}
    assert (
        runs(recipe({"rate": "12", "holds": {2: 705_600_000}, "repeat": 3})) == {}
    )  # time never touches pixels
    assert runs(recipe(tuning=Tuning(colours=8))) == colours
    assert runs(recipe({"direction": "reverse"})) == coded
    assert runs(recipe({"last": 3})) == pixels
    assert runs(recipe(size=Size(width=20))) == {"art": 3, "framing": 6, **pixels}


def noise(folder: Path, count: int, *, soft: bool = True) -> list[FileFrame]:
    """Frames of more colours than are counted one by one, some pixels soft."""
    random = np.random.default_rng(4)
    frames = []
    for _ in range(count):
        frame = np.full((80, 96, 4), 255, np.uint8)
        frame[:, :, :3] = random.integers(0, 256, (80, 96, 3))
        if soft:
            frame[:20, :, 3] = random.integers(0, 256, (20, 96))
        frames.append(frame)
    return list(look_at(save_frames(folder, frames), folder)[1].values())


RECIPES = st.builds(
    lambda rhythm, gather, framing, output: Recipe.model_validate(
        {"rhythm": rhythm, "gather": gather, "framing": framing, "outputs": [output]}
    ),
    st.fixed_dictionaries(
        {},
        optional={
            "direction": st.sampled_from(["forward", "reverse", "there-and-back"]),
            "first": st.integers(1, 2),
            "last": st.integers(3, 5),
            "order": st.sampled_from([[0], [0, 0], [1, 0, 2, 1], [3, 2, 1]]).map(lambda o: o * 2),
            "repeat": st.integers(0, 2),
            "rate": st.sampled_from(["12", "24"]),
            "dissolve": st.integers(0, 2),
            "between": st.sampled_from([{"count": 1}, {"count": 2, "by": "blend"}, {"count": 1, "after": [2]}]),
        },
    ).filter(lambda rhythm: not ("order" in rhythm and "last" in rhythm)),
    st.fixed_dictionaries({}, optional={"over": st.sampled_from(["#000000", "#ffffff"])}),
    st.fixed_dictionaries(
        {},
        optional={
            "tone": st.sampled_from([{}, {"exposure": 0.5}, {"saturation": -50, "contrast": 10}]),
            "tones": st.sampled_from([[], [{"frames": [2, 4], "tone": {"gamma": 1.5}}]]),
            "match": st.sampled_from([{"to": 1}, {"to": 3, "by": "histogram", "frames": [2]}]),
            "line_up": st.fixed_dictionaries(
                {
                    "anchor": st.just(1),
                    "drawn_on": st.just([96, 80]),
                    "moves": st.sampled_from([{}, {"2": {"x": 3}}, {"3": {"y": 1.5, "turn": 2}}]),
                    "cover": st.sampled_from(["open", "enlarge"]),
                }
            ),
            "choke": st.sampled_from([0, 0.5]),
            "bleed": st.booleans(),
        },
    ),
    st.fixed_dictionaries(
        {},
        optional={
            "size": st.sampled_from([{}, {"width": 96}, {"width": 40}, {"width": 50, "height": 50}]),
            "alpha": st.fixed_dictionaries(
                {
                    "edges": st.sampled_from(["cutoff", "dither", "matte", "fill"]),
                    "cutoff": st.sampled_from([90, 128]),
                    "matte": st.sampled_from(["#262a2e", "#ffffff"]),
                }
            ),
            "tuning": st.fixed_dictionaries(
                {
                    "colours": st.sampled_from([16, 255, 256]),
                    "dither": st.sampled_from(["none", "diffusion", "ordered", "noise", "auto"]),
                    "matrix": st.sampled_from([2, 8]),
                    "sparing": st.booleans(),
                    "amount": st.sampled_from([0, 30, 60]),
                    "tolerance": st.sampled_from([0, 1, 20]),
                    "loss": st.sampled_from([0, 0, 15, 40]),
                    "palette": st.sampled_from(["shared", "shared", "frame", "auto"]),
                    "locked": st.sampled_from([[], ["#102030"], ["#ffffff", "#000000"]]),
                }
            ),
        },
    ),
)


@pytest.fixture(scope="module")
def noisy(tmp_path_factory: pytest.TempPathFactory) -> list[FileFrame]:
    return noise(tmp_path_factory.mktemp("noise"), 5)


@settings(max_examples=25, deadline=None)
@given(RECIPES, RECIPES)
def test_what_a_warm_cache_gives_equals_what_a_fresh_one_gives(
    noisy: list[FileFrame], one: Recipe, other: Recipe
) -> None:
    """The law of all stages, for any two recipes; and equal pictures are never coded twice."""
    with tempfile.TemporaryDirectory() as folder, pytest.MonkeyPatch.context() as patch:
        patch.setattr(shared, "LONG", 10_000)  # so that not every row is counted
        warm, fresh = Stages(Path(folder) / "warm"), Stages(Path(folder) / "fresh")
        first = render(one, noisy, "page", warm)
        warm.runs.clear()
        second = render(other, noisy, "page", warm)
        alone = render(other, noisy, "page", fresh)
        assert second.data == alone.data
        assert (second.info, second.coded) == (alone.info, alone.coded)
        if first.coded.files == second.coded.files and len(first.plan.shots) > 1:
            assert warm.runs["encoding"] == 0


@pytest.mark.parametrize(
    ("soft", "before", "after"),
    [
        (True, {"repeat": 0}, {"repeat": 1}),
        (True, {"alpha": {"matte": "#123456"}}, {"alpha": {"matte": "#654321"}}),
        (True, {"alpha": {"edges": "fill", "cutoff": 3}}, {"alpha": {"edges": "fill", "cutoff": 200}}),
        (False, {"alpha": {"edges": "cutoff"}}, {"alpha": {"edges": "matte"}}),
        (True, {"tuning": {"dither": "none", "amount": 9}}, {"tuning": {"dither": "none", "amount": 90}}),
        (True, {"tuning": {"dither": "none"}}, {"tuning": {"amount": 0}}),
        (True, {"tuning": {"colours": 255}}, {"tuning": {"colours": 256}}),
        (True, {"tuning": {"tolerance": 0}}, {"tuning": {"tolerance": 1}}),
        (True, {"size": {"fit": "cover"}}, {"size": {"width": 96}}),
        (False, {"gather": {}}, {"gather": {"over": "#000000"}}),
        (False, {"framing": {}}, {"framing": {"crop": [0, 0, 96, 80]}}),
        (False, {"framing": {}}, {"framing": {"choke": 1, "bleed": True, "match": {"to": 2, "frames": [2]}}}),
        (True, {"framing": {}}, {"framing": {"bleed": True}}),
        (True, {"framing": {}}, {"framing": {"line_up": {"anchor": 1, "drawn_on": [96, 80]}}}),
        (True, {"size": {}}, {"size": {"resample": "nearest"}}),
        (True, {"budget": 2000}, {"budget": 9000}),
    ],
)
def test_a_setting_that_can_alter_no_pixel_codes_none(
    tmp_path: Path, soft: bool, before: dict[str, object], after: dict[str, object]
) -> None:
    frames = noise(tmp_path / "in", 3, soft=soft)
    stages = Stages(tmp_path / "stages")

    def edited(facts: dict[str, object]) -> Recipe:
        shared = {key: facts[key] for key in ("gather", "framing") if key in facts}
        output = {key: facts[key] for key in ("alpha", "tuning", "size", "budget") if key in facts}
        rhythm = {"repeat": facts.get("repeat", 0)}
        return Recipe.model_validate({**shared, "rhythm": rhythm, "outputs": [output]})

    render(edited(before), frames, "page", stages)
    stages.runs.clear()
    again = render(edited(after), frames, "page", stages)
    assert stages.runs == {}
    assert again.data == render(edited(after), frames, "page", Stages(tmp_path / "fresh")).data


def test_art_of_few_colours_is_coded_once_however_many_are_allowed(tmp_path: Path) -> None:
    flat = [(frame // 64 * 64) | np.array([0, 0, 0, 255], np.uint8) for frame in moving_square(6)]
    drawn = list(look_at(save_frames(tmp_path / "flat", flat), tmp_path)[1].values())
    stages = Stages(tmp_path / "stages")
    first = render(recipe(tuning=Tuning(colours=64)), drawn, "page", stages)
    again = render(recipe(tuning=Tuning(colours=128, amount=7)), drawn, "page", stages)
    assert (again.data, again.pixels, stages.runs["encoding"]) == (first.data, first.pixels, 1)


@pytest.mark.parametrize("tuning", [{"dither": "none"}, {"amount": 80}, {"tolerance": 30}])
def test_the_way_back_is_the_way_there(
    noisy: list[FileFrame], tmp_path: Path, tuning: dict[str, object]
) -> None:
    edited = recipe({"direction": "there-and-back"}, tuning=Tuning.model_validate({"colours": 24, **tuning}))
    pictures = list(read_gif(render(edited, noisy, "page", Stages(tmp_path)).data).pictures())
    assert len(pictures) == 8
    for step in (1, 2, 3):
        np.testing.assert_array_equal(pictures[4 - step], pictures[(4 + step) % 8])


def test_a_change_of_time_alone_leaves_the_pictures_as_they_are(
    frames: list[FileFrame], tmp_path: Path
) -> None:
    stages = Stages(tmp_path / "stages")
    slow = render(recipe({"rate": "10"}), frames, "page", stages)
    fast = render(recipe({"rate": "24", "holds": {1: 705_600_000}}), frames, "page", stages)
    assert slow.pixels == fast.pixels
    assert delays(slow) == [100] * 6
    assert delays(fast) == [1000, 40, 40, 40, 40, 50]


@pytest.mark.parametrize("rhythm", [{}, {"repeat": 1}, {"repeat": 3, "rate": "7"}, {"last": 1}])
def test_what_is_told_of_a_result_is_what_its_bytes_hold(
    frames: list[FileFrame], tmp_path: Path, rhythm: dict[str, object]
) -> None:
    stages = Stages(tmp_path / "stages")
    for edited in ({"rate": "10"} | rhythm, {"holds": {1: 705_600_000}} | rhythm):  # the second only in time
        made = render(recipe(edited), frames, "page", stages)
        described = describe(read_gif(made.data), len(made.data))
        each = described.pop("frames")
        told_by_no_file = {"dither": "diffusion", "source_size": (48, 32), "enlarged": None}
        assert made.info == described | told_by_no_file
        assert made.held.units == [frame["delay_ms"] // 10 for frame in each]
        assert list(made.coded.costs) == [frame["bytes"] for frame in each]


def test_delays_that_viewers_would_replace_are_never_silent(frames: list[FileFrame], tmp_path: Path) -> None:
    fast = render(recipe({"rate": "100"}), frames, "page", Stages(tmp_path / "stages"))
    assert delays(fast) == [20] * 6
    assert any("lasts 120 ms instead of 60" in note for note in fast.notes)


def test_blends_and_empty_frames_are_made_of_the_framed_pictures(
    frames: list[FileFrame], tmp_path: Path
) -> None:
    stages = Stages(tmp_path / "stages")
    framed = Framed(frames, Framing(), Size(), stages, Gather())
    one, two = (Image.fromarray(framed.frame(position)) for position in (1, 2))
    half = np.asarray(Image.blend(one, two, 0.5)).astype(int)  # Pillow as the reference; these are opaque
    assert np.abs(framed.shot(Shot.parse("1x128+2x128")) - half).max() <= 1
    clear = framed.shot(Shot.parse("0x256"))
    assert (clear.shape, clear.max()) == ((32, 48, 4), 0)
    faded = framed.shot(Shot.parse("0x192+1x64"))  # a quarter there, in its own colours
    assert set(np.unique(faded[:, :, 3])) == {64}
    assert np.abs(faded[:, :, :3].astype(int) - np.asarray(one)[:, :, :3]).max() <= 1

    blinking = render(recipe({"order": [1, 0, 1, 2]}), frames, "page", stages)
    pictures = list(read_gif(blinking.data).pictures())
    assert [int(picture[:, :, 3].max()) for picture in pictures] == [255, 0, 255, 255]
    odd = FileFrame(frames[0].path, "odd.png", "x", 10, 10)  # of another size, and not used
    later = render(recipe({"order": [2, 0, 3]}), [odd, *frames[1:]], "page", stages)
    assert (later.info["width"], later.info["height"]) == (48, 32)
    stages.runs.clear()
    dissolved = render(recipe({"dissolve": 2}), frames, "page", stages)
    assert (dissolved.info["count"], stages.runs["framing"]) == (4, 3)  # three of six were there
    # The same frames in another order have the same palette; a blend is another picture.
    assert stages.runs["palette"] == 1


def test_a_delay_that_a_gif_cannot_hold_is_refused(frames: list[FileFrame], tmp_path: Path) -> None:
    with pytest.raises(InputError, match="frame 2 lasts 1000 s; a GIF frame lasts at most 655"):
        render(recipe({"holds": {2: 1000 * 705_600_000}}), frames, "page", Stages(tmp_path / "stages"))
    twice = recipe({"order": [1, 2, 2, 3], "holds": {2: 400 * 705_600_000, 3: 400 * 705_600_000}})
    with pytest.raises(InputError, match="frame 2 and those after it that look the same last 800 s"):
        render(twice, frames, "page", Stages(tmp_path / "stages"))
    with pytest.raises(InputError, match="more than 65535 frames in a row"):
        FrameBlock((0, 0, 1, 1), 1, np.zeros(1, np.uint8)).lasting(65536)


def test_a_frame_shown_twice_in_a_row_is_one_that_lasts_as_long(
    frames: list[FileFrame], tmp_path: Path
) -> None:
    """Its time is written as ever: no pixel is coded for another delay of either."""
    stages = Stages(tmp_path / "stages")
    twice = render(recipe({"order": [1, 2, 2, 3]}), frames, "page", stages)
    assert (twice.timed.at, twice.info["count"]) == ((0, 1, 1, 2), 3)
    assert [frame.delay for frame in read_gif(twice.data).frames] == [4, 8, 5]
    coded = stages.runs["encoding"]
    slower = render(recipe({"order": [1, 2, 2, 3], "holds": {3: 705_600_000}}), frames, "page", stages)
    assert [frame.delay for frame in read_gif(slower.data).frames] == [4, 104, 5]
    assert stages.runs["encoding"] == coded


def test_going_over_the_budget_is_said(frames: list[FileFrame], tmp_path: Path) -> None:
    over = render(recipe(budget=1024), frames, "page", Stages(tmp_path / "stages"))
    assert f"{over.info['bytes'] - 1024} bytes over the budget of 1024" in over.notes


def test_work_can_be_called_off_and_leaves_nothing_half_done(frames: list[FileFrame], tmp_path: Path) -> None:
    stages = Stages(tmp_path / "stages")
    seen: list[Progress] = []

    def stop(progress: Progress) -> None:
        seen.append(progress)
        if progress.stage == "encoding" and progress.done == 2:
            raise Cancelled("called off")

    with pytest.raises(Cancelled):
        render(recipe(), frames, "page", stages, on_progress=stop)
    assert [p.stage for p in seen][:12] == ["framing"] * 6 + ["tuning"] * 6
    kept = {path.suffix for path in (tmp_path / "stages").glob("*/*")}
    assert kept == {".framing", ".colours", ".palette"}
    assert render(recipe(), frames, "page", stages).info["count"] == 6


def test_frames_of_another_size_and_files_that_changed_are_named(
    frames: list[FileFrame], tmp_path: Path
) -> None:
    odd = FileFrame(frames[0].path, "odd_9.png", "x", 10, 10)
    with pytest.raises(InputError, match=r"odd_9\.png: is 10 × 10, the first frame is 48 × 32"):
        render(recipe(), [*frames, odd], "page", Stages(tmp_path / "stages"))
    frames[3].path.write_bytes(frames[3].path.read_bytes()[:100])
    with pytest.raises(InputError, match=r"square_4\.png: was changed while it was being read"):
        render(recipe(), frames, "page", Stages(tmp_path / "stages"))


def test_stage_results_used_longest_ago_are_dropped_first(tmp_path: Path) -> None:
    stages = Stages(tmp_path)
    for key in ("aa", "bb", "cc"):
        stages.obtain("x", key, lambda: bytes(100))
        path = stages.path("x", key)
        path.touch()
        # Times an hour apart: file systems do not keep order within a tick.

        os.utime(path, (0, 3600 * ("aa", "bb", "cc").index(key)))
    stages.obtain("x", "aa", lambda: b"not made again")
    stages.prune(250)
    assert [stages.has("x", key) for key in ("aa", "bb", "cc")] == [True, False, True]


def test_a_recipe_is_refused_before_it_does_harm() -> None:
    wrongs: list[dict[str, object]] = [
        {"version": 2},
        {"rhythm": {"rate": "0"}},
        {"rhythm": {"first": 5, "last": 2}},
        {"rhythm": {"speed": 2}},
        {"framing": {"crop": [0, 0, 0, 5]}},
        {"outputs": []},
        {"outputs": [{"id": "a"}, {"id": "a"}]},
        {"outputs": [{"file_name": "../up.gif"}]},
        {"outputs": [{"tuning": {"colours": 1}}]},
        {"outputs": [{"alpha": {"matte": "red"}}]},
    ]
    for wrong in wrongs:
        with pytest.raises(ValidationError):
            Recipe.model_validate(wrong)


def test_a_recipe_survives_being_written_down() -> None:
    edited = Recipe(
        gather=Gather(left_out=frozenset({3, 1})),
        rhythm=Rhythm(rate="24000/1001", holds={2: 5}, repeat=2),
        outputs=(GifOutput(alpha=Alpha(edges="fill", matte="#AABBCC"), size=Size(width=9)),),
    )
    assert Recipe.model_validate_json(edited.model_dump_json()) == edited
    assert edited.model_dump(mode="json")["gather"]["left_out"] == [1, 3]
    assert edited.model_dump()["outputs"][0]["alpha"]["matte"] == "#aabbcc"


def test_what_was_warmed_is_never_compiled_again_while_someone_waits(
    frames: list[FileFrame], tmp_path: Path
) -> None:
    with Image.open(tmp_path / "frames" / "square_1.png") as first:
        first.save(tmp_path / "frames" / "square_9.tga", compression="tga_rle")
    script = f"""
import sys
from pathlib import Path
import jayflick.core.dither.pixel  # which has loops that others call
from numba.core.dispatcher import Dispatcher  # loaded by somebody else, after some loops and before others
from jayflick.core.recipe import GifOutput, Recipe, Tuning
from jayflick.core.render import render
from jayflick.core.sequence.files import look_at
from jayflick.core.stages import Stages
from jayflick.core.warm import warm

def compiled():
    loops = [(n, o) for m in list(sys.modules.values()) if m.__name__.startswith("jayflick.core")
             for n, o in vars(m).items() if isinstance(o, Dispatcher)]
    return {{name: len(loop.signatures) for name, loop in loops}}

warm()
before = compiled()
frames = list(look_at(sorted(Path({str(tmp_path / "frames")!r}).iterdir()), Path("."))[1].values())
for dither in ("none", "diffusion"):
    recipe = Recipe(outputs=(GifOutput(tuning=Tuning(colours=32, dither=dither)),))
    render(recipe, frames, "page", Stages(Path({str(tmp_path / "stages")!r})))
after = compiled()
assert before and before == after, {{n: after[n] for n in after if before.get(n) != after[n]}}
late = [n for m in list(sys.modules.values()) if m.__name__.startswith("jayflick.core")
        for n, o in vars(m).items() if type(o).__name__ == "_Later"]
assert not late, late  # where one is compiled, Numba would find no loop in such a place
"""
    subprocess.run([sys.executable, "-c", script], check=True)


def test_frames_are_not_scaled_to_more_pixels_than_any_may_have() -> None:
    assert Gather(sizes="scale", size=(10_000, 5_000)).size == (10_000, 5_000)
    with pytest.raises(ValidationError, match="50 million pixels"):
        Gather(sizes="scale", size=(10_001, 5_000))


def test_a_gif_of_the_longest_order_there_may_be_reads_back() -> None:
    # Frames of one pixel (GIF89a, sections 18 to 23): control block, descriptor, one code.
    frame = b"\x21\xf9\x04\0\x02\0\0\0" + b"\x2c\0\0\0\0\1\0\1\0\0" + b"\x02\x02\x44\x01\0"
    reel = b"GIF89a\1\0\1\0\x80\0\0" + b"\0\0\0\xff\xff\xff" + frame * MAX_PLACES
    assert len(read_gif(reel + b"\x3b").frames) == MAX_PLACES
    for forgiving in (False, True):
        with pytest.raises(InputError, match="more than 20,000 frames"):
            read_gif(reel + frame + b"\x3b", forgiving=forgiving)


def test_what_is_shown_for_less_than_can_be_written_names_no_other_frame(tmp_path: Path) -> None:
    """The last step of a set that repeats what is held is too short for a file of its own."""
    frames = moving_square(3, 8, 8, soft=True)
    frames[2][:] = (9, 9, 9, 255)
    found = list(look_at(save_frames(tmp_path / "in", frames), tmp_path)[1].values())
    output = FramesOutput(file_name="set.zip", held="repeated")
    rhythm = Rhythm(rate="10", holds={3: 7})
    made = render(Recipe(rhythm=rhythm, outputs=(output,)), found, output.id, Stages(tmp_path / "stages"))
    shown = [opaque_share(read_picture(file.read(), name=file.name)) for file in made.timed.files]
    assert made.info["opaque"] == shown
    assert max(shown) < 1


@pytest.mark.parametrize("holds", [{1: 1}, {1: 1, 2: 3}, {1: 700, 2: 1}])
def test_delays_of_a_few_flicks_make_a_style_sheet(tmp_path: Path, holds: dict[int, int]) -> None:
    frames = list(look_at(save_frames(tmp_path / "in", moving_square(2, 8, 8)), tmp_path)[1].values())
    output = SheetOutput(file_name="sheet.png", css=True)
    recipe = Recipe(rhythm=Rhythm(holds=holds, last=len(holds)), outputs=(output,))
    made = render(recipe, frames, output.id, Stages(tmp_path / "stages"))
    css = next(file.read() for file in made.timed.files if file.name.endswith(".css"))
    assert b"@keyframes sheet" in css
    assert b"nan" not in css
