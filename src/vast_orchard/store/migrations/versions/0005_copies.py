"""Fingerprints, groups of copies, and colours of classes that a person chose."""

import sqlalchemy as sa
from alembic import op

from vast_orchard.store.schema.collection import Cube

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.execute("create extension if not exists cube")
    op.create_table(
        "picture_print",
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("place", Cube(), nullable=False),
        sa.Column("compared", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name=op.f("fk_picture_print_picture_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("picture_id", name=op.f("pk_picture_print")),
    )
    op.add_column("picture", sa.Column("copy_group", sa.Integer(), nullable=True))
    op.add_column("picture", sa.Column("copy_exact", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("picture", "copy_exact", server_default=None)
    op.create_index(
        "ix_picture_copy_group",
        "picture",
        ["project_id", "copy_group"],
        postgresql_where=sa.text("copy_group is not null"),
    )
    for moment in ("before", "after"):
        op.add_column("action_change", sa.Column(f"copies_{moment}", sa.Integer(), nullable=True))
    op.add_column("class", sa.Column("colour", sa.SmallInteger(), nullable=True))
