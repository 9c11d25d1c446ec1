"""The tables"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "imports",
        sa.Column("id", sa.String(length=32), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "pictures",
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(length=40), nullable=False),
        sa.Column("transparent", sa.Boolean(), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("sha256"),
    )
    op.create_table(
        "projects",
        sa.Column("id", sa.String(length=32), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("changed", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("removed", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("revision_id", sa.BigInteger(), nullable=True),
        sa.Column("tip_id", sa.BigInteger(), nullable=True),
        sa.Column("report", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_projects_changed"), "projects", ["changed"], unique=False)
    op.create_table(
        "frames",
        sa.Column("project_id", sa.String(length=32), nullable=False),
        sa.Column("position", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=True),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.ForeignKeyConstraint(["project_id"], ["projects.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(
            ["sha256"],
            ["pictures.sha256"],
        ),
        sa.PrimaryKeyConstraint("project_id", "position"),
    )
    op.create_table(
        "import_files",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("import_id", sa.String(length=32), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("name_key", sa.String(length=64), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=True),
        sa.Column("header", sa.JSON(), nullable=True),
        sa.Column("message", sa.Text(), nullable=False),
        sa.Column("remedy", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["import_id"], ["imports.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(
            ["sha256"],
            ["pictures.sha256"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("import_id", "name_key"),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("project_id", sa.String(length=32), nullable=False),
        sa.Column("parent_id", sa.BigInteger(), nullable=True),
        sa.Column("label", sa.String(length=120), nullable=False),
        sa.Column("gesture", sa.String(length=40), nullable=False),
        sa.Column("recipe", sa.JSON(), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["project_id"], ["projects.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_revisions_parent_id"), "revisions", ["parent_id"], unique=False)
    op.create_table(
        "jobs",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("project_id", sa.String(length=32), nullable=False),
        sa.Column("revision_id", sa.BigInteger(), nullable=False),
        sa.Column("output_id", sa.String(length=40), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("stage", sa.String(length=20), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("error", sa.JSON(), nullable=True),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("ended", mysql.DATETIME(fsp=6), nullable=True),
        sa.ForeignKeyConstraint(["project_id"], ["projects.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["revision_id"], ["revisions.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_jobs_output", "jobs", ["project_id", "output_id"], unique=False)
    op.create_index("ix_jobs_state", "jobs", ["state", "id"], unique=False)
    op.create_table(
        "results",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("project_id", sa.String(length=32), nullable=False),
        sa.Column("revision_id", sa.BigInteger(), nullable=False),
        sa.Column("output_id", sa.String(length=40), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("pixels", sa.String(length=64), nullable=False),
        sa.Column("document", mysql.LONGTEXT(), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["project_id"], ["projects.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["revision_id"], ["revisions.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("revision_id", "output_id"),
    )


def downgrade() -> None:
    op.drop_table("results")
    op.drop_index("ix_jobs_state", table_name="jobs")
    op.drop_index("ix_jobs_output", table_name="jobs")
    op.drop_table("jobs")
    op.drop_index(op.f("ix_revisions_parent_id"), table_name="revisions")
    op.drop_table("revisions")
    op.drop_table("import_files")
    op.drop_table("frames")
    op.drop_index(op.f("ix_projects_changed"), table_name="projects")
    op.drop_table("projects")
    op.drop_table("pictures")
    op.drop_table("imports")
