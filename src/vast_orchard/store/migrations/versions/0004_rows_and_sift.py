"""Small tiles, brightness, and the flags excluded and unsure."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    for flag in ("excluded", "unsure"):
        op.add_column("picture", sa.Column(flag, sa.Boolean(), nullable=False, server_default=sa.false()))
        op.alter_column("picture", flag, server_default=None)
        for moment in ("before", "after"):
            op.add_column("action_change", sa.Column(f"{flag}_{moment}", sa.Boolean(), nullable=True))
    folded = sa.Column("folded_name", sa.String(), sa.Computed("lower(name)", persisted=True), nullable=False)
    op.add_column("picture", folded)
    op.add_column("picture", sa.Column("brightness", sa.REAL(), nullable=True))
    op.create_table(
        "picture_tile",
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("pixels", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name=op.f("fk_picture_tile_picture_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("picture_id", name=op.f("pk_picture_tile")),
    )
