"""Render jobs that a real cluster carries out, by its workers over TLS; the service goes on without it."""

import itertools
import signal
from io import BytesIO
from pathlib import Path

import pytest
from PIL import Image

from jayflick.service.launch import main
from tests.cluster import running
from tests.prepared import copy_empty
from tests.server import Server, until
from tests.service.conftest import FEW, finished, heavy, project_of

SEEDS = itertools.count(900)


def test_renders_go_to_a_cluster_while_it_answers_and_are_made_here_when_it_is_gone(tmp_path: Path) -> None:
    (tmp_path / "cluster").mkdir()
    with running(tmp_path / "cluster") as cluster:
        server = Server(copy_empty(tmp_path / "data"), {**FEW, **cluster.environment}, forked=True)
        share = tmp_path / "share"
        options = "--scheduler", cluster.address, "--cluster-share", str(share)
        try:
            with server.start("--no-demo", *options).client() as client:

                def begun() -> list[str]:
                    return [project_of(client, heavy(3, next(SEEDS))) for _ in range(3)]

                def made(projects: list[str]) -> None:
                    for result in [finished(client, project) for project in projects]:
                        data = client.get(f"/api/results/{result['id']}/file").content
                        with Image.open(BytesIO(data)) as image:
                            assert (image.size, getattr(image, "n_frames", 1)) == ((640, 480), 3)

                cache = tmp_path / "cluster" / "cache" / "frames"
                while not any(cache.glob("*/*")):  # until it answers, all is made here
                    made(begun())
                assert not [*share.glob("*/task-*")], "what was made is here, and nothing of it is left there"
                under_way = begun()
                until(lambda: [*share.glob("*/task-*")])
                assert cluster.scheduler is not None
                cluster.scheduler.kill()
                cluster.scheduler.wait()
                made(under_way)
        finally:
            server.stop(signal.SIGKILL)


@pytest.mark.parametrize(
    ("options", "why"),
    [
        (["--scheduler", "tls://ferry:1"], "--scheduler and --cluster-share go together"),
        (["--cluster-share", "share"], "--scheduler and --cluster-share go together"),
        (["--scheduler", "tls://ferry:1", "--cluster-share", "ferry://pier"], "ferry://pier is no place"),
    ],
)
def test_half_of_a_cluster_is_refused_before_anything_starts(
    options: list[str], why: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["--data", str(tmp_path / "data"), *options]) == 1
    assert why in capsys.readouterr().err
    assert [*(tmp_path / "data").iterdir()] == []
