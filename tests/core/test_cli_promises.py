"""What scripts rely on: all or nothing is written, files are what they are, nothing typed is passed over."""

import json
import os
import random
import re
import signal
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from contextlib import suppress
from io import BytesIO
from pathlib import Path
from typing import Any, get_args

import av
import numpy as np
import pytest
from PIL import Image
from pydantic import TypeAdapter

from jayflick.cli import options
from jayflick.cli.report import AllReport, Report, schema
from jayflick.core.dither.kinds import Choice, Matrix
from jayflick.core.recipe.outputs import Palette
from jayflick.core.recipe.sheet import Pixels
from jayflick.core.sequence.project_file import DOCUMENT
from jayflick.core.tuning.budget import May
from jayflick.delivery.protocol import Kind, Use
from tests.conftest import moving_square, save_frames
from tests.core.conftest import Run
from tests.core.test_project_file import saved
from tests.server import until

ROOT = Path(__file__).parents[2]
PROGRAM = (sys.executable, "-m", "jayflick.cli")


@pytest.fixture
def frames(tmp_path: Path) -> Path:
    save_frames(tmp_path / "in", moving_square(6, 48, 32, soft=True), "gull_{}.png")
    return tmp_path / "in"


def contents(folder: Path) -> dict[str, bytes]:
    """Every file below a folder."""
    return {str(one.relative_to(folder)): one.read_bytes() for one in folder.rglob("*") if one.is_file()}


def checked(run: Run, file: Path, target: str) -> dict[str, Any]:
    printed = run("check", file, "--target", target, "--json")[1]
    return {rule["rule"]: (rule["measured"], rule["verdict"]) for rule in json.loads(printed)["rules"]}


def test_what_can_be_typed_is_what_recipes_and_stand_ins_know() -> None:
    assert get_args(Palette) == options.PALETTES
    assert set(options.DITHERS) == {one for part in get_args(Choice) for one in (get_args(part) or (part,))}
    assert get_args(Matrix) == options.MATRICES
    assert set(options.MAY) == set(get_args(May))
    assert get_args(Pixels) == options.PIXELS
    assert (get_args(Kind), get_args(Use)) == (options.STAND_INS, options.USES)


