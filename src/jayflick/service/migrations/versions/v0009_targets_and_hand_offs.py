"""Targets of one's own, what was handed off, and which of a project's jobs comes first"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.create_table(
        "targets",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("created", DATETIME(fsp=6), nullable=False),
    )
    op.create_table(
        "handoffs",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column(
            "project_id", sa.String(32), sa.ForeignKey("projects.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("output_id", sa.String(40), nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("file_name", sa.String(120), nullable=False),
        sa.Column("place", sa.String(12), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("created", DATETIME(fsp=6), nullable=False),
        sa.Index("ix_handoffs_output", "project_id", "output_id", "id"),
    )
    op.add_column("jobs", sa.Column("place", sa.Integer(), nullable=False, server_default="0"))
