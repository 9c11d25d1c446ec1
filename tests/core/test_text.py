"""Names from anywhere: nothing in them leads elsewhere, hides, or stops a project from coming back."""

import hashlib
import tarfile
import unicodedata
from io import BytesIO
from pathlib import PurePosixPath

from hypothesis import example, given
from hypothesis import strategies as st

from jayflick.core.content import MAX_BYTES
from jayflick.core.recipe import Recipe
from jayflick.core.sequence.archives import members
from jayflick.core.sequence.project_file import (
    DOCUMENT,
    SCHEMA,
    ProjectFile,
    entries,
    read_document,
    write_project,
)
from jayflick.core.text import LONGEST_NAME, clean, safe_path

ODD = ["", ".", "..", "/", "\\", ".w_1", "__MACOSX", "a" * 300, "\0", "\u202e", "\udce9", "c:", "~", "%2e", " "]
NAMES = st.one_of(st.text(max_size=30), st.lists(st.sampled_from(ODD), max_size=6).map("".join))


@given(NAMES)
@example("../../etc/passwd")
@example("é\udcff\ud800")
def test_a_safe_path_stays_in_its_folder_and_shows_all_it_holds(name: str) -> None:
    path = safe_path(name)
    parts = PurePosixPath(path).parts
    assert parts
    assert not path.startswith("/")
    assert ".." not in parts
    assert len(path) <= LONGEST_NAME
    assert not any(unicodedata.category(c) in ("Cc", "Cs") or c in "\u202e\u2066\u200f" for c in path)
    path.encode()
    assert safe_path(path) == path


def test_names_that_are_no_utf_8_are_read_as_latin_1() -> None:
    assert clean(b"caf\xe9.png".decode("utf-8", "surrogateescape")) == "café.png"


@given(st.lists(NAMES, min_size=1, max_size=8))
@example([".w_1.png", "__MACOSX/w_1.png", "w" * 255, "W" * 255, "../w.png", "/w.png", "w\\..\\x.png"])
def test_whatever_is_saved_can_be_opened(names: list[str]) -> None:
    """As a frame's file of that name, however it got it: by itself, in an archive, by an older version."""
    contents = {hashlib.sha256(str(at).encode()).hexdigest(): str(at).encode() for at in range(len(names))}
    frames = entries(
        [(name, at, sha256) for at, (name, sha256) in enumerate(zip(names, contents, strict=True))]
    )
    project = ProjectFile(name="Wake", recipe=Recipe(), frames=frames, report={})
    data = b"".join(write_project(project, frames, lambda entry: contents[entry.sha256]))
    found = list(members(data, "wake.zip", MAX_BYTES))
    assert [member.error for member in found] == [None] * len(found)
    assert {member.data for member in found if member.name not in (DOCUMENT, SCHEMA)} == set(contents.values())
    assert max(len(member.name) for member in found) <= LONGEST_NAME
    (document,) = (member.data for member in found if member.name == DOCUMENT)
    assert read_document(document, "wake.zip") == project
    assert [entry.name for entry in project.frames] == [safe_path(name) for name in names]


def test_one_bad_entry_of_an_archive_stops_no_other() -> None:
    out = BytesIO()
    names = ["walk/caf\udce9_1.png", "w" * 400 + "_2.png", "../w_3.png", "w_\u202e4.png", "w_5.png"]
    with tarfile.open(fileobj=out, mode="w", format=tarfile.GNU_FORMAT) as archive:
        for name in names:
            info = tarfile.TarInfo(name)
            info.size = 4
            archive.addfile(info, BytesIO(b"wake"))
    found = list(members(out.getvalue(), "walk.tar", MAX_BYTES))
    assert len(found) == 5
    assert [member.name for member in found if member.error] == ["w_3.png"]
    assert found[0].name == "walk/café_1.png"
    assert (len(found[1].name), found[1].name[-4:]) == (LONGEST_NAME, ".png")
    assert found[3].name == "w_4.png"
