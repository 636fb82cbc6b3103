"""A run keeps the weights that it started from."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.add_column("run", sa.Column("start_path", sa.String(), nullable=True))
