"""Whatever is dropped: each bad file is named with what helps, the others stay, the server stays up."""

import bz2
import json
import os
import signal
import struct
import tarfile
import time
import zipfile
import zlib
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from jayflick import cli
from jayflick.core.sequence.pieces import Piece, Refused, pieces
from jayflick.demo import DEMO
from jayflick.service.decoding import Decoders
from jayflick.service.errors import problem_of
from jayflick.service.settings import Settings
from tests.conftest import moving_square
from tests.mutations import gather, mutated
from tests.service.conftest import bench, bring, finished, numbered, png

GOOD = numbered(moving_square(5))


def header_of(width: int, height: int) -> bytes:
    body = b"IHDR" + struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + body + struct.pack(">I", zlib.crc32(body))


@pytest.mark.parametrize(
    ("name", "data", "message"),
    [
        ("wave_6.png", b"", "the file is empty (0 bytes)"),
        ("wave_6.png", b"hello, I am a text", "not a supported picture format"),
        ("wave_6.png", GOOD[0][1][:200], "the file ends early, after 200 bytes"),
        ("wave_6.png", header_of(30000, 30000), "30000 × 30000 is more than the 32 million pixels"),
        ("../../wave_6.png", GOOD[0][1], "its name points outside its folder"),
        ("w" * 300 + "_6.png", GOOD[0][1], "its name is 306 characters long; the limit is 255"),
    ],
)
def test_a_bad_file_is_named_and_the_others_stay(
    client: httpx.Client, name: str, data: bytes, message: str
) -> None:
    found = bring(client, [*GOOD, (name, data)])
    bad = [file for file in found["taken"] if file["problem"]]
    assert len(bad) == 1
    assert message in bad[0]["problem"]["message"]
    assert bad[0]["problem"]["remedy"]
    assert bad[0]["problem"]["file"][:6] in name
    (card,) = found["projects"]
    assert card["frames"] == 5
    assert finished(client, card["id"])["info"]["count"] == 5
    if name == "wave_6.png":
        assert bench(client, card["id"])["report"]["problems"][0]["file"] == name


@pytest.mark.parametrize(
    ("name", "data", "message"),
    [
        ("wave.txt", b"hello, I am a text", "'hello'"),
        ("wave.png", GOOD[0][1][:200], "the file ends early, after 200 bytes"),
        ("wave.png", header_of(30000, 30000), "30000 × 30000 is more than the 32 million pixels"),
        ("../wave.png", GOOD[0][1], "its name points outside its folder"),
        ("wave.png", bytes(65 << 20), "is larger than 64 MB"),
    ],
)
def test_a_file_that_brings_no_palette_is_named(
    client: httpx.Client, name: str, data: bytes, message: str
) -> None:
    answer = client.post("/api/palettes", params={"name": name}, content=data)
    assert answer.status_code == 422
    assert message in answer.json()["message"]
    brought = client.post(
        "/api/palettes", params={"name": "few.hex", "most": 2}, content=b"#000\n#0A0b0c\n#fff"
    )
    assert brought.json() == ["#000000", "#0a0b0c", "#ffffff"]


def test_a_frame_of_another_size_is_reported_and_not_used(client: httpx.Client) -> None:
    found = bring(client, [*GOOD, ("wave_6.png", png(moving_square(1, 30, 30)[0]))])
    (card,) = found["projects"]
    assert (card["frames"], card["recipe"]["gather"]["left_out"]) == (6, [6])
    (problem,) = bench(client, card["id"])["report"]["problems"]
    assert (problem["kind"], problem["file"], problem["positions"]) == ("size", "wave_6.png", [6])
    assert "is 30 × 30, the others are 48 × 32" in problem["message"]
    assert finished(client, card["id"])["info"]["count"] == 5


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
        seen = name.replace("\u202e", "")  # a mark that turns the text after it round is no part of a name
        assert [frame["name"] for frame in shown["frame_list"]] == [seen.format(1), seen.format(2)]
        result = finished(client, card["id"])
        answer = client.get(f"/api/results/{result['id']}/file?download=true")
        assert answer.headers["content-disposition"].startswith("attachment; filename")


def test_nothing_usable_and_nothing_at_all_are_errors_that_say_so(client: httpx.Client) -> None:
    found = bring(client, [("notes.txt", b"hello")])
    assert found["status"] == 422
    assert "notes.txt: not a supported picture format" in found["message"]
    assert bring(client, [])["message"] == "no frames were imported"


