"""Trials of outputs, and searches that make them"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT

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
        sa.Column("kind", sa.String(12), nullable=False),
        sa.Column("outputs", sa.JSON()),
        sa.Column("as_set", sa.JSON()),
        sa.Column("most", sa.BigInteger()),
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
            "project_id", sa.String(32), sa.ForeignKey("projects.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("output_id", sa.String(40), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("coded_key", sa.String(64), sa.ForeignKey("coded.key"), nullable=False, index=True),
        sa.Column("sources", sa.String(64), nullable=False),
        sa.Column("output", sa.JSON(), nullable=False),
        sa.Column("document", LONGTEXT(), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("error", sa.Double()),
        sa.Column("likeness", sa.JSON()),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("note", sa.String(400), nullable=False),
        sa.Column("created", DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("project_id", "output_id", "coded_key"),
        sa.Index("ix_trials_number", "project_id", "output_id", "number"),
    )
    op.create_table(
        "search_trials",
        sa.Column(
            "search_id", sa.BigInteger(), sa.ForeignKey("searches.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("place", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column(
            "trial_id",
            sa.BigInteger(),
            sa.ForeignKey("trials.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
    )
