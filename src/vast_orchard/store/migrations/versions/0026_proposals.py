"""How much an unlabelled picture is worth labelling first."""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"


def upgrade() -> None:
    op.add_column("prediction", sa.Column("worth", sa.REAL()))
