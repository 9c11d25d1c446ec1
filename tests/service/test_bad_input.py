"""Whatever is dropped: each bad file is named with what helps, the others stay, the server stays up."""

import struct
import zlib

import httpx
import pytest

from tests.conftest import moving_square
from tests.service.conftest import bench, bring, finished, numbered, png

GOOD = numbered(moving_square(5))


def header_of(width: int, height: int) -> bytes:
    body = b"IHDR" + struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + body + struct.pack(">I", zlib.crc32(body))


@pytest.mark.parametrize(
    ("name", "data", "message"),
    [
        ("wave_6.png", b"", "the file is empty (0 bytes)"),
        ("wave_6.png", b"hello, I am a text", "not a PNG picture"),
        ("wave_6.png", GOOD[0][1][:200], "the file ends early, after 200 bytes"),
        ("wave_6.png", header_of(30000, 30000), "30000 × 30000 is more than the 50 million pixels"),
        ("../../wave_6.png", GOOD[0][1], "its name points outside its folder"),
        ("w" * 300 + "_6.png", GOOD[0][1], "its name has 306 characters; 255 are the most"),
    ],
)
def test_a_bad_file_is_named_and_the_others_stay(
    client: httpx.Client, name: str, data: bytes, message: str
) -> None:
    found = bring(client, [*GOOD, (name, data)])
    bad = [file for file in found["taken"] if not file["taken"]]
    assert len(bad) == 1
    assert message in bad[0]["problem"]["message"]
    assert bad[0]["problem"]["remedy"]
    assert bad[0]["problem"]["file"][:6] in name
    (card,) = found["projects"]
    assert card["frames"] == 5
    assert finished(client, card["id"])["info"]["count"] == 5
    if name == "wave_6.png":
        assert card["report"]["problems"][0]["file"] == name


def test_a_frame_of_another_size_is_reported_and_not_used(client: httpx.Client) -> None:
    found = bring(client, [*GOOD, ("wave_6.png", png(moving_square(1, 30, 30)[0]))])
    (card,) = found["projects"]
    assert card["frames"] == 5
    (problem,) = card["report"]["problems"]
    assert (problem["kind"], problem["file"]) == ("size", "wave_6.png")
    assert "is 30 × 30, the others are 48 × 32" in problem["message"]


def test_strange_names_are_only_names(client: httpx.Client) -> None:
    names = [
        "'; DROP TABLE frames; --_{}.png",
        'say "hi" <b>_{}.png',
        "\u202egnp.evil_{}.png",
        "søvære 波_{}.png",
    ]
    for name in names:
        (card,) = bring(client, numbered(moving_square(2), name))["projects"]
        shown = bench(client, card["id"])
        assert [frame["name"] for frame in shown["frame_list"]] == [name.format(1), name.format(2)]
        result = finished(client, card["id"])
        answer = client.get(f"/api/results/{result['id']}/file?download=true")
        assert answer.headers["content-disposition"].startswith("attachment; filename")


def test_nothing_usable_and_nothing_at_all_are_errors_that_say_so(client: httpx.Client) -> None:
    found = bring(client, [("notes.txt", b"hello")])
    assert found["status"] == 422
    assert "notes.txt: not a PNG picture" in found["message"]
    assert bring(client, [])["message"] == "no frames came"


def test_more_files_than_the_limit_are_refused_by_name_of_the_limit(client: httpx.Client) -> None:
    assert client.get("/api/limits").json()["most_files"] == 40
    import_id = client.post("/api/imports").json()["id"]
    files = [("files", (f"w_{n}.png", GOOD[0][1])) for n in range(5000)]
    answer = client.post(f"/api/imports/{import_id}/files", files=files)
    assert answer.status_code == 422
    assert "Maximum number of files is 40" in answer.json()["message"]
    for start in (0, 30):
        last = client.post(f"/api/imports/{import_id}/files", files=files[start : start + 30])
    assert "one import takes 40 files" in last.json()["message"]
    assert client.get("/api/health").json()["ready"]


def test_imports_that_are_unknown_finished_or_not_a_form_are_refused(client: httpx.Client) -> None:
    form = [("files", ("a_1.png", GOOD[0][1]))]
    assert client.post(f"/api/imports/{'0' * 32}/files", files=form).status_code == 404
    import_id = client.post("/api/imports").json()["id"]
    assert client.post(f"/api/imports/{import_id}/files", content=b"junk").json() == []
    broken = {"content-type": "multipart/form-data; boundary=x"}
    answer = client.post(f"/api/imports/{import_id}/files", content=b"--y\r\njunk", headers=broken)
    assert answer.status_code == 422
    client.post(f"/api/imports/{import_id}/files", files=form)
    assert client.post(f"/api/imports/{import_id}/finish").status_code == 200
    assert client.post(f"/api/imports/{import_id}/finish").status_code == 409
    assert client.post(f"/api/imports/{import_id}/files", files=form).status_code == 409
