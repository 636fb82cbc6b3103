"""Tokens of those who ask models that are served."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0030"
down_revision = "0029"


def upgrade() -> None:
    op.create_table(
        "token",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(100), nullable=False),
        sa.Column("hash", sa.String(64), nullable=False),
        sa.Column("offers", JSONB()),
        sa.Column("per_minute", sa.Integer()),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True)),
        sa.Column("used_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("per_minute is null or per_minute > 0", name="ck_token_per_minute"),
        sa.PrimaryKeyConstraint("id", name="pk_token"),
        sa.UniqueConstraint("hash", name="uq_token_hash"),
    )