@pytest.mark.parametrize(
    ("arguments", "without"),
    [
        (["--help"], ["numpy", "pydantic", "numba", "PIL"]),
        (["make", "--help"], ["numpy", "pydantic", "numba", "PIL"]),
        (["info", "a.gif"], ["pydantic", "av", "cv2", "httpx", "PIL"]),
        (["targets"], ["numba", "av", "cv2", "httpx"]),
    ],
)
def test_a_command_loads_no_more_than_it_takes(
    run: Run, frames: Path, tmp_path: Path, arguments: list[str], without: list[str]
) -> None:
    assert run("make", frames, "-o", tmp_path / "a.gif")[0] == 0
    code = f"import sys; from jayflick.cli import main\ntry: main({arguments!r})\nexcept SystemExit: pass\n"
    code += f"print([name for name in {without!r} if name in sys.modules], file=sys.stderr)"
    found = subprocess.run(
        [sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=True
    )
    assert found.stderr == "[]\n"


def several(tmp_path: Path, *shape: int) -> list[str]:
    """Arguments of a run that writes several files, of noise: frames of (count, height, width)."""
    noise = np.random.default_rng(1).integers(0, 256, (*shape, 4), np.uint8)
    save_frames(tmp_path / "in", list(noise), "wave_{}.png")
    outputs = [
        {"id": name, "name": name, "format": "gif", "file_name": f"{name}.gif", "tuning": {"loss": loss}}
        for name, loss in (("plain", 0), ("lossy", 60), ("more", 90))
    ]
    (tmp_path / "recipe.json").write_text(json.dumps({"outputs": outputs}))
    return ["make", str(tmp_path / "in"), "--recipe", str(tmp_path / "recipe.json"), "--all"]


@pytest.fixture
def slow(tmp_path: Path) -> list[str]:
    """Arguments of such a run that takes a while."""
    return several(tmp_path, 12, 240, 320)


@pytest.mark.parametrize("by", [signal.SIGINT, signal.SIGTERM])
def test_stopped_at_any_moment_nothing_is_written_and_nothing_left(
    slow: list[str], tmp_path: Path, by: signal.Signals
) -> None:
    scratch, out = tmp_path / "scratch", tmp_path / "out"
    scratch.mkdir()
    out.mkdir()
    (out / "plain.gif").write_bytes(b"of an earlier run")
    before = contents(out)
    environment = {**os.environ, "TMPDIR": str(scratch)}

    def begun() -> subprocess.Popen[str]:
        return subprocess.Popen(
            [*PROGRAM, *slow, "-o", f"{out}/", "--force"],
            env=environment,
            stderr=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            text=True,
        )

    def parts() -> bool:
        return any(one.name.startswith(".part-") for one in out.iterdir())

    for moment in (lambda: any(scratch.iterdir()), parts):  # while it reads, and when a file is there already
        process = begun()
        until(moment, 60)
        process.send_signal(by)
        _, err = process.communicate(timeout=60)
        assert (process.returncode, err) == (1, "jayflick: stopped; nothing was written\n")
        assert contents(out) == before
        assert list(scratch.iterdir()) == []


def test_no_option_writes_over_what_it_must_not(run: Run, frames: Path, tmp_path: Path) -> None:
    source = frames / "gull_2.png"
    there = tmp_path / "there.json"
    there.write_text("mine")
    before = contents(tmp_path)
    out = tmp_path / "out" / "a.gif"
    for more, words in (
        (["--report", there], "there.json: already exists"),
        (["--report", source, "--force"], "gull_2.png: is an input, and is never replaced"),
        (["--report", out], "a.gif: -o and --report name the same file"),
        (["--report", tmp_path / "r.json", "--trials", tmp_path / "r.json"], "--report and --trials name"),
        (["--report", frames, "--force"], "in: is a folder"),
        (["--report", source / "r.json"], "r.json: cannot be written there"),
    ):
        status, _, err = run("make", frames, "-o", out, *more)
        assert (status in (1, 2), words in err) == (True, True), err
        assert contents(tmp_path) == before
    for more, words in (
        (["--describe", there], "there.json: already exists"),
        (["--describe", source.with_suffix(".css"), "--report", source.with_suffix(".css")], "name the same"),
    ):
        status, _, err = run("make", frames, "-o", tmp_path / "s.png", "--sheet", "even", *more)
        assert (status, words in err, contents(tmp_path)) == (2, True, before), err
    link = tmp_path / "link"
    link.symlink_to(frames, target_is_directory=True)
    status, _, err = run("make", link, "-o", out, "--report", source, "--force")
    assert (status, "is an input" in err) == (2, True), err
    link.unlink()
    # A set never lands on the frames it is made of.
    names = [str(path) for path in sorted(frames.iterdir())]
    status, _, err = run("make", *names, "-o", f"{frames}/", "--names", "gull_#", "--force")
    assert (status, "is an input" in err, contents(tmp_path)) == (2, True, before), err


def test_a_set_that_grew_shorter_leaves_no_tail_and_strangers_stay(
    run: Run, frames: Path, tmp_path: Path
) -> None:
    out = tmp_path / "set"
    assert run("make", frames, "-o", f"{out}/")[0] == 0
    (out / "notes.txt").write_text("a stranger's")
    Image.new("RGB", (9, 9)).save(out / "0005.png")  # was ours; somebody painted over it
    status, printed, _ = run("make", frames, "-o", f"{out}/", "--range", "1-3", "--force", "--json")
    assert status == 0
    report = json.loads(printed)
    assert [one["file"] for one in report["files"]] == ["0001.png", "0002.png", "0003.png"]
    assert sorted(contents(out)) == ["0001.png", "0002.png", "0003.png", "0005.png", "notes.txt"]
    assert report["output"] == "set/"
    # What that run wrote and this one reads is an input now.
    status, _, _ = run("make", out / "0002.png", out / "0003.png", "-o", f"{out}/", "--names", "a_#", "--force")
    assert status == 0
    assert sorted(contents(out)) == ["0002.png", "0003.png", "0005.png", "a_1.png", "a_2.png", "notes.txt"]


def test_an_output_is_never_an_input(run: Run, frames: Path, tmp_path: Path) -> None:
    """Whatever was put among the frames: the next run makes the same of the same folder."""
    plain = tmp_path / "plain.gif"
    assert run("make", frames, "-o", plain)[0] == 0
    for name, more in (
        ("a.gif", []),
        ("b.webp", []),
        ("c.mp4", []),
        ("sheet.png", ["--sheet", "even"]),
        ("gull_7.png", ["--still", "1"]),
        ("set/", []),
    ):
        assert run("make", frames, "-o", f"{frames}/{name}", *more)[0] == 0
        again = tmp_path / f"again-{Path(name).stem}.gif"
        status, _, err = run("make", frames, "-o", again)
        assert (status, "passed over" in err, again.read_bytes()) == (0, True, plain.read_bytes()), name
        assert json.loads(run("gather", frames, "--json")[1])["sequences"][0]["count"] == 6
    (tmp_path / "link").symlink_to(frames, target_is_directory=True)
    assert json.loads(run("gather", tmp_path / "link", "--json")[1])["sequences"][0]["count"] == 6
    # What is named itself is meant, and so is a folder that holds nothing else.
    assert json.loads(run("info", frames / "a.gif", "--json")[1])["count"] == 6
    assert run("make", f"{frames}/set/", "-o", tmp_path / "of-set.gif")[1:] == ("", "")
    assert run("make", frames / "a.gif", "-o", tmp_path / "of-loop.webp")[1:] == ("", "")
    # Changed by somebody, it is theirs.
    Image.new("RGBA", (48, 32)).save(frames / "gull_7.png")
    assert json.loads(run("gather", frames, "--json")[1])["sequences"][0]["count"] == 7


@pytest.mark.parametrize(
    ("more", "words"),
    [
        (["--thinned", "faster"], "--thinned has no effect without --step"),
        (["--play-by", "blend"], "--play-by has no effect without --play-fps or --target"),
        (["--between-by", "blend"], "--between-by has no effect without --between"),
        (["--views-gutter", "2"], "--views-gutter has no effect without --views"),
        (["--line-up-box", "0,0,9,9"], "--line-up-box has no effect without --line-up"),
        (["--match-by", "levels"], "--match-by has no effect without --match-tone"),
        (["--place", "top"], "--place has no effect without --canvas"),
        (["--may", "size"], "--may has no effect without --max-bytes"),
        (["--clip", "1-3"], "--clip has no effect: no clip is among the inputs"),
        (["--dissolve", "999"], "3 frames dissolve, not 999: at most half of the 6 that play"),
    ],
)
def test_what_changes_nothing_is_noted(
    run: Run, frames: Path, tmp_path: Path, more: list[str], words: str
) -> None:
    status, _, err = run("make", frames, "-o", tmp_path / "a.gif", *more)
    assert (status, f"jayflick: note: {words}" in err) == (0, True), err


@pytest.mark.parametrize(
    ("name", "more", "words"),
    [
        ("a.mp4", ["--repeat", "2"], "--repeat has no effect here: --plays says how often"),
        ("a.mp4", [], "transparent pixels lie over #ffffff: --matte sets another colour"),
        ("a.jpg", ["--still", "1"], "transparent pixels lie over #ffffff"),
        ("set/", ["--frames", "bmp"], "transparent pixels lie over #ffffff"),
        (
            "s.png",
            ["--sheet", "packed", "--columns", "2"],
            "--columns has no effect here: it is for --sheet even",
        ),
        ("s.png", ["--sheet", "packed", "--cell", "used"], "--cell has no effect here"),
        ("s.png", ["--sheet", "even", "--turn"], "--turn has no effect here: it is for --sheet packed"),
    ],
)
def test_what_has_no_effect_in_a_format_is_noted(
    run: Run, frames: Path, tmp_path: Path, name: str, more: list[str], words: str
) -> None:
    status, _, err = run("make", frames, "-o", f"{tmp_path}/{name}", *more)
    assert (status, words in err) == (0, True), err


def test_places_may_lie_off_the_canvas_and_contradictions_are_refused(
    run: Run, frames: Path, tmp_path: Path
) -> None:
    out = tmp_path / "a.gif"
    status, printed, _ = run("make", frames, "-o", out, "--canvas", "60x60", "--place", "-10,5", "--json")
    assert (status, json.loads(printed)["options"]["outputs"][0]["size"]["at"]) == (0, [-10, 5])
    status, _, err = run("make", frames, "-o", tmp_path / "v.gif", "--views", "30x20")
    assert (status, "3600 views are too many; one import takes up to 3000" in err) == (2, True), err
    status, _, err = run("make", frames, "-o", tmp_path / "s.png", "--sheet", "even", "--still", "1")
    assert (status, "--sheet and --still contradict each other" in err) == (2, True)
    (tmp_path / "empty.json").write_text("{}")
    (tmp_path / "far.json").write_text('{"gather": {"left_out": [2, 99]}}')
    for name, words in (("empty", "empty.json says nothing"), ("far", "leaves out frame 99: there are 6")):
        status, _, err = run(
            "make", frames, "-o", tmp_path / f"{name}.gif", "--recipe", tmp_path / f"{name}.json"
        )
        assert (status, words in err) == (0, True), err


def test_reports_name_every_file_and_hold_to_their_schema(run: Run, tmp_path: Path) -> None:
    assert (ROOT / "docs/report.schema.json").read_text() == schema()
    either: TypeAdapter[Any] = TypeAdapter(Report | AllReport)
    made, source = several(tmp_path, 6, 60, 80), str(tmp_path / "in")
    for arguments in (
        ["make", source, "-o", f"{tmp_path}/a.gif", "--max-bytes", "12K", "--target", "post"],
        ["make", source, "-o", f"{tmp_path}/s.png", "--sheet", "even", "--widest", "200", "--more-sheets"],
        ["make", source, "-o", f"{tmp_path}/still.webp", "--still", "2"],
        [*made, "-o", f"{tmp_path}/all/"],
    ):
        out = Path(arguments[-1] if arguments[-2] == "-o" else arguments[3])
        report = tmp_path / "report.json"
        status, printed, _ = run(*arguments, "--report", report, "--force", "--json")
        assert status in (0, 1)
        document = json.loads(printed)
        assert document == json.loads(report.read_bytes())
        either.validate_python(document)
        folder = out if out.is_dir() else out.parent
        for one in document.get("outputs", [document]):
            for file in one["files"]:
                data = (folder / file["file"]).read_bytes()
                assert len(data) == file["bytes"]
            assert sum(file["bytes"] for file in one["files"]) == one["bytes"]


def test_an_unpacked_project_is_the_project(run: Run, tmp_path: Path) -> None:
    _, data = saved(tmp_path)
    (tmp_path / "square.zip").write_bytes(data)
    zipfile.ZipFile(BytesIO(data)).extractall(tmp_path / "square")
    made = [tmp_path / name for name in ("packed.gif", "unpacked.gif")]
    assert run("make", tmp_path / "square.zip", "-o", made[0])[0] == 0
    assert (tmp_path / "square" / DOCUMENT).exists()
    assert run("make", tmp_path / "square", "-o", made[1])[0] == 0
    assert made[0].read_bytes() == made[1].read_bytes()


def written(path: Path, form: str, codec: str, frames: int = 3) -> Path:
    """A clip by PyAV alone."""
    with av.open(path, "w", format=form) as container:
        stream: Any = container.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for level in range(frames):
            picture = np.full((48, 64, 3), 60 * level, np.uint8)
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, "rgb24")))
        container.mux(stream.encode())
    return path


