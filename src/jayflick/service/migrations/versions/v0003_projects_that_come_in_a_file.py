"""An import may bring a whole project"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGTEXT

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("imports", sa.Column("project", LONGTEXT(), nullable=True))