def test_more_files_than_the_limit_are_refused_by_name_of_the_limit(client: httpx.Client) -> None:
    assert client.get("/api/limits").json()["most_files"] == 40
    import_id = client.post("/api/imports").json()["id"]
    files = [("files", (f"w_{n}.png", GOOD[0][1])) for n in range(5000)]
    answer = client.post(f"/api/imports/{import_id}/files", files=files)
    assert answer.status_code == 422
    assert "Maximum number of files is 40" in answer.json()["message"]
    junk = [("files", (f"notes_{n}.txt", b"hello")) for n in range(30)]  # what is refused is no frame
    assert client.post(f"/api/imports/{import_id}/files", files=junk).json()[-1]["frames"] == 0
    for start in (0, 30):
        taken = client.post(f"/api/imports/{import_id}/files", files=files[start : start + 30]).json()
    assert sum(file["frames"] for file in taken) == 10
    assert taken[-1]["problem"]["message"] == "one import takes 40 frames"
    assert client.get("/api/health").json()["ready"]


def zipped(files: list[tuple[str, bytes]]) -> bytes:
    out = BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files:
            archive.writestr(name, data)
    return out.getvalue()


def test_what_would_flood_a_server_is_one_message_and_harms_nothing_else(client: httpx.Client) -> None:
    crowd = zipped([(f"c_{n}.png", b"") for n in range(20_001)])
    # 100,000 pictures of one pixel (GIF89a, sections 18 to 23): control block, descriptor, one code.
    frame = b"\x21\xf9\x04\0\x02\0\0\0" + b"\x2c\0\0\0\0\1\0\1\0\0" + b"\x02\x02\x44\x01\0"
    reel = b"GIF89a\1\0\1\0\x80\0\0" + b"\0\0\0\xff\xff\xff" + frame * 100_000 + b"\x3b"
    out = BytesIO()
    with tarfile.open(fileobj=out, mode="w") as archive:
        for name, kind in (("pipe_1.png", tarfile.FIFOTYPE), ("disk_1.png", tarfile.BLKTYPE)):
            entry = tarfile.TarInfo(name)
            entry.type = kind
            archive.addfile(entry)
        for name, kind in (("soft_1.png", tarfile.SYMTYPE), ("hard_1.png", tarfile.LNKTYPE)):
            entry = tarfile.TarInfo(name)
            entry.type, entry.linkname = kind, "/etc/passwd"
            archive.addfile(entry)
    found = bring(client, [("crowd.zip", crowd), ("reel.gif", reel), ("links.tar", out.getvalue()), *GOOD])
    told = {file["name"]: file["problem"]["message"] for file in found["taken"] if file["problem"]}
    assert told["crowd.zip"] == "holds more than 20,000 entries"
    assert told["reel.gif"] == "it has more than 20,000 frames"
    refused = {item["file"]: item["message"] for item in found["ignored"]}
    for name in ("pipe_1.png", "disk_1.png", "soft_1.png", "hard_1.png"):
        assert refused[name] == "is a link or a device, not a file"
    (card,) = found["projects"]
    assert card["frames"] == 5


def test_names_that_collide_and_files_sent_twice_are_told_apart(client: httpx.Client) -> None:
    upper = [(name.replace("wave", "Wave"), data) for name, data in GOOD[:3]]
    found = bring(client, [*GOOD, *upper, *GOOD])
    assert sorted((card["name"], card["frames"]) for card in found["projects"]) == [("Wave", 5), ("Wave 2", 3)]
    for card in found["projects"]:
        names = [frame["name"] for frame in bench(client, card["id"])["frame_list"]]
        assert len({name[0] for name in names}) == 1  # none took another's place


def test_when_files_were_written_comes_along_and_tells_a_backward_order(client: httpx.Client) -> None:
    import_id = client.post("/api/imports").json()["id"]
    body = [("files", (name, data, "image/png")) for name, data in GOOD]
    written = [str(1_700_000_000_000 - 5000 * n) for n in range(5)]
    answer = client.post(f"/api/imports/{import_id}/files", files=body, data={"written": written})
    assert [file["problem"] for file in answer.json()] == [None] * 5
    (card,) = client.post(f"/api/imports/{import_id}/finish").json()["projects"]
    (problem,) = bench(client, card["id"])["report"]["problems"]
    assert (problem["kind"], "last to the first" in problem["message"]) == ("backwards", True)
    (split,) = client.post(f"/api/projects/{card['id']}/split", json={"positions": [1, 2, 3, 4]}).json()
    assert [p["kind"] for p in bench(client, split["id"])["report"]["problems"]] == ["backwards"]


