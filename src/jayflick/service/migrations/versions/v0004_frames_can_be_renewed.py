"""A project may have several sets of frames, one after the other; each revision says which is its own"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "frame_sets",
        sa.Column(
            "project_id", sa.String(32), sa.ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("number", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("report", sa.JSON(), nullable=False),
        mysql_engine="InnoDB",
    )
    op.execute("INSERT INTO frame_sets (project_id, number, report) SELECT id, 1, report FROM projects")
    op.drop_column("projects", "report")
    op.execute(
        "ALTER TABLE frames ADD COLUMN frame_set INTEGER NOT NULL DEFAULT 1, "
        "DROP PRIMARY KEY, ADD PRIMARY KEY (project_id, frame_set, position)"
    )
    op.add_column("revisions", sa.Column("frame_set", sa.Integer(), nullable=False, server_default="1"))
