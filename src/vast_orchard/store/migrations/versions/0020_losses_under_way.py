"""A training under way tells the losses of the epoch's steps so far."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    op.add_column("job", sa.Column("line", postgresql.JSONB(), server_default="[]", nullable=False))
