"""Variations and preprocessings by name, named splits that can be changed by hand, and the sets in the history."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "ingredient",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("name", sa.String(100), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("value", JSONB(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("kind in ('variation', 'preprocessing')", name=op.f("ck_ingredient_kind")),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_ingredient_project_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_ingredient")),
    )
    op.create_index(op.f("ix_ingredient_project_id"), "ingredient", ["project_id"])
    op.create_index(
        "uq_ingredient_version", "ingredient", ["project_id", "kind", sa.text("lower(name)"), "version"], unique=True
    )
    for kind in ("variation", "preprocessing"):
        op.add_column("run", sa.Column(f"{kind}_id", sa.Integer(), nullable=True))
        op.create_foreign_key(
            op.f(f"fk_run_{kind}_id"), "run", "ingredient", [f"{kind}_id"], ["id"], ondelete="SET NULL"
        )
    op.add_column("split", sa.Column("name", sa.String(100), nullable=False, server_default="Split"))
    op.execute("update split set name = 'Split ' || number")
    for column in (
        sa.Column("version", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("revision", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("rule", JSONB(), nullable=False, server_default="{}"),
        sa.Column("fit", JSONB(), nullable=False, server_default="[]"),
    ):
        op.add_column("split", column)
    for moment in ("before", "after"):
        op.add_column("action_change", sa.Column(f"set_{moment}", sa.String(10), nullable=True))
