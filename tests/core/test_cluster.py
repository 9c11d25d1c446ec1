"""``batch`` by a real Dask scheduler and its workers, over TLS, frames by a folder or an S3 stand-in."""

import os
import signal
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

import boto3
import dask
import pytest

from jayflick.cli import remote
from jayflick.core.cluster.pictures import have_made
from jayflick.core.cluster.scheduler import Scheduler
from jayflick.core.cluster.shared import OLD, Shared, new_run, run_of_today
from jayflick.core.cluster.worker import program
from jayflick.core.errors import Cancelled, JayFlickError
from jayflick.core.progress import Progress
from jayflick.core.recipe import FramesOutput, GifOutput, Recipe, SheetOutput, Size, VideoOutput, WebpOutput
from jayflick.core.render import render
from jayflick.core.sequence.files import look_at
from jayflick.core.stages import Stages
from jayflick.parent import die_with_parent
from tests.cluster import Cluster, free_port, is_open, running, started
from tests.conftest import moving_square, save_frames
from tests.core.conftest import Run
from tests.core.test_batch import contents
from tests.server import until

RECIPE = Recipe(
    outputs=(
        GifOutput(id="page", file_name="loop.gif"),
        WebpOutput(id="small", file_name="loop.webp"),
        VideoOutput(id="clip", file_name="loop.mp4"),
        FramesOutput(id="set", file_name="set.zip"),
    )
)


@pytest.fixture(scope="session")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    with running(tmp_path_factory.mktemp("cluster")) as started:
        yield started


@pytest.fixture
def terns(tmp_path: Path) -> Path:
    for at, name in enumerate(("E/dive", "E/fly", "N/fly", "S/fly", "W/fly")):
        folder, _, stem = name.partition("/")
        save_frames(tmp_path / "terns" / folder, moving_square(3 + at, 40, 30), f"{stem}-{{}}.png")
    (tmp_path / "terns.json").write_text(RECIPE.model_dump_json())
    return tmp_path


def batch(cluster: Cluster, folder: Path, *more: str) -> "subprocess.CompletedProcess[str]":
    call = [sys.executable, "-m", "jayflick.cli", "batch", *more, "--scheduler", cluster.address]
    environment = {**os.environ, **cluster.environment}
    return subprocess.run(call, cwd=folder, env=environment, capture_output=True, text=True, timeout=120)


