"""What holds for every format: in the table, warm as fresh, time without pixels, nothing decoded twice."""

import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any, get_args

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.formats.ahead import AHEAD, ahead
from jayflick.core.formats.table import FORMATS
from jayflick.core.framing.bleed import bled
from jayflick.core.recipe import BaseOutput, Output, Recipe
from jayflick.core.render import Rendered, render, render_at_once
from jayflick.core.sequence.files import FileFrame, look_at
from jayflick.core.stages import Stages
from tests.conftest import moving_square, save_frames

NAMES = {
    "gif": "a.gif",
    "apng": "a.png",
    "webp": "a.webp",
    "avif": "a.avif",
    "frames": "a.zip",
    "still": "a.png",
}
ENDINGS = {"h264": ".mp4", "vp9": ".webm"}


def output(form: str, **settings: Any) -> dict[str, Any]:
    name = NAMES.get(form, "a.png")
    if form == "video":
        name = f"a{ENDINGS.get(settings.get('codec', 'h264'), '.mov')}"
    return {"id": "it", "format": form, "file_name": name, **settings}


def recipe(*outputs: dict[str, Any], **rhythm: Any) -> Recipe:
    return Recipe.model_validate({"rhythm": rhythm, "outputs": list(outputs)})


@pytest.fixture(scope="module")
def soft(tmp_path_factory: pytest.TempPathFactory) -> list[FileFrame]:
    """Six frames of odd size with soft edges."""
    folder = tmp_path_factory.mktemp("soft")
    return list(look_at(save_frames(folder, moving_square(6, 47, 33, soft=True)), folder)[1].values())


def files(rendered: Rendered) -> list[tuple[str, bytes]]:
    return [(file.name, file.read()) for file in rendered.timed.files]


def test_the_table_has_every_format_an_output_can_be() -> None:
    union = get_args(get_args(Output)[0])
    classes: list[type[BaseOutput]] = [get_args(one)[0] for one in union]
    assert {one.model_fields["format"].default for one in classes} == set(FORMATS)


