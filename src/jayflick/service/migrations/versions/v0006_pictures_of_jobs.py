"""Jobs know the pictures they make: a change that makes the same ones lets them go on"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("jobs", sa.Column("pictures", sa.String(64), nullable=False, server_default=""))
