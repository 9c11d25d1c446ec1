"""The API's document, its guards, and the tables against the models."""

import json
import re
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType

import httpx
import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from PIL import Image

from jayflick.service import openapi
from jayflick.service.database import make_engine
from jayflick.service.mariadb import PrivateServer
from jayflick.service.migration import migrate
from jayflick.service.models import Base
from jayflick.standins import openapi as standins_openapi
from tests.conftest import moving_square, save_frames
from tests.service.conftest import project_of

ROOT = Path(__file__).parents[2]


def operations() -> Iterator[tuple[str, dict]]:  # type: ignore[type-arg]
    for address, methods in json.loads(openapi.document())["paths"].items():
        for method, operation in methods.items():
            yield f"{method.upper()} {address}", operation


@pytest.mark.parametrize(
    ("module", "file"), [(openapi, "web/openapi.json"), (standins_openapi, "web/standins.json")]
)
def test_the_web_client_is_built_from_the_current_documents(module: ModuleType, file: str) -> None:
    assert (ROOT / file).read_text() == module.document(), (
        f"run: .venv/bin/python -m {module.__name__} > {file}"
    )


def test_every_operation_is_named_described_and_says_how_it_fails() -> None:
    seen = set()
    for name, operation in operations():
        assert operation["operationId"] not in seen, name
        seen.add(operation["operationId"])
        assert len(operation["description"]) > 15, name
        assert operation["tags"], name
        for status in ("403", "404", "405", "422", "503", "507"):
            schema = operation["responses"][status]["content"]["application/json"]["schema"]
            assert schema == {"$ref": "#/components/schemas/Problem"}, name
        for parameter in operation.get("parameters", []):
            assert len(parameter["description"]) > 5, (name, parameter["name"])
    assert len(seen) > 15


def test_the_document_is_where_it_is_looked_for(client: httpx.Client) -> None:
    found = client.get("/openapi.json", follow_redirects=True).raise_for_status()
    assert found.json() == json.loads(openapi.document())


def test_what_is_no_json_is_answered_in_plain_words(client: httpx.Client) -> None:
    """By RFC 9110, 15.5: a refusal is the client's to mend, so it says where."""
    project = project_of(client)
    for body, words in ((b'{"recipe": ', "the body is not JSON"), (b"\xff\xfe", "the body is not JSON")):
        answer = client.put(
            f"/api/projects/{project}/recipe", content=body, headers={"content-type": "application/json"}
        )
        assert (answer.status_code, words in answer.json()["message"]) == (422, True), answer.text
    assert client.put("/api/health").json()["message"] == "this address does not take PUT"


def test_the_worked_example_works(
    client: httpx.Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    (example,) = re.findall(r"```python\n(.*?)```", (ROOT / "docs/http.md").read_text(), re.DOTALL)
    save_frames(tmp_path / "frames", moving_square(4), "lamp_{}.png")
    monkeypatch.chdir(tmp_path)
    exec(example.replace("http://127.0.0.1:8300", str(client.base_url).rstrip("/")), {})
    assert capsys.readouterr().out == f"{(tmp_path / 'loop.gif').stat().st_size} bytes\n"
    with Image.open(tmp_path / "loop.gif") as loop:
        assert (getattr(loop, "n_frames", 1), loop.info["duration"]) == (4, 80)


def test_every_field_that_is_not_plain_is_explained_by_words_or_example() -> None:
    schemas = json.loads(openapi.document())["components"]["schemas"]
    assert schemas["Problem"]["properties"]["message"]["examples"]
    recipe = schemas["Tuning-Input"]["properties"]
    assert (recipe["colours"]["minimum"], recipe["colours"]["maximum"]) == (2, 256)


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 201),
        ({"host": "localhost"}, 201),
        ({"origin": "HERE"}, 201),
        ({"host": "evil.example"}, 403),
        ({"host": "127.0.0.1.evil.example"}, 403),
        ({"origin": "https://evil.example"}, 403),
        ({"origin": "null"}, 403),
        ({"sec-fetch-site": "cross-site"}, 403),
    ],
)
def test_only_our_own_pages_may_ask(client: httpx.Client, headers: dict[str, str], status: int) -> None:
    here = str(client.base_url).rstrip("/")
    sent = {name: here if value == "HERE" else value for name, value in headers.items()}
    assert client.post("/api/imports", headers=sent).status_code == status


def test_pages_are_confined_to_this_server(client: httpx.Client) -> None:
    for address in ("/", "/api/health", "/project/whatever", "/api/nothing"):
        answer = client.get(address)
        policy = answer.headers["content-security-policy"]
        assert "default-src 'none'" in policy
        assert "unsafe" not in policy
        # Only the stand-ins' pages may stand in a frame, and these are on this machine.
        assert "http" not in policy.replace("frame-src http://127.0.0.1:*;", "")
        assert answer.headers["x-content-type-options"] == "nosniff"
    assert client.get("/../../etc/passwd").headers["content-type"].startswith(("text/html", "application/json"))
    assert client.get("/api/nothing").json()["message"] == "there is nothing at this address"


def test_the_server_listens_on_loopback_only(server) -> None:  # type: ignore[no-untyped-def]
    port = f"{int(server.base.rsplit(':', 1)[1]):04X}"
    listening = [line.split() for line in Path("/proc/net/tcp").read_text().splitlines()[1:]]
    addresses = {row[1].split(":")[0] for row in listening if row[1].endswith(f":{port}") and row[3] == "0A"}
    assert addresses == {"0100007F"}


def test_the_migrations_make_the_tables_that_the_models_describe(tmp_path: Path) -> None:
    database = PrivateServer(tmp_path)
    database.start()
    try:
        migrate(database.url)
        migrate(database.url)  # again is harmless
        engine = make_engine(database.url)
        with engine.connect() as connection:
            context = MigrationContext.configure(connection, opts={"compare_type": True})
            assert compare_metadata(context, Base.metadata) == []
        engine.dispose()
    finally:
        database.stop()