def test_a_clip_waits_until_it_is_said_what_is_taken_of_it(client: httpx.Client) -> None:
    data = next(p.files for p in DEMO if p.folder == "wake")[0][1]()
    import_id = client.post("/api/imports").json()["id"]
    base = f"/api/imports/{import_id}"
    body = [("files", ("wake.mp4", data)), ("files", ("broken.mp4", data[:600])), ("files", GOOD[0])]
    taken = client.post(f"{base}/files?hold_clips=true", files=body).raise_for_status().json()
    assert [file["frames"] for file in taken] == [0, 0, 1]
    clip = taken[0]["clip"]
    assert (clip["count"], clip["width"], clip["height"], clip["duration_ms"]) == (36, 640, 360, 1500.0)
    assert "is damaged" in taken[1]["problem"]["message"]
    seen = Image.open(BytesIO(client.get(f"{base}/clips/{clip['sha256']}/frames/36").content))
    assert seen.size == (640, 360)
    missing = client.get(f"{base}/clips/{clip['sha256']}/frames/37")
    assert (missing.status_code, missing.json()["message"]) == (422, "has no frame 37")
    assert client.get(f"{base}/clips/{'0' * 64}/frames/1").status_code == 404
    # Taken again, they replace those taken before: one import takes 40.
    for cut, frames in (({}, 36), ({}, 36), ({"step": 2}, 18), ({"first": 7, "last": 24, "step": 3}, 6)):
        answer = client.post(f"{base}/clips/{clip['sha256']}", json=cut).raise_for_status().json()
        assert (answer["frames"], answer["problem"]) == (frames, None)
    request = {"projects": [{"patterns": ["wake.mp4/#.png"], "name": "Six of it"}]}
    (card,) = client.post(f"{base}/finish", json=request).raise_for_status().json()["projects"]
    assert (card["name"], card["frames"], card["recipe"]["rhythm"]["rate"]) == ("Six of it", 6, "8")
    assert client.post(f"{base}/finish").json()["projects"][0]["name"] == "Wave"  # what was left of it
    assert client.post(f"{base}/clips/{clip['sha256']}", json={}).status_code == 409


