"""Runs that wait have a place in the queue and can be held; work can be asked to wait again."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    op.add_column("run", sa.Column("queue_place", sa.Float(), nullable=True))
    op.add_column("run", sa.Column("held", sa.Boolean(), server_default="false", nullable=False))
    op.add_column("job", sa.Column("pause_asked", sa.Boolean(), server_default="false", nullable=False))
