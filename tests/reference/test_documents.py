"""What the documents show: every command is run as it stands there, on the demo's own frames."""

import json
import re
import shlex
from pathlib import Path

import pytest
from PIL import Image

from jayflick.cli import main
from jayflick.core.recipe import GifOutput, Recipe, Rhythm, WebpOutput
from jayflick.core.sequence.files import look_at
from jayflick.core.sequence.gather import gather
from jayflick.core.sequence.project_file import ProjectFile, entries, write_project
from jayflick.demo import DEMO
from tests.conftest import moving_square, save_frames
from tests.core.test_broadcast import curtain

ROOT = Path(__file__).parents[2]
COMMAND = re.compile(r"^ {4}\.venv/bin/jayflick (.*?)(?: {2,}#.*)?$", re.MULTILINE)
ELSEWHERE = ("send", "watch")
"""Commands that need a device at the other end, or do not end: other tests run those."""


def shown(document: str) -> list[list[str]]:
    """The commands of a document, in order."""
    found = COMMAND.findall((ROOT / document).read_text())
    return [shlex.split(command, comments=True) for command in found]


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folders and files that the documents name."""
    here = tmp_path_factory.mktemp("documents")
    demo = {project.folder: project for project in DEMO}
    for folder, name in (("frames", "tern"), ("by_hand", "by_hand"), ("terns", "terns"), ("pier", "pier")):
        (here / folder).mkdir()
        for file, make in demo[name].files:
            (here / folder / file).write_bytes(make())
    (here / "three.png").write_bytes(demo["lenses"].files[0][1]())
    save_frames(here / "sprite", moving_square(4, 16, 16), "buoy_{}.png")
    save_frames(here / "walk", moving_square(16, 64, 48), "walk_{}.png")
    (here / "walk" / "walk_9.png").unlink()
    save_frames(here / "reel", moving_square(24, 64, 48), "reel_{}.png")
    save_frames(here / "transition", curtain(30, 192, 108), "wipe_{}.png")
    save_frames(here / "bug", moving_square(8, 192, 108, soft=True), "bug_{}.png")
    assert main(["make", str(here / "reel"), "-o", str(here / "wake.mp4"), "--matte", "#000"]) == 0
    recipe = Recipe(
        rhythm=Rhythm(rate="12"), outputs=(GifOutput(), WebpOutput(id="web", name="Web", file_name="web.webp"))
    )
    (here / "recipe.json").write_text(recipe.model_dump_json())
    files = sorted((here / "frames").iterdir())
    found, frames = look_at(files, here)
    (sequence,), _ = gather(found)
    paths = {frame.sha256: frame.path for frame in frames.values()}
    listed = entries([(one.name, one.number, frames[one.name].sha256) for one in sequence.files])
    project = ProjectFile(name="Tern", recipe=recipe, frames=listed, report=sequence.document())
    data = b"".join(write_project(project, listed, lambda one: paths[one.sha256].read_bytes()))
    (here / "tern-project.zip").write_bytes(data)
    return here


@pytest.mark.parametrize("document", ["README.md", "docs/sheets.md"])
def test_every_command_that_is_shown_does_what_it_says(
    drawn: Path,
    document: str,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    for entry in drawn.iterdir():  # each document in a folder of its own, on the same frames
        (tmp_path / entry.name).symlink_to(entry, target_is_directory=entry.is_dir())
    monkeypatch.chdir(tmp_path)
    commands = [command for command in shown(document) if command[0] not in ELSEWHERE]
    assert len(commands) == (41 if document == "README.md" else 2)
    for command in commands:
        status = main(command)
        out, err = capsys.readouterr()
        assert status == 0, (command, err)
        assert all(line.startswith("jayflick: note: ") for line in err.splitlines()), (command, err)
        if "--json" in command:
            json.loads(out)


def test_the_sample_of_a_description_is_what_is_written(drawn: Path, tmp_path: Path) -> None:
    (sample,) = re.findall(
        r"^    \{$.*?^    \}$", (ROOT / "docs/sheets.md").read_text(), re.DOTALL | re.MULTILINE
    )
    first = shown("docs/sheets.md")[0]
    arguments = [str(drawn / "terns"), "-o", str(tmp_path / "terns.png")]
    assert main(["make", *arguments, *first[4:-1], str(tmp_path / "terns.json")]) == 0
    written = json.loads((tmp_path / "terns.json").read_text())
    told = json.loads(sample)
    for key, value in told.items():
        if isinstance(value, list):
            assert written[key][: len(value)] == value, key
        else:
            assert written[key] == value, key
    with Image.open(tmp_path / "terns.png") as sheet:
        assert sheet.size == (told["sheets"][0]["width"], told["sheets"][0]["height"])
