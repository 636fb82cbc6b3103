"""Models on offer: named, in versions, one of each name in use."""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"


def upgrade() -> None:
    op.create_table(
        "offer",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("model_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(100), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(64)),
        sa.Column("purpose", sa.String(), server_default="", nullable=False),
        sa.Column("limits", sa.String(), server_default="", nullable=False),
        sa.Column("note", sa.String(), server_default="", nullable=False),
        sa.Column("state", sa.String(10), server_default="tried", nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("state in ('tried', 'in_use', 'put_away')", name="ck_offer_state"),
        sa.CheckConstraint("state <> 'in_use' or used_at is not null", name="ck_offer_used"),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name="fk_offer_project_id_project", ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name="fk_offer_model_id_model", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_offer"),
    )
    op.create_index("ix_offer_project_id", "offer", ["project_id"])
    op.create_index("ix_offer_model_id", "offer", ["model_id"])
    op.create_index("uq_offer_version", "offer", ["project_id", sa.text("lower(name)"), "version"], unique=True)
    op.create_index(
        "uq_offer_in_use",
        "offer",
        ["project_id", sa.text("lower(name)")],
        unique=True,
        postgresql_where=sa.text("state = 'in_use'"),
    )