def test_the_command_line_prints_the_same_report(
    client: httpx.Client, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """The demo's messy folder, gathered by both."""
    files = [(name, make()) for name, make in next(p.files for p in DEMO if p.folder == "kite")]
    for name, data in files:
        (tmp_path / name).write_bytes(data)
    assert cli.main(["gather", str(tmp_path), "--json"]) == 0
    (printed,) = json.loads(capsys.readouterr().out)["sequences"]
    (card,) = bring(client, files)["projects"]
    assert printed == bench(client, card["id"])["report"]
    assert len(printed["problems"]) == 4


def test_an_archive_brings_its_frames_and_names_what_it_cannot(client: httpx.Client) -> None:
    files = [(f"walk/{name}", data) for name, data in GOOD]
    found = bring(client, [("set.zip", zipped([*files, ("walk/wave_6.png", b""), ("../up_1.png", b"x")]))])
    assert (found["taken"][0]["frames"], found["taken"][0]["problem"]["file"]) == (5, "walk/wave_6.png")
    (card,) = found["projects"]
    assert (card["name"], card["frames"]) == ("Wave", 5)
    assert [item["file"] for item in found["ignored"]] == ["up_1.png"]
    source = client.get(f"/api/revisions/{finished(client, card['id'])['revision_id']}/outputs/page/source/5")
    np.testing.assert_array_equal(np.array(Image.open(BytesIO(source.content))), moving_square(5)[4])


def test_a_moving_picture_keeps_its_delays_and_repeat(client: httpx.Client) -> None:
    first, *others = [Image.fromarray(frame) for frame in moving_square(4)]
    out = BytesIO()
    first.save(out, "PNG", save_all=True, append_images=others, duration=[100, 50, 50, 200], loop=3)
    (card,) = bring(client, [("wave.png", out.getvalue())])["projects"]
    result = finished(client, card["id"])
    assert (card["name"], result["info"]["repeat"]) == ("Wave", 3)
    assert result["delays"] == [100, 50, 50, 200]


def test_sequences_of_one_drop_become_one_project_each_one_of_all_or_separate_pictures(
    client: httpx.Client,
) -> None:
    files = [(f"tern-{way}-fly-{n}.png", data) for way in ("N", "NE") for n, (_, data) in enumerate(GOOD, 1)]

    def brought(projects: list[dict[str, object]] | None) -> list[dict[str, Any]]:
        import_id = client.post("/api/imports").json()["id"]
        parts = [("files", file) for file in files]
        client.post(f"/api/imports/{import_id}/files", files=parts).raise_for_status()
        seen = client.get(f"/api/imports/{import_id}").json()["sequences"]
        assert {one["pattern"]: one["labels"] for one in seen} == {
            "tern-N-fly-#.png": ["N"],
            "tern-NE-fly-#.png": ["NE"],
        }
        body = {"projects": projects} if projects else None
        cards = client.post(f"/api/imports/{import_id}/finish", json=body).raise_for_status().json()["projects"]
        return list(cards)

    both = ["tern-NE-fly-#.png", "tern-N-fly-#.png"]
    assert [card["frames"] for card in brought(None)] == [5, 5]
    (together,) = brought([{"patterns": both}])
    assert (together["name"], together["frames"]) == ("Tern fly", 10)
    assert [
        (part["labels"], part["first"], part["last"])
        for part in bench(client, together["id"])["report"]["parts"]
    ] == [
        (["NE"], 1, 5),
        (["N"], 6, 10),
    ]
    assert finished(client, together["id"])["info"]["count"] == 10
    assert [card["frames"] for card in brought([{"patterns": both[:1], "separate": True}])] == [1] * 5
    files[5:] = [(f"walk/{n}.png", data) for n, (_, data) in enumerate(GOOD, 1)]
    seen = client.post("/api/imports").json()["id"]
    client.post(f"/api/imports/{seen}/files", files=[("files", file) for file in files]).raise_for_status()
    unlike = {"projects": [{"patterns": ["tern-N-fly-#.png", "walk/#.png"]}]}
    (named,) = client.post(f"/api/imports/{seen}/finish", json=unlike).raise_for_status().json()["projects"]
    assert named["name"] == "Tern N fly, Walk"


def test_a_file_that_eats_memory_or_time_costs_one_clear_message() -> None:
    wide = BytesIO()
    Image.new("RGBA", (5600, 5600)).save(wide, "PNG")
    endless = tarfile.TarInfo(".still")  # nothing in it is wanted, but it must be read past
    endless.size = 4_000_000_000
    slow = bz2.compress(endless.tobuf()) + bz2.compress(bytes(50_000_000)) * 80
    for decoders, name, data, message in (
        (Decoders(1, 96 << 20, 10), "wide.png", wide.getvalue(), "memory"),
        (
            Decoders(1, 960 << 20, 3),
            "slow.tar.bz2",
            slow,
            "a picture in it takes more than 3 s of CPU time to read",
        ),
    ):
        (refused,) = decoders.pieces(data, name)
        assert isinstance(refused, Refused)
        assert message in refused.error.message
        assert refused.error.file == name
        (piece,) = decoders.pieces(GOOD[0][1], "wave_1.png")  # the next file is read as ever
        assert isinstance(piece, Piece)
        good = GOOD[0][1]
        beside = list(decoders.only_pieces([(good, "wave_1.png"), (data, name), (good, "wave_2.png")]))
        assert len(beside) == 3
        assert not isinstance(beside[0] or beside[2], Refused), "its neighbours are read by themselves"
        assert list(decoders.only_pieces([(good, "wave_1.png")])) == [piece]
        decoders.stop()


def test_frames_as_large_as_promised_are_read_of_every_kind_and_larger_ones_refused() -> None:
    """16 bits a sample, and decoders that hold several copies, take the most memory; and the most time."""
    deep = np.zeros((5000, 6400, 4), np.uint16)
    deep[:, :, 3] = np.arange(6400) % 2 * 65535
    tiff, webp, larger = BytesIO(), BytesIO(), BytesIO()
    tifffile.imwrite(tiff, deep, photometric="rgb", extrasamples=["unassalpha"], compression="packbits")
    Image.fromarray((deep >> 8).astype(np.uint8)).save(webp, "WEBP", lossless=True, method=0, quality=0)
    Image.new("1", (6401, 5000)).save(larger, "PNG")
    decoders = Decoders(1, Settings().decode_bytes, 1)
    try:
        for name, data in {
            "a.png": bytes(imagecodecs.png_encode(deep, level=1)),  # takes more than a second, less than six
            "a.tif": tiff.getvalue(),
            "a.webp": webp.getvalue(),
        }.items():
            (found,) = decoders.pieces(data, name, patient=True)
            assert isinstance(found, Piece), found
            if name == "a.png":
                (slow,) = decoders.pieces(data, name)
                assert isinstance(slow, Refused)
                assert problem_of(slow.error)["kind"] == "slow"
        (found,) = decoders.pieces(larger.getvalue(), "b.png")
        assert isinstance(found, Refused)
        assert "32 million pixels" in found.error.message
    finally:
        decoders.stop()


def test_an_animated_file_is_bound_in_the_pixels_of_all_its_pictures() -> None:
    """70 pictures of one pixel each, on a canvas of 8000 × 4000: a kilobyte that unpacks to 9 GB."""
    head = b"GIF89a" + struct.pack("<HH", 8000, 4000) + b"\x80\0\0" + b"\0\0\0\xff\xff\xff"
    picture = b"\x2c" + struct.pack("<HHHH", 0, 0, 1, 1) + b"\0" + b"\x02\x02\x4c\x01\0"
    (refused,) = pieces(head + picture * 70 + b"\x3b", "wake.gif")
    assert isinstance(refused, Refused)
    assert refused.error.message == "its 70 frames have more than 2,000 million pixels together"


def test_sequences_not_taken_from_a_drop_can_be_taken_later(client: httpx.Client) -> None:
    import_id = client.post("/api/imports").json()["id"]
    files = [
        (f"{name}_{n}.png", data) for name in ("gull", "tern", "wake") for n, (_, data) in enumerate(GOOD, 1)
    ]
    parts = [("files", file) for file in files[:12]] + [("files", ("notes.txt", b"hello"))]
    client.post(f"/api/imports/{import_id}/files", files=parts).raise_for_status()
    address = f"/api/imports/{import_id}/finish"
    for pattern, frames, left in (
        ("tern_#.png", 5, ["gull_#.png", "wake_#.png"]),
        ("gull_#.png", 5, ["wake_#.png"]),
    ):
        (card,) = client.post(address, json={"projects": [{"patterns": [pattern]}]}).json()["projects"]
        assert (card["name"], card["frames"]) == (pattern[:4].capitalize(), frames)
        seen = client.get(f"/api/imports/{import_id}").json()
        assert [one["pattern"] for one in seen["sequences"]] == left
        again = client.post(address, json={"projects": [{"patterns": [pattern]}]})
        assert (again.status_code, again.json()["kind"]) == (422, "input")
    assert client.post(address).json()["projects"][0]["frames"] == 2  # all the rest
    assert client.post(address).status_code == 409


def test_a_good_file_is_read_however_busy_the_machine_is_and_whoever_kills_its_process() -> None:
    random = np.random.default_rng(6)
    frames = [Image.fromarray(random.integers(0, 256, (64, 80, 3)).astype(np.uint8)) for _ in range(40)]
    out = BytesIO()
    frames[0].save(out, "GIF", save_all=True, append_images=frames[1:], duration=40)
    decoders = Decoders(1, 960 << 20, 1)
    try:
        seen = []
        for piece in decoders.pieces(out.getvalue(), "wave.gif"):
            assert isinstance(piece, Piece)
            seen.append(piece.name)
            if len(seen) == 3:  # its process stands still for longer than it may compute, then is killed
                (pid,) = decoders.pids(at_work=True)
                os.kill(pid, signal.SIGSTOP)
                time.sleep(1.5)
                os.kill(pid, signal.SIGCONT)
            if len(seen) == 12:
                os.kill(decoders.pids(at_work=True)[0], signal.SIGKILL)
        assert seen == [f"wave.gif/{number:04}.png" for number in range(1, 41)]
    finally:
        decoders.stop()


def test_damaged_files_of_every_kind_cost_no_process_and_little_time() -> None:
    """A share of what ``python -m tests.mutations`` does by the thousand."""
    outcome = gather(mutated(160, seed=7))
    assert outcome.whole + outcome.in_part + outcome.refused == 160
    assert outcome.refused > 60
    assert outcome.died == []
    assert outcome.slowest[0] < 10
    assert outcome.most_memory < 1024


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
