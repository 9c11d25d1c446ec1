"""What was asked for of many projects at once"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.create_table(
        "batches",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("action", LONGTEXT(), nullable=False),
        sa.Column("undoes", sa.BigInteger()),
        sa.Column("created", DATETIME(fsp=6), nullable=False),
    )
    op.create_table(
        "batch_items",
        sa.Column(
            "batch_id", sa.BigInteger(), sa.ForeignKey("batches.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("place", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column(
            "project_id", sa.String(32), sa.ForeignKey("projects.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("output_id", sa.String(40), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("waits_for", sa.String(40), nullable=False),
        sa.Column("before", sa.BigInteger()),
        sa.Column("after", sa.BigInteger()),
        sa.Column("notes", sa.JSON(), nullable=False),
        sa.Column("error", sa.JSON()),
    )
    op.create_index("ix_batch_items_state", "batch_items", ["state", "batch_id", "place"])
