"""When files were last written tells an order that runs backwards; clips wait until they are cut"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    for table in ("frames", "import_files"):
        op.add_column(table, sa.Column("written", sa.Double(), nullable=True))
    op.create_table(
        "import_clips",
        sa.Column(
            "import_id", sa.String(32), sa.ForeignKey("imports.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("sha256", sa.String(64), primary_key=True),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        mysql_engine="InnoDB",
    )
