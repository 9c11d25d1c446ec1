"""Prints one OpenAPI document of all stand-ins, from which the types of their pages are made."""

import json
import tempfile
from pathlib import Path
from typing import Any

from .device import create_app
from .kinds import KINDS


def document() -> str:
    """The document as it is kept in ``web/standins.json``: the routes that all have, and each one's own."""
    merged: dict[str, Any] = {}
    with tempfile.TemporaryDirectory() as folder:
        for kind, device in KINDS.items():
            one = create_app(device(Path(folder) / kind), Path(folder)).openapi()
            if not merged:
                merged = one
            merged["paths"] |= one["paths"]
            merged["components"]["schemas"] |= one["components"]["schemas"]
    merged["info"]["title"] = "Stand-ins of the Saltmarsh Ferry"
    return json.dumps(merged, indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    print(document(), end="")