def test_a_file_is_what_its_bytes_say(run: Run, tmp_path: Path) -> None:
    """Whatever it is called. Written by PyAV and Pillow."""
    pages = [Image.new("RGB", (64, 48), (60 * n, 0, 0)) for n in range(5)]
    tiff = tmp_path / "pages.avif"
    pages[0].save(tiff, "TIFF", save_all=True, append_images=pages[1:])
    files = {
        "TIFF": tiff,
        "AVI": written(tmp_path / "a.mp4", "avi", "mpeg4"),
        "MPEG": written(tmp_path / "b.mp4", "mpeg", "mpeg1video"),
        "Matroska": written(tmp_path / "c.mp4", "matroska", "h264"),
        "MOV": written(tmp_path / "d.mp4", "mov", "h264"),
        "MP4": written(tmp_path / "e.mov", "mp4", "h264"),
    }
    for family, file in files.items():
        measured, verdict = checked(run, file, "post")["Format"]
        assert (measured, verdict) == (family, "pass" if family == "MP4" else "fail"), family
    webm = written(tmp_path / "f.mp4", "webm", "vp9")
    assert checked(run, webm, "post")["Format"] == ("WebM", "fail")
    assert checked(run, webm, "page-loop")["Format"] == ("WebM", "pass")


def test_a_set_of_another_or_of_two_kinds_is_none_of_png(run: Run, tmp_path: Path) -> None:
    for name, kinds, verdict in (
        ("png", ("PNG", "PNG"), "pass"),
        ("tiff", ("TIFF", "TIFF"), "fail"),
        ("mixed", ("PNG", "TGA"), "fail"),
        ("named", ("JPEG", "JPEG"), "fail"),
    ):
        folder = tmp_path / name
        folder.mkdir()
        for number, kind in enumerate(kinds):
            Image.new("RGB", (500, 500)).save(folder / f"frame_{number}.png", kind)
        found = checked(run, folder, "effect-set")
        assert found["Format"][1] == verdict, (name, found)


