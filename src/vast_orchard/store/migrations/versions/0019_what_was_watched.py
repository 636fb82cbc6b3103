"""Epochs keep what was watched: the losses of steps, figures of layers, answers on validation."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0019"
down_revision = "0018"


def upgrade() -> None:
    op.add_column("epoch", sa.Column("watched", postgresql.JSONB(), server_default="{}", nullable=False))
