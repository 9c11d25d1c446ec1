"""Searches for a budget, and what they tried"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.create_table(
        "searches",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column(
            "project_id", sa.String(32), sa.ForeignKey("projects.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column(
            "revision_id", sa.BigInteger(), sa.ForeignKey("revisions.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("output_id", sa.String(40), nullable=False),
        sa.Column("most", sa.BigInteger(), nullable=False),
        sa.Column("may", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("error", sa.JSON()),
        sa.Column("created", DATETIME(fsp=6), nullable=False),
        sa.Column("ended", DATETIME(fsp=6)),
        sa.Index("ix_searches_state", "state", "id"),
        sa.Index("ix_searches_output", "project_id", "output_id", "id"),
    )
    op.create_table(
        "trials",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column(
            "search_id", sa.BigInteger(), sa.ForeignKey("searches.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("output", sa.JSON(), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("error", sa.Double(), nullable=False),
        sa.Column("likeness", sa.JSON(), nullable=False),
    )
