"""A project in one file: written, read, and what is wrong with it told."""

import json
import zipfile
from io import BytesIO
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.cli import main
from jayflick.core.errors import InputError
from jayflick.core.recipe import GifOutput, Recipe, Rhythm, Size, Tuning
from jayflick.core.sequence.files import list_files, look_at
from jayflick.core.sequence.gather import gather
from jayflick.core.sequence.pieces import Enclosed, Piece, Refused, pieces
from jayflick.core.sequence.project_file import (
    DOCUMENT,
    SCHEMA,
    ProjectFile,
    entries,
    in_parts,
    read_document,
    schema,
    write_project,
)
from tests.conftest import moving_square, save_frames

ROOT = Path(__file__).parents[2]
RECIPE = Recipe(
    rhythm=Rhythm(rate="15", order=(1, 3, 2, 0, 4), holds={2: 705_600_000}),
    outputs=(GifOutput(size=Size(width=30), tuning=Tuning(colours=12, amount=80)),),
)


def saved(tmp_path: Path) -> tuple[ProjectFile, bytes]:
    files = save_frames(tmp_path / "frames", moving_square(5))
    found, frames = look_at(files, tmp_path)
    (sequence,), _ = gather(found)
    hashes = {frame.sha256: frame.path for frame in frames.values()}
    listed = entries([(f.name, f.number, frames[f.name].sha256) for f in sequence.files])
    project = ProjectFile(name="Square", recipe=RECIPE, frames=listed, report=sequence.document())
    return project, b"".join(write_project(project, listed, lambda one: hashes[one.sha256].read_bytes()))


def test_a_project_comes_back_as_it_was_saved(tmp_path: Path) -> None:
    project, data = saved(tmp_path)
    with zipfile.ZipFile(BytesIO(data)) as archive:  # the standard library as an independent reader
        assert archive.testzip() is None
        assert archive.namelist()[:3] == [DOCUMENT, SCHEMA, "frames/square_1.png"]
    came = list(pieces(data, "square.zip"))
    assert [type(one) for one in came] == [Enclosed] + [Piece] * 5
    assert isinstance(came[0], Enclosed)
    assert came[0].project == project
    assert saved(tmp_path / "again")[1] == data  # the same project, the same bytes


def test_made_of_the_file_or_of_frames_and_recipe_the_output_is_the_same(tmp_path: Path) -> None:
    _, data = saved(tmp_path)
    (tmp_path / "square.zip").write_bytes(data)
    (tmp_path / "recipe.json").write_text(RECIPE.model_dump_json())
    one, two = str(tmp_path / "one.gif"), str(tmp_path / "two.gif")
    assert main(["make", str(tmp_path / "square.zip"), "-o", one]) == 0
    assert main(["make", str(tmp_path / "frames"), "--recipe", str(tmp_path / "recipe.json"), "-o", two]) == 0
    assert Path(one).read_bytes() == Path(two).read_bytes()


def test_a_project_whose_frames_did_not_all_come_is_refused(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    project, _ = saved(tmp_path)
    frames = {path.name: path for path in list_files([str(tmp_path / "frames")])}
    some = project.frames[:3]
    part = b"".join(write_project(project, some, lambda one: frames[one.name].read_bytes()))
    (tmp_path / "part.zip").write_bytes(part)
    assert main(["make", str(tmp_path / "part.zip"), "-o", str(tmp_path / "out.gif")]) == 2
    assert "square_4.png: of the project is missing" in capsys.readouterr().err
    assert not (tmp_path / "out.gif").exists()


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"version": 2}, "version"),
        ({"frames": []}, "frames"),
        ({"more": 1}, "more"),
        ({"recipe": {"rhythm": {"rate": "0"}}}, "recipe.rhythm.rate"),
    ],
)
def test_a_document_that_cannot_be_used_is_named_and_the_frames_still_come(
    tmp_path: Path, change: dict[str, object], message: str
) -> None:
    project, data = saved(tmp_path)
    document = json.loads(project.model_dump_json()) | change
    with pytest.raises(InputError, match=message):
        read_document(json.dumps(document).encode(), "square.zip")
    out = BytesIO()
    with zipfile.ZipFile(BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            new.writestr(name, json.dumps(document) if name == DOCUMENT else old.read(name))
    came = list(pieces(out.getvalue(), "square.zip"))
    assert [type(one) for one in came] == [Refused] + [Piece] * 5


def test_frames_of_one_name_get_places_of_their_own() -> None:
    listed = entries([("a.png", 1, "0" * 64), ("A.png", 2, "1" * 64), ("a.png", 3, "2" * 64)])
    assert len({entry.file.lower() for entry in listed}) == 3
    assert [entry.name for entry in listed] == ["a.png", "A.png", "a.png"]


@given(st.lists(st.integers(0, 300), max_size=40))
def test_parts_hold_everything_in_order_and_fit(sizes: list[int]) -> None:
    parts = in_parts([((index, size), size) for index, size in enumerate(sizes)], 320)
    assert [thing for part in parts for thing in part] == list(enumerate(sizes))
    assert all(sum(size for _, size in part) <= 300 for part in parts)


def test_the_schema_in_the_docs_is_the_one_that_is_written() -> None:
    assert (ROOT / "docs" / "project.schema.json").read_text() == schema()
