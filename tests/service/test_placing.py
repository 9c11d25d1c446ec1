"""Files handed off into a folder: all or none of them, whatever is in the way and whenever the program dies."""

import subprocess
import sys
import threading
import unicodedata
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.portable import MOST_BYTES, portable
from jayflick.service.placing import place, recovered

NAMES = [f"set/f_{number:02}.png" for number in range(12)]
NEW = [(name, name.upper().encode) for name in NAMES]
DIES = """
import os, sys
from pathlib import Path
from jayflick.service.placing import place
root, left = Path(sys.argv[1]), int(sys.argv[2])
real = Path.rename
def rename(self, target):
    global left
    if left == 0:
        os._exit(9)
    left -= 1
    return real(self, target)
Path.rename = rename
names = [f"set/f_{number:02}.png" for number in range(12)]
place(root, [(name, name.upper().encode) for name in names], ["noted"])
os._exit(9)  # before it is said that it is done
"""


def old_set(root: Path) -> dict[str, bytes]:
    (root / "set").mkdir()
    for name in NAMES[::2]:
        (root / name).write_bytes(b"old")
    (root / "set" / "mine.txt").write_bytes(b"mine")
    return contents(root)


def contents(root: Path) -> dict[str, bytes]:
    return {str(file.relative_to(root)): file.read_bytes() for file in root.rglob("*") if file.is_file()}


@pytest.mark.parametrize("obstacle", ["folder", "link", "loop", "file"])
def test_what_is_in_the_way_is_named_and_leaves_all_as_it_was(obstacle: str, tmp_path: Path) -> None:
    root = tmp_path / "out"
    root.mkdir()
    if obstacle == "file":
        (root / "set").write_bytes(b"no folder")
        words = "set: is a file, and a folder of this name is needed"
    else:
        old_set(root)
        target = root / NAMES[9]
        words = {
            "folder": "there is a folder of this name",
            "link": "leads outside",
            "loop": "leads to itself",
        }[obstacle]
        if obstacle == "folder":
            target.mkdir()
        else:
            target.symlink_to(tmp_path / "elsewhere" if obstacle == "link" else target)
    before = contents(root)
    with pytest.raises(InputError, match=words):
        place(root, NEW, None)
    assert contents(root) == before


def test_a_file_that_cannot_be_moved_takes_all_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    before = old_set(tmp_path)
    real = Path.rename

    def rename(self: Path, target: Path) -> Path:
        if self.name == "9" and self.parent.name == "new":
            raise PermissionError(13, "Permission denied")
        return real(self, target)

    monkeypatch.setattr(Path, "rename", rename)
    with pytest.raises(PermissionError):
        place(tmp_path, NEW, None)
    assert contents(tmp_path) == before


def test_a_file_that_cannot_be_put_back_is_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    before = old_set(tmp_path)
    real, broken = Path.rename, True

    def rename(self: Path, target: Path) -> Path:
        if broken and (
            (self.name, self.parent.name) == ("9", "new") or (self.name, target.name) == ("2", "f_02.png")
        ):
            raise PermissionError(13, "Permission denied")
        return real(self, target)

    monkeypatch.setattr(Path, "rename", rename)
    with pytest.raises(PermissionError):
        place(tmp_path, NEW, "noted")
    kept = [file for file in tmp_path.rglob("old/2") if file.read_bytes() == b"old"]
    assert kept, "the only copy of what was replaced"
    broken = False
    assert recovered(tmp_path) == ["noted"]  # nothing is in its way any more
    assert contents(tmp_path) == {**before, **{name: name.upper().encode() for name in NAMES}}


@pytest.mark.parametrize("moves", [0, 1, 2, 7, 17, 18])
def test_a_program_that_dies_in_the_middle_is_finished_by_the_next_start(moves: int, tmp_path: Path) -> None:
    old_set(tmp_path)
    died = subprocess.run([sys.executable, "-c", DIES, str(tmp_path), str(moves)])
    assert died.returncode == 9
    assert recovered(tmp_path) == [["noted"]]
    assert contents(tmp_path) == {**{name: name.upper().encode() for name in NAMES}, "set/mine.txt": b"mine"}
    assert not list(tmp_path.glob(".*"))


def test_what_was_not_wholly_written_is_swept_and_what_is_at_work_is_left_alone(tmp_path: Path) -> None:
    before = old_set(tmp_path)
    half = tmp_path / ".handing-off-half" / "new"
    half.mkdir(parents=True)
    (half / "0").write_bytes(b"half")
    assert recovered(tmp_path) == []
    assert contents(tmp_path) == before
    placed = place(tmp_path, NEW, None)
    assert recovered(tmp_path) == []
    assert list(tmp_path.glob(".handing-off-*"))
    placed.done()
    assert not list(tmp_path.glob(".*"))


ODD = st.sampled_from(["CON", "nul.", "a:b", "a?", ".x", "~", "*", ".", "..", "波" * 120 + ".gif", "🦆" * 100])


@given(st.text(max_size=300) | ODD)
@example("lpt1.tar.gz")
@example("com¹")
def test_a_portable_name_is_taken_by_every_system(name: str) -> None:
    made = portable(name)
    assert made
    assert len(made.encode()) <= MOST_BYTES
    assert not set(made) & set('<>:"/\\|?*')
    assert not any(unicodedata.category(letter) == "Cc" for letter in made)
    assert made[0] not in ". "
    assert made[-1] not in ". "
    assert made.split(".")[0].lower() not in ("con", "prn", "aux", "nul", "com1", "lpt9", "com¹")
    assert portable(made) == made


def test_an_ending_is_kept_and_plain_names_are_as_they_are() -> None:
    assert portable("波" * 120 + ".gif").endswith("波.gif")
    for plain in ("loop.gif", "Über Größe", "tern-NE_0012.png", "walk 3.webp", "console.png"):
        assert portable(plain) == plain
    assert (portable("CON.png"), portable("a:b"), portable(".x"), portable("?.gif")) == (
        "_CON.png",
        "a-b",
        "_x",
        "-.gif",
    )


def test_a_file_that_is_replaced_is_there_all_the_while(tmp_path: Path) -> None:
    old_set(tmp_path)
    over = threading.Event()
    met: set[bytes] = set()

    def read() -> None:
        while not over.is_set():
            met.add((tmp_path / NAMES[0]).read_bytes())
            assert met <= {b"old", b"new", b"newer"}

    with ThreadPoolExecutor(1) as pool:
        reading = pool.submit(read)
        for number in range(200):
            place(tmp_path, [(NAMES[0], [b"new", b"newer"][number % 2].lower)], []).done()
        over.set()
        reading.result()
    assert len(met) > 1