def test_a_sheet_is_told_by_its_description(run: Run, frames: Path, tmp_path: Path) -> None:
    made = ["--sheet", "even", "--target", "phone-sheet"]
    sheet, told = tmp_path / "sheet.png", tmp_path / "sheet.json"
    assert run("make", frames, "-o", sheet, "--describe", told, *made)[0] == 0
    assert checked(run, sheet, "phone-sheet")["Format"] == ("a sheet, PNG", "pass")
    told.unlink()
    assert checked(run, sheet, "phone-sheet")["Format"] == ("PNG, with no description", "warn")
    assert run("make", frames, "-o", tmp_path / "still.jpg", "--still", "1", "--matte", "#fff")[0] == 0
    assert checked(run, tmp_path / "still.jpg", "post")["Format"] == ("JPEG", "pass")


@pytest.mark.parametrize("name", ["a.gif", "a.png", "a.webp", "a.avif", "a.mp4", "a.webm", "a.mov"])
def test_making_and_checking_measure_alike(run: Run, frames: Path, tmp_path: Path, name: str) -> None:
    """Every figure of every rule, at rates whose delays no format holds exactly."""
    exact = {
        "name": "exact",
        "title": "Exact",
        "figures": {
            key: {"warn": {"least": 1, "most": 2}}
            for key in ("bytes", "width", "pixels", "frames", "duration_ms", "fps", "shortest_delay_ms")
        },
    }
    target = tmp_path / "exact.json"
    target.write_text(json.dumps(exact))
    for more in (
        ["--fps", "24"],
        ["--fps", "7.3"],
        ["--fps", "24000/1001"],
        ["--length", "4s"],
        ["--range", "2-2"],
    ):
        out = tmp_path / name
        printed = run("make", frames, "-o", out, "--target", target, *more, "--force", "--json")[1]
        report = json.loads(printed)
        made = {rule["rule"]: rule["measured"] for rule in report["check"]["rules"]}
        found = {rule: measured for rule, (measured, _) in checked(run, out, str(target)).items()}
        assert found == made, more
        assert json.loads(run("info", out, "--json")[1])["duration_ms"] == (report["duration_ms"] or 0), more


