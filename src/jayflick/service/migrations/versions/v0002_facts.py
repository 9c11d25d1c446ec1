"""What is known of a picture is kept with it, and how long a frame taken out of a file was shown"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.execute("DELETE FROM import_files")  # of imports that no one can finish any more
    op.execute("DELETE FROM imports")
    op.add_column("pictures", sa.Column("facts", sa.JSON(), nullable=True))
    op.drop_column("import_files", "header")
    op.add_column("import_files", sa.Column("duration", sa.BigInteger(), nullable=True))
    op.add_column("import_files", sa.Column("repeat", sa.Integer(), nullable=True))
