"""A data folder of an older version goes on: its projects, their undo, and their outputs to the byte."""

import hashlib
import json
from base64 import b64decode
from pathlib import Path
from typing import Any

import pytest
import sqlalchemy as sa
from alembic import command

from jayflick.core.store import Store
from jayflick.service.mariadb import PrivateServer
from jayflick.service.migration import alembic_config
from tests.prepared import copy_empty
from tests.server import Server
from tests.service.conftest import FEW, bench, edit, finished

OLDER = json.loads((Path(__file__).parent / "older" / "0007.json").read_text())
"""The tables and stored files of a project that was edited five times and undone once, as version 0007 of the
tables held them, and the SHA-256 of each result's file as it was downloaded then."""


def _as_first_written(document: str) -> str:
    """A result's document in the form that the very first versions wrote."""
    now = json.loads(document)
    delays, costs = now.pop("delays"), now.pop("costs")
    for key in ("blends", "places", "dropped", "scale", "sources"):
        del now[key]
    now["info"]["frames"] = [
        {"index": index, "delay_ms": delay, "bytes": size}
        for index, (delay, size) in enumerate(zip(delays, costs, strict=True))
    ]
    return json.dumps(now)


@pytest.fixture
def older(tmp_path: Path) -> Path:
    """A data folder as that version left it."""
    data = copy_empty(tmp_path / "data")
    database = PrivateServer(data / "database")
    database.start()
    engine = sa.create_engine(database.url)
    with engine.begin() as connection:
        connection.execute(sa.text("SET foreign_key_checks = 0"))
        for name in sa.inspect(engine).get_table_names():
            connection.execute(sa.text(f"DROP TABLE `{name}`"))
    command.upgrade(alembic_config(database.url), "0007")
    with engine.begin() as connection:
        for table, rows in OLDER["tables"].items():
            for row in rows:
                values: dict[str, Any] = dict(row)
                if table == "results" and row["id"] == 1:
                    values["document"] = _as_first_written(row["document"])
                names = ", ".join(f"`{name}`" for name in values)
                marks = ", ".join(f":{name}" for name in values)
                connection.execute(sa.text(f"INSERT INTO {table} ({names}) VALUES ({marks})"), values)
    engine.dispose()
    database.stop()
    store = Store(data / "store")
    for sha256, content in OLDER["store"].items():
        assert store.put(b64decode(content)) == sha256
    return data


def test_every_result_undo_and_edit_goes_on(older: Path) -> None:
    server = Server(older, FEW).start("--no-demo")
    try:
        with server.client() as client:
            (card,) = client.get("/api/projects").json()
            project = card["id"]
            shown = bench(client, project)
            assert (shown["name"], len(shown["frame_list"]), shown["undo"]) == ("Wave", 6, "A change")
            for number, sha256 in OLDER["files"].items():
                data = client.get(f"/api/results/{number}/file").raise_for_status().content
                assert hashlib.sha256(data).hexdigest() == sha256
            output = shown["recipe"]["outputs"][0]
            assert output["target"]["figures"]["bytes"]["stop"]["most"] == 1 << 20  # it was a budget
            was = json.loads(OLDER["tables"]["results"][3]["document"])
            result = finished(client, project)
            for key in ("delays", "costs", "positions", "places", "durations"):
                assert result[key] == was[key]
            for number in ("3", "2", "1"):
                undone = client.post(f"/api/projects/{project}/undo").json()["results"][0]
                assert (str(undone["id"]), len(undone["costs"])) == (number, 6)
            assert undone["delays"] == json.loads(OLDER["tables"]["results"][0]["document"])["delays"]
            frames = len(list((older / "store").glob("??/*")))
            for _ in range(3):
                client.post(f"/api/projects/{project}/redo").raise_for_status()
            assert str(finished(client, project)["id"]) == "4"

            def slower(recipe: dict[str, Any]) -> None:
                recipe["rhythm"].update(rate="6")

            assert edit(client, project, slower).status_code == 200
            changed = finished(client, project)
            # Coded anew, as the key of pictures is another now, to the very same bytes.
            assert changed["info"]["duration_ms"] == 1000
            assert len(list((older / "store").glob("??/*"))) == frames
    finally:
        server.stop()
