"""Coded pictures stand in a table of their own, which results point at"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    connection = op.get_bind()
    op.create_table(
        "coded",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("document", LONGTEXT(), nullable=False),
        sa.Column("created", DATETIME(fsp=6), nullable=False, index=True),
    )
    op.create_table(
        "coded_files",
        sa.Column("coded_key", sa.String(64), sa.ForeignKey("coded.key", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("sha256", sa.String(64), nullable=False, index=True),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
    )
    op.add_column("results", sa.Column("coded_key", sa.String(64), nullable=True))
    known: set[str] = set()
    numbers = connection.execute(sa.text("SELECT id FROM results ORDER BY id")).scalars().all()
    for number in numbers:
        found = connection.execute(sa.text("SELECT * FROM results WHERE id = :id"), {"id": number})
        row = found.mappings().one()
        document = _with_delays(json.loads(row["document"]))
        # Pictures that are alike were kept in one file since their time is written when it is fetched; before
        # that each had a file of its own.
        key = row["pixels"]
        if key in known and not _same_file(connection, key, row["sha256"]):
            key = row["sha256"]
        if key not in known:
            known.add(key)
            _add_coded(connection, key, row, document)
        held = {"unit": "1/100", "units": [round(delay / 10) for delay in document["delays"]]}
        held["repeat"] = document["info"]["repeat"]
        document = {name: value for name, value in document.items() if name != "costs"}
        connection.execute(
            sa.text("UPDATE results SET coded_key = :key, document = :document WHERE id = :id"),
            {"key": key, "document": json.dumps({**document, "held": held}), "id": number},
        )
    op.drop_index("ix_results_pixels", "results")
    op.drop_index("ix_results_sha256", "results")
    op.drop_column("results", "pixels")
    op.drop_column("results", "sha256")
    op.alter_column("results", "coded_key", existing_type=sa.String(64), nullable=False)
    op.create_foreign_key("fk_results_coded", "results", "coded", ["coded_key"], ["key"])


def _same_file(connection: sa.Connection, key: str, sha256: str) -> bool:
    found = sa.text("SELECT 1 FROM coded_files WHERE coded_key = :key AND sha256 = :sha256")
    return connection.execute(found, {"key": key, "sha256": sha256}).first() is not None


def _add_coded(connection: sa.Connection, key: str, row: Any, document: dict[str, Any]) -> None:
    info = document["info"]
    size = info["bytes"]
    coded = {
        "key": key,
        "files": [{"sha256": row["sha256"], "size": size, "media_type": "image/gif"}],
        "info": {name: info[name] for name in ("width", "height", "colours", "transparent")},
        "costs": document["costs"],
        "at": list(range(len(document["delays"]))),
        "time": None,
    }
    connection.execute(
        sa.text("INSERT INTO coded VALUES (:key, :document, :created)"),
        {"key": key, "document": json.dumps(coded), "created": row["created"]},
    )
    connection.execute(
        sa.text("INSERT INTO coded_files VALUES (:key, 0, :sha256, :bytes)"),
        {"key": key, "sha256": row["sha256"], "bytes": size},
    )


def _with_delays(document: dict[str, Any]) -> dict[str, Any]:
    """A result's document as the first versions wrote it, in the form it has had since."""
    if "delays" in document:
        return document
    frames = document["info"].pop("frames")
    shots = document.pop("shots", [str(position) for position in document["positions"]])
    new = {
        "delays": [frame["delay_ms"] for frame in frames],
        "costs": [frame["bytes"] for frame in frames],
        "blends": {index: shot for index, shot in enumerate(shots) if "x" in shot},
    }
    # The first of them knew only whole frames in their own order.
    return {"places": document["positions"], "dropped": [], "scale": 1.0, **document, **new}
