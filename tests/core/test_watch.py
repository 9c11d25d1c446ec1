"""Folders that are watched: made anew once they have settled, and never over what others wrote."""

import json
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest

from jayflick import watching
from jayflick.core.recipe import GifOutput, Recipe, WebpOutput
from tests.conftest import moving_square, save_frames
from tests.core.conftest import Run
from tests.server import until

PROGRAM = (sys.executable, "-m", "jayflick.cli", "watch")


class Watch:
    """A run that is under way: its makings as documents, and what it said of what went wrong."""

    def __init__(self, process: "subprocess.Popen[str]", said: Path, told: Path) -> None:
        self.process, self._said, self._told = process, said, told

    def said(self) -> list[str]:
        return self._said.read_text().splitlines()

    def makings(self) -> list[dict[str, Any]]:
        lines = self._told.read_text().splitlines(keepends=True)
        return [json.loads(line) for line in lines if line.endswith("\n")]

    def made(self, wanted: Callable[[dict[str, Any]], bool]) -> dict[str, Any]:
        """The last making, once it is one that is wanted."""
        until(lambda: (makings := self.makings()) and wanted(makings[-1]))
        return self.makings()[-1]


@contextmanager
def watched(here: Path, *options: str | Path) -> Iterator[Watch]:
    said, told = here / "said.txt", here / "told.txt"
    with said.open("w") as err, told.open("w") as out:
        process = subprocess.Popen(
            [*PROGRAM, *options, "--settle", "0.3", "--json"], cwd=here, stdout=out, stderr=err, text=True
        )
        try:
            yield Watch(process, said, told)
        finally:
            process.terminate()
            process.wait(30)


def test_frames_come_while_they_are_rendered_and_the_loop_is_what_make_makes(run: Run, tmp_path: Path) -> None:
    frames = save_frames(tmp_path / "source", moving_square(6, 40, 30), "buoy_{}.png")
    folder = tmp_path / "renders"
    folder.mkdir()
    loop = folder / "loop.gif"  # among its own frames, which is no change of them
    with watched(tmp_path, "renders", "-o", "renders/loop.gif", "--fps", "12") as watch:
        until(lambda: any("there are no frames here" in line for line in watch.said()))
        for count, frame in enumerate(frames[:4], 1):
            (folder / frame.name).write_bytes(frame.read_bytes())
            watch.made(lambda report, count=count: report["count"] == count)  # type: ignore[misc]
        # One that is on its way is waited for, and one that a renderer puts there whole is taken.
        (folder / frames[4].name).write_bytes(frames[4].read_bytes()[:100])
        until(lambda: f"jayflick: note: waiting for {frames[4].name}" in watch.said())
        assert watch.makings()[-1]["count"] == 4
        (folder / ".on-its-way").write_bytes(frames[5].read_bytes())
        (folder / frames[4].name).write_bytes(frames[4].read_bytes())
        (folder / ".on-its-way").rename(folder / frames[5].name)
        watch.made(lambda report: report["count"] == 6)
        # A frame rendered again, then one that goes.
        (folder / frames[0].name).write_bytes(frames[3].read_bytes())
        watch.made(lambda report: report["files"] != watch.makings()[-2]["files"])
        (folder / frames[1].name).unlink()
        after = watch.made(lambda report: report["count"] == 5)
        number = len(watch.makings())
        # The folder itself is another's for a while.
        folder.rename(tmp_path / "elsewhere")
        until(lambda: any("renders: there is no such file" in line for line in watch.said()))
        (tmp_path / "elsewhere").rename(folder)
        until(lambda: len(watch.makings()) > number)
        assert watch.makings()[-1]["files"] == after["files"]
        number = len(watch.makings())
        assert run("make", folder, "-o", tmp_path / "once.gif", "--fps", "12")[0] == 0
        assert (tmp_path / "once.gif").read_bytes() == loop.read_bytes()
        assert len(watch.makings()) == number, "its own file is no change"
        watch.process.send_signal(signal.SIGINT)
        assert watch.process.wait(10) == 0
    assert not [line for line in watch.said() if not line.startswith("jayflick: ")]
    assert sorted(path.name for path in folder.iterdir()) == sorted(
        [loop.name, *(frame.name for frame in frames[:1] + frames[2:])]
    )


