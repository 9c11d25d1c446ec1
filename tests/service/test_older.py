"""A data folder of any older version goes on: its projects, their undo, and their outputs to the byte."""

import hashlib
import json
from base64 import b64decode
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
import sqlalchemy as sa
from alembic import command

from jayflick.core.sequence.pieces import Enclosed, Piece, pieces
from jayflick.core.store import Store
from jayflick.service.mariadb import PrivateServer
from jayflick.service.migration import alembic_config, migrate
from jayflick.service.settings import Settings
from tests.prepared import copy_empty
from tests.service.conftest import bench, bring, edit, finished, serving

OLDER = Path(__file__).parent / "older"
"""For each version of the tables that was ever in use, what the program of that time left of one project: four
frames, five changes, one of them undone. Its tables, its store, the SHA-256 of each result's file as it was
downloaded then, and, from 0003 on, the project as a file (without the schema in it, which nobody reads)."""
VERSIONS = sorted(file.stem for file in OLDER.glob("*.json"))
CHANGES = 5


def left_by(version: str) -> dict[str, Any]:
    document: dict[str, Any] = json.loads((OLDER / f"{version}.json").read_text())
    return document


@pytest.fixture(scope="module")
def own_database(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivateServer]:
    server = PrivateServer(copy_empty(tmp_path_factory.mktemp("older")) / "database")
    server.start()
    yield server
    server.stop()


def put_back(document: dict[str, Any], version: str, url: str, data: Path) -> None:
    """The tables of a version, and what it had in them and in its store."""
    engine = sa.create_engine(url)
    with engine.begin() as connection:
        connection.execute(sa.text("SET foreign_key_checks = 0"))
        for name in sa.inspect(engine).get_table_names():
            connection.execute(sa.text(f"DROP TABLE `{name}`"))
    command.upgrade(alembic_config(url), version)
    with engine.begin() as connection:
        connection.execute(sa.text("SET foreign_key_checks = 0"))
        for table, rows in document["tables"].items():
            for row in rows:
                names = ", ".join(f"`{name}`" for name in row)
                marks = ", ".join(f":{name}" for name in row)
                connection.execute(sa.text(f"INSERT INTO {table} ({names}) VALUES ({marks})"), row)
    engine.dispose()
    store = Store(data / "store")
    for sha256, content in document["store"].items():
        assert store.put(b64decode(content)) == sha256


def test_every_version_there_was_is_here() -> None:
    """0008 was never in use: 0009 came with it."""
    known = {
        file.name[1:5]
        for file in Path(alembic_config("").get_main_option("script_location") or "").glob("versions/v*.py")
    }
    assert set(VERSIONS) == known - {"0008"}


@pytest.mark.parametrize("version", VERSIONS)
def test_every_result_and_every_change_is_there(
    own_database: PrivateServer, tmp_path: Path, version: str
) -> None:
    document = left_by(version)
    put_back(document, version, own_database.url, tmp_path)
    migrate(own_database.url)
    settings = Settings(data=tmp_path, database=own_database.url)
    with serving(settings, idle=True) as (client, _):  # nothing is made anew
        assert_all_is_there(client, document, version)


def assert_all_is_there(client: httpx.Client, document: dict[str, Any], version: str) -> None:
    (card,) = client.get("/api/projects").json()
    project = card["id"]
    shown = bench(client, project)
    assert [frame["name"] for frame in shown["frame_list"]] == [f"gull_{n}.png" for n in range(1, 5)]
    assert (shown["undo"], shown["redo"]) == ("Change 4", "Change 5")
    assert shown["results"][0]["info"]["count"] == 4
    for number, sha256 in document["files"].items():
        data = client.get(f"/api/results/{number}/file").raise_for_status().content
        assert hashlib.sha256(data).hexdigest() == sha256
    if version < "0009":
        figures = shown["recipe"]["outputs"][0]["target"]["figures"]
        assert figures["bytes"]["stop"]["most"] == 1 << 20  # it was a budget
    for number in range(CHANGES - 1, 0, -1):
        undone = client.post(f"/api/projects/{project}/undo").raise_for_status().json()
        assert undone["redo"] == f"Change {number}"
        assert undone["results"][0]["revision_id"] == undone["revision"]["id"]
        assert len(undone["results"][0]["costs"]) == 4
    assert undone["undo"] is None
    for _ in range(CHANGES - 1):
        again = client.post(f"/api/projects/{project}/redo").raise_for_status().json()
    assert (again["recipe"], again["results"]) == (shown["recipe"], shown["results"])


@pytest.mark.parametrize("version", [VERSIONS[0], "0007", VERSIONS[-1]])
def test_edits_go_on(own_database: PrivateServer, tmp_path: Path, version: str) -> None:
    document = left_by(version)
    put_back(document, version, own_database.url, tmp_path)
    migrate(own_database.url)
    with serving(Settings(data=tmp_path, database=own_database.url, workers=1, decoders=1)) as (client, _):
        (card,) = client.get("/api/projects").json()
        project, recipe = card["id"], bench(client, card["id"])["recipe"]
        files = len(list((tmp_path / "store").glob("??/*")))
        assert finished(client, project)["delays"][2] == 1000
        # Pictures have another key by now, and another palette: coded anew they are one file more, but once;
        # where there is a trial of them they are there.
        coded = files + ("trials" not in document["tables"])
        for rate, delays in (("6", [160, 170]), ("8", [120, 130])):  # hundredths

            def change(recipe: dict[str, Any], rate: str = rate) -> None:
                recipe["rhythm"].update(rate=rate)

            edit(client, project, change).raise_for_status()
            assert finished(client, project)["delays"][:2] == delays
            assert len(list((tmp_path / "store").glob("??/*"))) == coded
        if (packed := document.get("archive")) is not None:
            made = bring(client, [("gull.zip", b64decode(packed))])["projects"][0]
            assert bench(client, made["id"])["recipe"] == recipe
            assert finished(client, made["id"])["info"]["count"] == 4


@pytest.mark.parametrize("version", [version for version in VERSIONS if version >= "0003"])
def test_a_project_file_of_any_version_is_read(version: str) -> None:
    came = list(pieces(b64decode(left_by(version)["archive"]), "gull.zip"))
    (enclosed,) = (one for one in came if isinstance(one, Enclosed))
    assert len(enclosed.project.frames) == len([one for one in came if isinstance(one, Piece)]) == 4
