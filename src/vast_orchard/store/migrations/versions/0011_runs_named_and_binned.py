"""Runs have a name and a note and can lie in the bin; projects have a description and number their runs themselves."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("run", sa.Column("name", sa.String(80), server_default="", nullable=False))
    op.add_column("run", sa.Column("note", sa.String(), server_default="", nullable=False))
    op.add_column("run", sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("split", sa.Column("past_looks", sa.Integer(), server_default="0", nullable=False))
    op.add_column("job", sa.Column("options", JSONB(), server_default="{}", nullable=False))
    op.add_column("project", sa.Column("description", sa.String(), server_default="", nullable=False))
    op.add_column("project", sa.Column("last_run", sa.Integer(), server_default="0", nullable=False))
    op.execute(
        "update project set last_run = coalesce((select max(number) from run where run.project_id = project.id), 0)"
    )
