"""When files were last written tells an order that runs backwards"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    for table in ("frames", "import_files"):
        op.add_column(table, sa.Column("written", sa.Double(), nullable=True))
