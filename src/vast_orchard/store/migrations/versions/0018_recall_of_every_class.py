"""Epochs keep the recall of each class on validation."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    op.add_column("epoch", sa.Column("recalls", postgresql.JSONB(), server_default="[]", nullable=False))
