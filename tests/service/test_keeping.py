"""Outputs kept written in the hand-off folder: the newest that passes, and never over what others wrote."""

import signal
from contextlib import suppress
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import pytest
from PIL import Image

from jayflick.service import handoffs
from jayflick.service.mariadb import PrivateServer
from jayflick.service.settings import Settings
from tests.server import Server, until
from tests.service.conftest import bench, colours, current, edit, finished, project_of, serving


def keep(client: httpx.Client, project_id: str, output: str, kept: bool = True) -> None:
    address = f"/api/projects/{project_id}/outputs/{output}/kept"
    client.put(address, json={"kept": kept}).raise_for_status()


def newest(client: httpx.Client, project_id: str) -> bytes:
    return client.get(f"/api/results/{finished(client, project_id)['id']}/file").content


def written(handoff: Path) -> dict[str, bytes]:
    """What is there, without what is being prepared beside it."""
    found = {}
    for folder in handoff.glob("[!.]*"):
        for file in folder.glob("**/*.*"):
            with suppress(FileNotFoundError):  # of a longer set
                found[file.name] = file.read_bytes()
    return found


def test_the_newest_that_passes_is_there_whole_and_nothing_else_is_touched(
    place: Server, handoff: Path
) -> None:
    with place.client() as client:
        project_id = project_of(client)
        output = bench(client, project_id)["recipe"]["outputs"][0]
        name = output["file_name"]

        def problem() -> str:
            (kept,) = bench(client, project_id)["kept"]
            return str((kept["problem"] or {}).get("message", ""))

        def is_there() -> bool:
            result = current(client, project_id)
            return result is not None and written(handoff) == {name: newest(client, project_id)}

        keep(client, project_id, output["id"])
        until(is_there)
        first = newest(client, project_id)
        for count in (3, 2):
            edit(client, project_id, colours(count))
            until(is_there)
        client.post(f"/api/projects/{project_id}/undo")
        client.post(f"/api/projects/{project_id}/undo")
        until(is_there)
        assert newest(client, project_id) == first

        # One that does not pass is not written; the last that did stays.
        def most(recipe: dict[str, Any]) -> None:
            recipe["outputs"][0]["target"]["figures"]["bytes"]["stop"]["most"] = 100
            colours(6)(recipe)

        edit(client, project_id, most)
        until(lambda: problem().startswith("does not pass"))
        assert written(handoff) == {name: first}
        client.post(f"/api/projects/{project_id}/undo")
        until(lambda: problem() == "")
        # Somebody else's file of that name stays as it is, and is named.
        (place_of,) = handoff.rglob(name)
        place_of.write_bytes(b"of somebody else")
        edit(client, project_id, colours(3))
        until(lambda: problem() == "is there already, and was not written by this output")
        assert written(handoff) == {name: b"of somebody else"}
        place_of.unlink()
        edit(client, project_id, colours(2))
        until(is_there)
        assert bench(client, project_id)["handoffs"][0]["place"] == "folder"
        # Ended in the middle of it all, it goes on.
        place.stop(signal.SIGKILL)
        place.start("--no-demo", "--handoff", str(handoff))
    with place.client() as client:
        edit(client, project_id, colours(4))
        until(lambda: current(client, project_id) is not None)
        until(lambda: written(handoff) == {name: newest(client, project_id)})
        keep(client, project_id, output["id"], kept=False)
        before = written(handoff)
        edit(client, project_id, colours(5))
        assert newest(client, project_id) != before[name]
        assert (bench(client, project_id)["kept"], written(handoff)) == ([], before)


def as_frames(recipe: dict[str, Any]) -> None:
    shared = {"id", "name", "take", "size"}
    one = {key: value for key, value in recipe["outputs"][0].items() if key in shared}
    recipe["outputs"] = [one | {"format": "frames", "file_name": "set.zip", "names": "buoy_#"}]


def test_a_set_that_gets_shorter_leaves_none_of_its_own_behind(place: Server, handoff: Path) -> None:
    with place.client() as client:
        project_id = project_of(client)

        assert edit(client, project_id, as_frames).status_code == 200
        output = bench(client, project_id)["recipe"]["outputs"][0]["id"]
        keep(client, project_id, output)
        until(lambda: len(written(handoff)) == 6)
        (folder,) = {file.parent for file in handoff.rglob("*.png")}
        (folder / "mine.txt").write_text("of somebody else")
        edit(client, project_id, lambda recipe: recipe["gather"].update(left_out=[5, 6]))
        until(lambda: len(written(handoff)) == 5)
        assert {"mine.txt", "buoy_1.png", "buoy_4.png"} <= set(written(handoff))
        assert (
            client.put(f"/api/projects/{project_id}/outputs/none/kept", json={"kept": True}).status_code == 404
        )


def test_what_was_written_is_its_own_even_if_the_program_dies_before_it_says_so(
    database: PrivateServer, tmp_path: Path, handoff: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    place, dies = handoffs.into_folder, [True]

    def killed(*args: Any, **options: Any) -> Any:
        placed = place(*args, **options)
        if dies.pop() if dies else False:
            placed.done()
            raise OSError("the power went")
        return placed

    settings = Settings(data=tmp_path, database=database.url, handoff=handoff, workers=1, decoders=1)
    with serving(settings) as (client, _):
        project_id = project_of(client)
        edit(client, project_id, as_frames)
        output = bench(client, project_id)["recipe"]["outputs"][0]["id"]
        keep(client, project_id, output)
        until(lambda: len(written(handoff)) == 6)
        monkeypatch.setattr(handoffs, "into_folder", killed)
        edit(client, project_id, lambda recipe: recipe["outputs"][0]["size"].update(width=20))
        until(lambda: not dies)
        edit(client, project_id, lambda recipe: recipe["outputs"][0]["size"].update(width=10))
        until(lambda: bench(client, project_id)["kept"][0]["problem"] is None)
        until(lambda: {Image.open(BytesIO(data)).width for data in written(handoff).values()} == {10})
