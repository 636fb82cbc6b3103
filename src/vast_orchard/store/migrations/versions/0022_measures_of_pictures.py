"""Contrast and sharpness of judged pictures."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"


def upgrade() -> None:
    op.create_table(
        "picture_measure",
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("contrast", sa.REAL(), nullable=False),
        sa.Column("sharpness", sa.REAL(), nullable=False),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name="fk_picture_measure_picture_id_picture", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("picture_id", name="pk_picture_measure"),
    )
