"""Folders that may be read, and what is told of the sequences in them."""

import os
import threading
import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jayflick.core.errors import InputError
from jayflick.core.pictures.header import Header
from jayflick.core.roots import Entry, Root, is_locked
from jayflick.core.sequence.gather import Found, gather
from jayflick.core.sequence.listing import listed
from jayflick.core.sequence.names import number_in, split_names
from jayflick.core.sequence.sources import Seen, differing, matched
from jayflick.core.store import Store


def test_a_folder_that_is_swapped_for_a_link_between_two_looks_leads_nowhere(tmp_path: Path) -> None:
    root, outside = tmp_path / "renders", tmp_path / "private"
    for folder, text in ((root / "shot", b"ours"), (outside, b"theirs")):
        folder.mkdir(parents=True)
        (folder / "a.png").write_bytes(text)
    over = threading.Event()

    def swap() -> None:
        while not over.is_set():
            (root / "shot").rename(root / "aside")
            (root / "shot").symlink_to(outside)
            (root / "shot").unlink()
            (root / "aside").rename(root / "shot")

    swapping = threading.Thread(target=swap)
    swapping.start()
    read = refused = 0
    try:
        deadline = time.monotonic() + 30
        while min(read, refused) < 100 and time.monotonic() < deadline:
            try:
                with Root(root).open_file("shot/a.png") as file:
                    assert file.read() == b"ours"
                assert [one.name for one in Root(root).listing("shot").entries] in ([], ["a.png"])
                read += 1
            except InputError:
                refused += 1
    finally:
        over.set()
        swapping.join()
    assert read
    assert refused


def test_nothing_but_files_is_opened_and_each_refusal_names_what_it_is_about(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.png")
    (tmp_path / "device.png").symlink_to("/dev/zero")
    (tmp_path / "folder.png").mkdir()
    (tmp_path / "round").symlink_to("round")
    for name in ("pipe.png", "device.png", "folder.png", "round", "none.png", "..", "/etc/passwd", ".secret"):
        with pytest.raises(InputError) as refused:
            Root(tmp_path).open_file(name)
        assert refused.value.file
        assert refused.value.remedy
    assert [(one.name, one.folder) for one in Root(tmp_path).listing("").entries] == [("folder.png", True)]


def test_more_than_is_asked_for_is_refused_and_a_loop_of_links_ends(tmp_path: Path) -> None:
    deep = tmp_path / "a" / "b"
    deep.mkdir(parents=True)
    (deep / "up").symlink_to(tmp_path)
    for number in range(5):
        (deep / f"{number}.png").touch()
    root = Root(tmp_path)
    assert [path for path, _ in root.walked("", 20)] == [f"a/b/{number}.png" for number in range(5)]
    with pytest.raises(InputError, match="more than 4 files"):
        list(root.walked("", 4))


NAMES = st.from_regex(r"[a-c]{1,2}[_-]?[0-9]{0,3}(_v[12])?\.(png|tga|mp4)", fullmatch=True)


@given(st.sets(NAMES, max_size=12))
def test_names_tell_the_sequences_that_gathering_makes(names: set[str]) -> None:
    frames = {name for name in names if not name.endswith("mp4")}
    found, others = listed(Entry(name, False, 1, 0) for name in sorted(names))
    header = Header(1, 1, "8-bit RGB", False)
    sequences, _ = gather(Found(name, header) for name in sorted(frames))
    gathered = {tuple(sorted(one.name for one in sequence.files)) for sequence in sequences}
    assert {tuple(sorted(one.names)) for one in found if one.kind == "frames"} == gathered
    assert others == 0
    for name, parts in split_names(frames).items():
        if parts.number is not None:
            assert number_in(parts.pattern, name) == parts.number


def test_what_differs_is_told_by_size_and_time_and_what_the_project_shows() -> None:
    there = {
        name: Entry(name, False, size, 7)
        for name, size in (("same", 1), ("grown", 3), ("new", 1), ("undone", 1))
    }
    seen = {
        "same": Seen(1, 7, "a"),
        "grown": Seen(2, 7, "b"),
        "undone": Seen(1, 7, "c"),
        "gone": Seen(1, 7, "d"),
        "broken": Seen(1, 7, "", "is damaged"),
    }
    found = differing(there, seen, {"a", "b", "d"})
    assert (found.newer, found.added, found.gone) == (("grown", "undone"), ("new",), ("gone",))
    assert found.changed == ("grown", "new")  # what an undo took back is newer, and did not change


def test_another_folder_is_known_by_content_then_by_number() -> None:
    frames = [("a_1.png", 1, "one"), ("a_2.png", 2, "two"), ("a_3.png", 3, "three"), ("a_4.png", 4, "four")]
    there = {"b_101.png": "one", "b_2.png": "changed", "b_9.png": ""}
    match = matched(there, {"b_101.png": 101, "b_2.png": 2, "b_9.png": 9}, frames)
    assert (match.same, match.other, match.added, match.lacking) == (1, 1, 1, 2)


def test_a_file_is_kept_as_it_was_whatever_is_written_to_it_later(tmp_path: Path) -> None:
    store, path = Store(tmp_path / "store"), tmp_path / "a.png"
    path.write_bytes(b"x" * 3_000_001)
    with path.open("rb+") as file:
        assert not is_locked(file)
        kept = store.copy(file, 3_000_001)
        assert store.copy(file, 5) == store.put(b"x" * 5)  # of one that has grown since it was looked at
        file.write(b"y")
    assert kept == store.put(b"x" * 3_000_001)
    assert [one for one in (tmp_path / "store").rglob("*") if one.name.startswith(".part")] == []
