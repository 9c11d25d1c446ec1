"""What was sent to devices and hosts, and what they answered"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.create_table(
        "deliveries",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column(
            "project_id", sa.String(32), sa.ForeignKey("projects.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("output_id", sa.String(40), nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("place", sa.String(40), nullable=False),
        sa.Column("address", sa.String(200), nullable=False),
        sa.Column("memory", sa.Integer()),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("answer", sa.JSON()),
        sa.Column("created", DATETIME(fsp=6), nullable=False),
        sa.Column("ended", DATETIME(fsp=6)),
        sa.Index("ix_deliveries_output", "project_id", "output_id"),
    )