def test_names_that_are_no_utf_8_and_streams_that_are_closed(frames: Path, tmp_path: Path) -> None:
    strange = os.fsencode(frames) + b"/\xff\xfe_7.png"
    with suppress(OSError):  # some file systems take no such name
        Path(os.fsdecode(strange)).write_bytes((frames / "gull_1.png").read_bytes())
        for encoding in ("utf-8", "latin-1"):
            gathered = subprocess.run(
                [*PROGRAM, "gather", frames, "--json"],
                env={**os.environ, "PYTHONIOENCODING": encoding},
                capture_output=True,
                check=True,
            )
            names = [one["pattern"] for one in json.loads(gathered.stdout.decode("utf-8"))["sequences"]]
            assert any("\udcff" in name for name in names)
        Path(os.fsdecode(strange)).unlink()
    script = (
        f"'{sys.executable}' -m jayflick.cli make '{frames}' -o '{tmp_path}/a.gif' --thinned faster --json 2>&-"
    )
    made = subprocess.run(script, shell=True, stdout=subprocess.PIPE, check=True)
    assert json.loads(made.stdout)["count"] == 6
    assert (tmp_path / "a.gif").read_bytes().startswith(b"GIF89a")


VALUES: dict[str, tuple[str, ...]] = {
    **{
        "--fps": ("24", "0", "fast"),
        "--delay": ("40ms", "-1"),
        "--range": ("1-3", "9-1", "1-99999"),
        "--order": ("1-6", "x"),
    },
    **{
        "--step": ("2", "0"),
        "--dissolve": ("2", "999"),
        "--size": ("20x", "50%", "0x0", "20x9999"),
        "--fit": ("cover", "odd"),
    },
    **{
        "--canvas": ("60x60", "60x", "60x9999"),
        "--place": ("top", "-9,4"),
        "--crop": ("0,0,20,20", "4,0,99,9"),
    },
    **{"--colours": ("8", "1"), "--dither": ("ordered", "none"), "--loss": ("30",), "--tolerance": ("20",)},
    **{
        "--max-bytes": ("2K", "100"),
        "--may": ("size", "none", "luck"),
        "--quality": ("50",),
        "--plays": ("2",),
    },
    **{
        "--target": ("post", "overlay", "moon"),
        "--still": ("2", "77"),
        "--frames": ("tga",),
        "--views": ("2x1",),
    },
    **{
        "--sheet": ("even", "packed"),
        "--columns": ("2", "none"),
        "--widest": ("64",),
        "--matte": ("#fff", "red"),
    },
    **{
        "--length": ("1s",),
        "--play-fps": ("10",),
        "--between": ("1",),
        "--repeat": ("3",),
        "--gaps": ("hold",),
    },
    **dict.fromkeys(("--reverse", "--there-and-back", "--one-by-one", "--keep-alpha", "--lossless"), ()),
    **dict.fromkeys(("--trim", "--turn", "--more-sheets", "--scale-to-fit", "--force", "--all"), ()),
}
OUTPUTS = ("a.gif", "a.png", "a.webp", "a.mp4", "set/", "a.txt", "a.jpg", "a.apng")


