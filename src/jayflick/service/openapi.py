"""Prints the API's OpenAPI document, from which the web client's types are made."""

import json
import tempfile
from pathlib import Path

from .app import create_app
from .settings import Settings


def document() -> str:
    """The document as it is kept in ``web/openapi.json``; needs no database."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Settings(data=Path(folder), database="mysql+pymysql://nobody@127.0.0.1/none"))
        return json.dumps(app.openapi(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    print(document(), end="")
