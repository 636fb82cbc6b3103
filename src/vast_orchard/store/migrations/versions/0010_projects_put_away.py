"""Projects can be put away: they stand apart in the list, and stay as they are."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.add_column("project", sa.Column("archived_at", sa.DateTime(timezone=True), nullable=True))
