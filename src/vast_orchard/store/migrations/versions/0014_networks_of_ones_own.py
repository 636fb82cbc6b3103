"""Networks are kept by name, and a run says which of them it used."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.drop_constraint(op.f("ck_ingredient_kind"), "ingredient")
    op.create_check_constraint(
        op.f("ck_ingredient_kind"), "ingredient", "kind in ('variation', 'preprocessing', 'network')"
    )
    op.add_column("run", sa.Column("network_id", sa.Integer(), nullable=True))
    op.create_foreign_key(
        op.f("fk_run_network_id_ingredient"), "run", "ingredient", ["network_id"], ["id"], ondelete="SET NULL"
    )