def typed_runs(count: int) -> Iterator[list[str]]:
    """Options typed at random, the same every time."""
    chance = random.Random(7)
    for _ in range(count):
        arguments = [chance.choice(OUTPUTS)]
        for option in chance.sample(sorted(VALUES), chance.randint(0, 4)):
            arguments.append(option)
            if VALUES[option]:
                arguments.append(chance.choice(VALUES[option]))
        yield arguments


def test_whatever_is_typed_ends_as_documented(
    run: Run, frames: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    scratch = tmp_path / "scratch"
    scratch.mkdir()
    monkeypatch.setattr("tempfile.tempdir", str(scratch))
    before, statuses = contents(frames), set()
    for number, (output, *more) in enumerate(typed_runs(100)):
        folder = tmp_path / f"run-{number}"
        folder.mkdir()
        status, printed, err = run("make", frames, "-o", f"{folder}/{output}", *more, "--json")
        statuses.add(status)
        lines = err.splitlines()
        assert all(line.startswith("jayflick: ") for line in lines), (more, err)
        assert not re.search(r"\b(gather|rhythm|framing|outputs)\.\w", err), (more, "a name of our own", err)
        told = [line for line in lines if not line.startswith("jayflick: note: ")]
        if printed:
            document = json.loads(printed)
            files = [file for one in document.get("outputs", [document]) for file in one["files"]]
            below = folder / output if output.endswith("/") else folder
            assert sorted(contents(below)) == sorted(file["file"] for file in files), (more, err)
            assert status == 0 or told or document.get("budget", {}).get("met") is False
        else:
            assert (status in (1, 2), len(told)) == (True, 1), (more, err)
            assert contents(folder) == {}, more
        assert list(scratch.iterdir()) == []
    assert contents(frames) == before
    assert statuses == {0, 1, 2}


@pytest.mark.parametrize(
    ("typed", "completed"),
    [
        ("jayflick ma", {"make"}),
        ("jayflick check --target p", {"page-loop", "phone-sheet", "post", "pier.png"}),
        ("jayflick make pier.png --dither ", set(options.DITHERS)),
        ("jayflick compare p", {"pier.png"}),
    ],
)
def test_a_shell_completes_commands_options_and_what_they_take(
    tmp_path: Path, typed: str, completed: set[str]
) -> None:
    """Asked by COMP_LINE and COMP_POINT, answered in COMPREPLY (bash manual, "Programmable Completion")."""
    (tmp_path / "pier.png").touch()
    script = """
        eval "$("$1" completion bash)"
        COMP_LINE=$2 COMP_POINT=${#2} COMP_TYPE=9
        _python_argcomplete "$1"
        printf '%s\\n' "${COMPREPLY[@]}"
    """
    program = Path(sys.executable).with_name("jayflick")
    asked = subprocess.run(
        ["bash", "-c", script, "bash", program, typed.replace("jayflick", str(program), 1)],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=True,
    )
    assert ({line.strip() for line in asked.stdout.splitlines()}, asked.stderr) == (completed, "")
