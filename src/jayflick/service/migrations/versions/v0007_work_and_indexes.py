"""Jobs know how much work they are, and results are found without looking at all of them"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("jobs", sa.Column("work", sa.BigInteger(), nullable=False, server_default="0"))
    op.create_index("ix_results_output", "results", ["project_id", "output_id", "id"])
    op.create_index("ix_results_pixels", "results", ["project_id", "pixels"])
    op.create_index("ix_results_sha256", "results", ["sha256"])
