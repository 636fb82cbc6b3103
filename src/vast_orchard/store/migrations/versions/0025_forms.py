"""A model is handed over in several forms."""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"


def upgrade() -> None:
    op.add_column("export", sa.Column("form", sa.String(10), server_default="pack", nullable=False))
    op.create_check_constraint(op.f("ck_export_form"), "export", "form in ('pack', 'graph', 'small', 'weights')")
