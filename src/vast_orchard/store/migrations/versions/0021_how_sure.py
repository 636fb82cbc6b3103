"""What is known of how sure a judgement is, and a model's temperature and threshold."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0021"
down_revision = "0020"


def upgrade() -> None:
    op.add_column("judgement", sa.Column("sureness", postgresql.JSONB(), nullable=True))
    op.add_column("model", sa.Column("temperature", sa.Float(), nullable=True))
    op.add_column("model", sa.Column("unsure_below", postgresql.JSONB(), nullable=True))
    op.add_column("export", sa.Column("calibrated", sa.Boolean(), server_default="false", nullable=False))