def test_what_a_cluster_makes_is_what_one_machine_makes(
    cluster: Cluster, run: Run, terns: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By a folder that all see and by S3; nothing of it is left behind there."""
    monkeypatch.chdir(terns)
    made = ("batch", "terns", "--recipe", "terns.json", "--fps", "12")
    assert run(*made, "-o", "here/")[0] == 0
    (terns / "share").mkdir()
    done = batch(cluster, terns, *made[1:], "-o", "there/", "--share", "share")
    assert (done.returncode, done.stderr) == (0, "")
    assert contents(terns / "there") == contents(terns / "here")
    assert len(contents(terns / "there")) > 20
    assert list((terns / "share").iterdir()) == []

    # What is there already is known, whoever made it; what changed is made anew, and what is left over goes.
    (terns / "terns/W/fly-7.png").unlink()
    again = batch(cluster, terns, *made[1:], "-o", "here/", "--share", "share", "--resume")
    assert "1 made, 4 unchanged, 0 failed" in again.stdout
    assert run(*made, "-o", "fewer/")[0] == 0
    assert contents(terns / "here") == contents(terns / "fewer")

    for name, value in cluster.environment.items():
        if name.startswith("AWS"):
            monkeypatch.setenv(name, value)
    store = boto3.client("s3")
    until(lambda: store.create_bucket(Bucket="saltmarsh"))
    done = batch(cluster, terns, *made[1:], "-o", "by-s3/", "--share", "s3://saltmarsh/frames")
    assert (done.returncode, done.stderr) == (0, "")
    assert contents(terns / "by-s3") == contents(terns / "fewer")
    assert store.list_objects_v2(Bucket="saltmarsh").get("KeyCount") == 0


def test_a_worker_that_dies_costs_nothing_and_a_run_that_is_stopped_stays_whole(
    cluster: Cluster, run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for at in range(8):
        save_frames(tmp_path / f"frames/{at}", moving_square(30, 400 + at, 300), "lamp-{}.png")
    call = [sys.executable, "-m", "jayflick.cli", "batch", "frames", "-o", "out/", "--dither", "diffusion"]
    call += ["--scheduler", cluster.address, "--share", "share"]
    environment = {**os.environ, **cluster.environment}

    def begun(*more: str) -> "subprocess.Popen[str]":
        return subprocess.Popen(
            [*call, *more],
            cwd=tmp_path,
            env=environment,
            text=True,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            preexec_fn=partial(die_with_parent, os.getpid()),
        )

    def made() -> int:
        return len(contents(tmp_path / "out")) if (tmp_path / "out").exists() else 0

    first = begun()
    until(lambda: made() >= 1)
    first.send_signal(signal.SIGINT)
    _, said = first.communicate(timeout=60)
    assert first.returncode == 1
    assert "stopped" in said
    assert "--resume" in said
    so_far = made()
    assert 1 <= so_far < 8

    second = begun("--resume")
    until(lambda: made() > so_far)
    os.kill(cluster.at_work()[0], signal.SIGKILL)
    told, said = second.communicate(timeout=120)
    assert second.returncode == 0, said
    assert f"{8 - so_far} made" in told
    monkeypatch.chdir(tmp_path)
    assert run("batch", "frames", "-o", "here/", "--dither", "diffusion")[0] == 0
    assert contents(tmp_path / "out") == contents(tmp_path / "here")


def test_what_is_left_when_the_scheduler_goes_is_made_here(tmp_path: Path, cluster: Cluster) -> None:
    """Each once: what lanes had under way is neither lost nor in the way of those who go on."""
    for at in range(8):
        save_frames(tmp_path / f"frames/{at}", moving_square(24, 300 + at, 200), "lamp-{}.png")
    with zipfile.ZipFile(tmp_path / "frames/more.zip", "w") as packed:
        for file in sorted((tmp_path / "frames").glob("[01]/*.png")):
            packed.write(file, file.relative_to(tmp_path / "frames").as_posix())
    address = f"tls://127.0.0.1:{free_port()}"
    short = started(
        "distributed.cli.dask_scheduler", "--host", address, "--no-dashboard", environment=cluster.environment
    )
    arguments = [address, "--host", "tls://127.0.0.1", "--nthreads", "2", "--no-dashboard"]
    arguments += ["--local-directory", str(tmp_path)]
    worker = started("distributed.cli.dask_worker", *arguments, environment=cluster.environment)
    until(lambda: is_open(address))
    with ThreadPoolExecutor(1) as beside:
        running = beside.submit(
            batch,
            Cluster(address, cluster.environment),
            tmp_path,
            "frames",
            "-o",
            "out/",
            "--share",
            "share",
        )
        until(lambda: (tmp_path / "out").exists() and len(contents(tmp_path / "out")) >= 2)
        short.kill()
        done = running.result()
    for process in (short, worker):
        process.kill()
        process.wait()
    assert done.returncode == 0, done.stderr
    assert "is gone; local workers go on" in done.stderr
    assert "0 failed" in done.stdout
    assert len(contents(tmp_path / "out")) == 10


def test_a_scheduler_that_is_none_is_said_and_local_workers_go_on(
    cluster: Cluster, terns: Path, tmp_path: Path
) -> None:
    nobody = Cluster(f"tls://127.0.0.1:{free_port()}", cluster.environment)
    store = cluster.environment["AWS_ENDPOINT_URL"].replace("http:", "tls:")
    another = Cluster(store, cluster.environment)
    for at, wrong in enumerate((nobody, another, Cluster("ferry", cluster.environment))):
        done = batch(wrong, terns, "terns/E", "-o", f"out-{at}/", "--share", "share")
        assert done.returncode == 0, done.stderr
        assert f"no scheduler answers at {wrong.address}" in done.stderr
        assert "local workers go on" in done.stderr
        assert len(contents(terns / f"out-{at}")) == 2


def test_a_place_that_cannot_be_written_or_read_is_named(cluster: Cluster, terns: Path) -> None:
    (terns / "full").write_text("a file")
    for share, why in (
        ("full", "full"),
        ("ferry://dock", "no place that is known"),
        ("s3://no-such-bucket", "refused"),
    ):
        done = batch(cluster, terns, "terns/E", "-o", "out/", "--share", share)
        assert done.returncode != 0
        assert why in done.stderr, done.stderr
        assert "Traceback" not in done.stderr
    assert contents(terns / "out") == {} if (terns / "out").exists() else True


def test_pictures_that_a_worker_makes_are_those_that_are_made_here(
    cluster: Cluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of each kind of output; and rendering then touches no pixel. What is called off ends there too."""
    for name, value in cluster.environment.items():
        monkeypatch.setenv(name, value)
    dask.config.refresh()
    files = save_frames(tmp_path / "frames", moving_square(9, 60))
    frames = list(look_at(files, tmp_path)[1].values())
    sheet = SheetOutput(id="sheet", file_name="sheet.png", size=Size(width=40))
    recipe = RECIPE.model_copy(update={"outputs": (*RECIPE.outputs, sheet)})
    share, run = str(tmp_path / "share"), run_of_today("ferry")

    def called_off(progress: Progress) -> None:
        raise Cancelled("called off")

    with Scheduler(cluster.address) as scheduler:
        assert scheduler.threads == 2
        for output in recipe.outputs:
            here, there = (Stages(tmp_path / f"{output.id}-{place}") for place in ("here", "there"))
            for stages in (here, there):
                stages.store.put_all([file.read_bytes() for file in files])
            expected = render(recipe, frames, output.id, here)
            heard: list[Progress] = []
            have_made(scheduler, share, run, recipe, frames, output.id, there, heard.append)
            assert heard
            made = render(recipe, frames, output.id, there)
            assert made.coded == expected.coded
            assert [one.read() for one in made.timed.files] == [one.read() for one in expected.timed.files]
            assert there.runs.keys() <= {"pictures", "art"}, "they were put there, and nothing was made"
            have_made(scheduler, share, run, recipe, frames, output.id, there, called_off)  # it is there
        assert {path.name for path in (tmp_path / "share" / run).iterdir()} == {one.sha256 for one in frames}

        other = recipe.model_copy(update={"outputs": (GifOutput(id="page", size=Size(width=50)),)})
        with pytest.raises(Cancelled):
            have_made(scheduler, share, run, other, frames, "page", there, called_off)
        (task,) = (tmp_path / "share" / run).glob("task-*")
        assert [path.name for path in task.iterdir()] == ["cancelled"]


def test_workers_with_another_program_are_refused_by_name(
    cluster: Cluster, terns: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The order says which program it is for: a worker that came after the first look answers with its own."""
    order = remote.Order("another", str(terns / "share"), new_run(), "fly", 1, (), {}, {}, "", {})
    answer = remote.make_one(order)
    assert (answer.result, answer.other_program) == (None, program())
    newer = "from jayflick.core.cluster import worker; worker.__version__ = '9.9'"
    script = f"{newer}; from jayflick.cli import main; exit(main())"
    call = [sys.executable, "-c", script, "batch", "terns/E", "-o", "out/", "--share", "share"]
    environment = {**os.environ, **cluster.environment}
    done = subprocess.run(
        [*call, "--scheduler", cluster.address], cwd=terns, env=environment, capture_output=True, text=True
    )
    assert done.returncode == 2
    assert "runs another program: jayflick 0" in done.stderr
    assert "127.0.0.1" in done.stderr


def test_what_several_put_at_once_is_whole_to_whoever_reads_it(tmp_path: Path) -> None:
    """Sequences share frames, and workers may make the same file at the same time."""
    run, contents_ = new_run(), [bytes([number]) * (4 << 20) for number in range(3)]
    Shared(str(tmp_path), run).begin()
    hashes = Shared(str(tmp_path), run).put(contents_)
    with ThreadPoolExecutor(4) as beside:
        writing = [beside.submit(Shared(str(tmp_path), run).put, contents_) for _ in range(20)]
        while not all(one.done() for one in writing):
            assert Shared(str(tmp_path), run).get(hashes) == contents_
    assert sorted(path.name for path in (tmp_path / run).iterdir()) == sorted(hashes)


def test_what_came_to_harm_on_its_way_is_refused_and_what_others_left_goes(tmp_path: Path) -> None:
    shared = Shared(str(tmp_path), new_run())
    shared.begin()
    (sha256,) = shared.put([b"frame"])
    assert shared.get([sha256]) == [b"frame"]
    (tmp_path / shared.run / sha256).write_bytes(b"frams")
    with pytest.raises(JayFlickError, match="is not what was put there"):
        shared.get([sha256])
    assert not shared.is_cancelled()
    shared.cancel()
    assert shared.is_cancelled()
    old = tmp_path / f"jayflick-{int(shared.run.split('-')[1]) - OLD - 60}-0123abcd"
    old.mkdir()
    (tmp_path / "mine").mkdir()
    daily = Shared(str(tmp_path), run_of_today("ferry"))
    daily.begin()
    Shared(str(tmp_path), new_run()).clear_old()
    assert not old.exists()
    assert (tmp_path / "mine").exists()
    assert (tmp_path / shared.run).exists()
    assert (tmp_path / daily.run).exists()