OUTPUTS = st.one_of(
    st.builds(
        lambda over, effort: output("apng", over=over, effort=effort),
        st.sampled_from([None, "#336699"]),
        st.integers(1, 2),
    ),
    st.builds(
        lambda lossless, quality: output("webp", lossless=lossless, quality=quality, effort=0),
        st.booleans(),
        st.sampled_from([40, 80]),
    ),
    st.builds(lambda quality: output("avif", quality=quality, speed=10), st.sampled_from([40, 80])),
    st.builds(
        lambda codec, plays: output("video", codec=codec, plays=plays),
        st.sampled_from(["png", "qtrle", "prores", "vp9"]),
        st.integers(1, 2),
    ),
    st.builds(
        lambda quality: output("video", codec="h264", quality=quality, over="#336699"), st.integers(0, 100)
    ),
    st.builds(
        lambda picture, held: output("frames", picture=picture, held=held),
        st.sampled_from(["png", "tga"]),
        st.sampled_from(["once", "repeated"]),
    ),
    st.builds(lambda frame: output("still", frame=frame), st.integers(1, 3)),
    st.builds(
        lambda layout, cell, pixels, space: output(
            "sheet", layout=layout, cell=cell, pixels=pixels, spacing=space, extrude=space, csv=True
        ),
        st.sampled_from(["even", "packed"]),
        st.sampled_from(["canvas", "used"]),
        st.sampled_from(["8888", "4444", "256"]),
        st.integers(0, 1),
    ),
)
PLACED = {"width": 40, "height": 40, "fit": "place", "at": [9, -4], "picture": {"percent": 70}}
FRAMINGS = st.fixed_dictionaries(
    {},
    optional={
        "size": st.sampled_from(
            [
                {"width": 31},
                {"width": 40, "height": 40, "fit": "place", "at": [9, -4], "picture": {"percent": 70}},
            ]
        ),
        "framing": st.just({"crop": [3, 1, 30, 20]}),
        "take": st.sampled_from(
            [{"rate": "10", "between": "blend"}, {"span": "walk"}, {"length": 705_600_000}]
        ),
    },
)
FRAMED = st.builds(lambda one, more: {**one, **more}, OUTPUTS, FRAMINGS)
RHYTHMS = st.fixed_dictionaries(
    {"spans": st.just([{"name": "walk", "first": 1, "last": 3, "rate": "11"}])},
    optional={
        "between": st.sampled_from([{"count": 1, "by": "blend"}, {"count": 2, "by": "motion", "after": [1]}]),
        "dissolve": st.just(1),
        "rate": st.sampled_from(["12", "24"]),
        "direction": st.sampled_from(["reverse", "there-and-back"]),
        "holds": st.sampled_from([{2: 705_600_000 // 4}]),
        "order": st.sampled_from([[1, 1, 2], [3, 0, 3]]),
        "repeat": st.integers(0, 2),
    },
).filter(lambda rhythm: not ("order" in rhythm and "direction" in rhythm))


@settings(max_examples=30)
@given(FRAMED, RHYTHMS, FRAMED, RHYTHMS)
def test_what_a_warm_cache_gives_equals_what_a_fresh_one_gives(
    soft: list[FileFrame], one: dict[str, Any], so: dict[str, Any], other: dict[str, Any], then: dict[str, Any]
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        warm, fresh = Stages(Path(folder) / "warm"), Stages(Path(folder) / "fresh")
        render(recipe(one, **so), soft, "it", warm)
        second = render(recipe(other, **then), soft, "it", warm)
        alone = render(recipe(other, **then), soft, "it", fresh)
        assert files(second) == files(alone)
        assert (second.info, second.timed.at, second.coded) == (alone.info, alone.timed.at, alone.coded)
        assert second.info["bytes"] == sum(len(data) for _, data in files(second))


@pytest.mark.parametrize("form", ["gif", "apng", "webp"])
def test_a_change_of_time_touches_no_pixel(soft: list[FileFrame], tmp_path: Path, form: str) -> None:
    stages = Stages(tmp_path / "stages")
    before = render(recipe(output(form)), soft, "it", stages)
    stages.runs.clear()
    slow = recipe(output(form), rate="10", repeat=3, holds={2: 705_600_000})
    after = render_at_once(slow, soft, "it", stages)
    assert after is not None
    assert (after.pixels, dict(stages.runs)) == (before.pixels, {})
    assert (after.info["duration_ms"], after.info["repeat"]) == (1500, 3)


def test_a_second_output_of_the_same_framing_decodes_nothing_again(
    soft: list[FileFrame], tmp_path: Path
) -> None:
    stages = Stages(tmp_path / "stages")
    every = [{**output(form), "id": form} for form in FORMATS if form != "video"]
    both = recipe(*every, {**output("video", codec="vp9"), "id": "video"})
    for number, form in enumerate(FORMATS):
        render(both, soft, form, stages)
        assert stages.runs["framing"] == 6, number


@pytest.mark.parametrize(
    ("settings", "message"),
    [
        (output("video"), "MP4 has no alpha, and frame 1 is not opaque; lay it over a page colour"),
        (output("still", picture="jpeg", file_name="a.jpg"), "JPEG has no alpha"),
        (output("frames", pixels="rgb"), "PNG of RGB has no alpha"),
        (output("still", frame=7), "there is no frame 7: 6 are played; choose one from 1 to 6"),
    ],
)
def test_what_a_format_cannot_hold_is_said_with_what_would(
    soft: list[FileFrame], tmp_path: Path, settings: dict[str, Any], message: str
) -> None:
    stages = Stages(tmp_path / "stages")
    with pytest.raises(InputError) as refused:
        render(recipe(settings), soft, "it", stages)
    assert message in str(refused.value)


def test_a_set_is_named_numbered_and_held_as_it_is_asked(soft: list[FileFrame], tmp_path: Path) -> None:
    def names(**settings: Any) -> Sequence[str]:
        rendered = render(
            recipe(output("frames", **settings), rate="10", holds={1: 705_600_000 // 5}),
            soft,
            "it",
            Stages(tmp_path / "stages"),
        )
        assert len({file.name for file in rendered.timed.files}) == rendered.info["count"]
        return [file.name for file in rendered.timed.files]

    assert names() == [f"frame_000{n}.png" for n in range(1, 7)]
    held = names(held="repeated", names="gull-##-fly", first_number=98)
    assert held == [f"gull-{n:03}-fly.png" for n in range(98, 105)]


@pytest.mark.parametrize("settings", [{"codec": "h264", "over": "#336699"}, {"codec": "vp9"}])
def test_a_clip_of_the_same_pictures_has_the_same_bytes(
    soft: list[FileFrame], tmp_path: Path, settings: dict[str, Any]
) -> None:
    made = recipe(output("video", plays=4, **settings), rate="24")
    files = [render(made, soft, "it", Stages(tmp_path / str(number))).data for number in range(3)]
    assert len(set(files)) == 1


def test_an_avif_does_not_tell_when_it_was_made(soft: list[FileFrame], tmp_path: Path) -> None:
    data = render(recipe(output("avif", speed=10)), soft, "it", Stages(tmp_path / "stages")).data
    for tag, count in ((b"mvhd", 1), (b"tkhd", 2), (b"mdhd", 2)):  # colour and alpha are a track each
        parts = data.split(tag)[1:]
        assert len(parts) == count
        for part in parts:
            assert part[4 : 20 if part[0] == 1 else 12].strip(b"\0") == b""


def test_a_clip_plays_so_often_or_to_a_length_and_meets_a_size(soft: list[FileFrame], tmp_path: Path) -> None:
    def made(**settings: Any) -> Rendered:
        clip = output("video", over="#336699", **settings)
        return render(recipe(clip, rate="24"), soft, "it", Stages(tmp_path / "stages"))

    assert made(plays=4).info["count"] == 24
    cut = made(length=705_600_000)
    assert (cut.info["count"], cut.info["duration_ms"]) == (24, 1000)
    assert made(length=705_600_000 * 10 // 24).notes[-2:][0].startswith("the length cuts the loop")
    small = made(most_bytes=1850)
    assert small.info["bytes"] <= 1850 < made().info["bytes"]
    assert "even at the lowest quality" in made(most_bytes=1024).notes[-1]
    assert (small.info["width"], small.info["height"]) == (46, 32)
    assert any("trimmed" in note for note in small.notes)


def test_colour_is_spread_under_what_is_clear_and_nothing_else_changes() -> None:
    frame = moving_square(1, 40, 31, soft=True)[0]
    spread = bled(frame)
    there = frame[:, :, 3] > 0
    np.testing.assert_array_equal(spread[there], frame[there])
    np.testing.assert_array_equal(spread[:, :, 3], frame[:, :, 3])
    assert spread[~there][:, 0].min() >= 220  # between the two colours of the art: nothing is dark
    for same in (np.zeros_like(frame), np.full_like(frame, 255)):
        assert bled(same) is same


def test_what_is_made_ahead_comes_in_turn_and_no_further_than_it_is_wanted() -> None:
    made: list[int] = []

    def make(number: int) -> int:
        if number == 7:
            raise InputError("is broken", file="seven.png")
        made.append(number)
        return -number

    assert list(ahead(make, range(5))) == [0, -1, -2, -3, -4]
    made.clear()
    coming = ahead(make, range(10))
    assert [next(coming), next(coming)] == [0, -1]
    coming.close()
    assert made == list(range(len(made)))
    assert len(made) <= 2 + AHEAD
    with pytest.raises(InputError, match="is broken"):
        list(ahead(make, range(10)))
