"""Where frames lie that were opened in place, and outputs that are kept written in the hand-off folder"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.add_column("import_files", sa.Column("folder", sa.Text()))
    op.add_column("import_files", sa.Column("path", sa.Text()))
    op.add_column("import_files", sa.Column("stamp", sa.JSON()))
    op.create_table(
        "sources",
        sa.Column(
            "project_id", sa.String(32), sa.ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("folder", sa.Text(), nullable=False),
        sa.Column("prefix", sa.String(255), nullable=False),
        sa.Column("patterns", sa.JSON(), nullable=False),
        sa.Column("follows", sa.Boolean(), nullable=False),
        sa.Column("seen", LONGTEXT(), nullable=False),
        sa.Column("arrived", DATETIME(fsp=6), nullable=False),
        sa.Column("pause", sa.Double(), nullable=False),
    )
    op.create_table(
        "kept_outputs",
        sa.Column(
            "project_id", sa.String(32), sa.ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("output_id", sa.String(40), primary_key=True),
        sa.Column("files", sa.JSON(), nullable=False),
        sa.Column("problem", sa.JSON()),
    )