@pytest.mark.parametrize(
    ("output", "options"),
    [
        ("site/", ("--all", "--recipe", "recipe.json", "--report", "renders/report.json")),
        ("renders/set/", ("--frames", "tga")),
        ("sheet.png", ("--sheet", "even", "--describe", "sheet.json")),
        ("fitted.gif", ("--max-bytes", "2K", "--trials", "tried.json")),
    ],
)
def test_whatever_can_be_made_can_be_made_again(tmp_path: Path, output: str, options: tuple[str, ...]) -> None:
    folder = save_frames(tmp_path / "renders", moving_square(3), "buoy_{}.png")[0].parent
    recipe = Recipe(outputs=(GifOutput(), WebpOutput(id="web", name="Web", file_name="web.webp")))
    (tmp_path / "recipe.json").write_text(recipe.model_dump_json())
    with watched(tmp_path, "renders", "-o", output, *options) as watch:
        for count in (3, 2):
            watch.made(lambda report, count=count: report.get("outputs", [report])[-1]["count"] == count)  # type: ignore[misc]
            (folder / f"buoy_{count}.png").unlink()
        watch.process.terminate()
        assert watch.process.wait(30) == 0
    assert not [line for line in watch.said() if "exists" in line or "fault" in line], watch.said()


def test_a_file_that_others_wrote_meanwhile_is_theirs(run: Run, tmp_path: Path) -> None:
    folder = save_frames(tmp_path / "renders", moving_square(3), "buoy_{}.png")[0].parent
    with watched(tmp_path, "renders", "-o", "loop.gif") as watch:
        watch.made(lambda report: report["count"] == 3)
        (tmp_path / "loop.gif").write_bytes(b"somebody else's")
        (folder / "buoy_3.png").unlink()
        until(lambda: any("loop.gif: already exists; add --force" in line for line in watch.said()))
        assert (tmp_path / "loop.gif").read_bytes() == b"somebody else's"
        (tmp_path / "loop.gif").unlink()
        (folder / "buoy_2.png").touch()
        watch.made(lambda report: report["count"] == 2)
        watch.process.send_signal(signal.SIGTERM)
        assert watch.process.wait(10) == 0
    # What an earlier run wrote is its own: another goes on with it; a stranger's is refused at once.
    with watched(tmp_path, "renders", "-o", "loop.gif", "--fps", "6") as watch:
        watch.made(lambda report: report["count"] == 2)
    with watched(tmp_path, "renders/buoy_*.png", "-o", "loop.gif", "--fps", "12") as watch:
        watch.made(lambda report: report["count"] == 2)
    (tmp_path / "loop.gif").write_bytes(b"somebody else's")
    assert run("watch", folder, "-o", tmp_path / "loop.gif")[0] == 2
    assert run("watch", folder / "buoy_1.png", "-o", tmp_path / "other.gif")[0] == 2
    assert run("watch", folder, "-o", tmp_path / "other.gif", "--settle", "0")[0] == 2


def test_a_folder_that_is_never_still_is_told_now_and_then(tmp_path: Path) -> None:
    over = threading.Event()

    def write() -> None:
        while not over.wait(0.02):
            (tmp_path / "render.log").write_text("another line")

    writer = threading.Thread(target=write)
    writer.start()
    told = watching.settled([tmp_path], 0.1, lambda path: False, lambda: False)
    try:
        assert [next(told) for _ in range(3)] == [{tmp_path}] * 3
    finally:
        over.set()
        writer.join()
    (tmp_path / "a.png").touch()
    assert next(told), "what came last"


@pytest.mark.parametrize(
    ("mounts", "far"),
    [
        ("/dev/sda1 / ext4 rw 0 0\nnas:/renders {place} nfs4 rw 0 0\n", True),
        ("nas:/all / nfs4 rw 0 0\n/dev/sdb1 {place} ext4 rw 0 0\n", False),
        ("/dev/sda1 / ext4 rw 0 0\nnas:/renders {place}/below cifs rw 0 0\n", False),
    ],
)
def test_folders_of_other_machines_are_looked_at_by_turns(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, mounts: str, far: bool
) -> None:
    """Their changes are no news to this system; proc(5), /proc/pid/mounts."""
    table = tmp_path / "mounts"
    place = tmp_path / "a place"
    table.write_text(mounts.format(place=str(place).replace(" ", "\\040")))
    monkeypatch.setattr(watching, "MOUNTS", table)
    assert watching.is_far(place) == far
