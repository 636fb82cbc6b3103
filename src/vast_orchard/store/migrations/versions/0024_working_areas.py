"""Which part of a picture counts: areas, rules, a picture's own, and what a run was trained on."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0024"
down_revision = "0023"


def upgrade() -> None:
    project = "fk_{}_project_id_project"
    op.create_table(
        "working_area",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(32), nullable=False),
        sa.Column("value", JSONB(), nullable=False),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=project.format("working_area"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_working_area"),
        sa.UniqueConstraint("project_id", "digest", name="uq_working_area_project_id_digest"),
    )
    op.create_index("ix_working_area_project_id", "working_area", ["project_id"])
    op.create_table(
        "area_rules",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("rules", JSONB(), nullable=False),
        sa.Column("fresh_by", sa.String(10), nullable=False),
        sa.Column("fresh_id", sa.Integer()),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.CheckConstraint("fresh_by in ('rule', 'found', 'whole')", name="ck_area_rules_fresh_by"),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=project.format("area_rules"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["fresh_id"], ["working_area.id"], name="fk_area_rules_fresh_id_working_area"),
        sa.PrimaryKeyConstraint("id", name="pk_area_rules"),
        sa.UniqueConstraint("project_id", "number", name="uq_area_rules_project_id_number"),
    )
    op.create_index("ix_area_rules_project_id", "area_rules", ["project_id"])
    op.add_column("picture", sa.Column("area_id", sa.Integer()))
    op.create_foreign_key("fk_picture_area_id_working_area", "picture", "working_area", ["area_id"], ["id"])
    op.create_index("ix_picture_own_area", "picture", ["project_id"], postgresql_where=sa.text("area_id is not null"))
    op.add_column("snapshot_picture", sa.Column("area_id", sa.Integer()))
