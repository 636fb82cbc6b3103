"""Reading plans, the bin, notes, groups, and what is taken out."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("project", sa.Column("purged", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("project", "purged", server_default=None)

    op.add_column("import", sa.Column("source_kind", sa.String(length=10), nullable=False, server_default="upload"))
    # What was brought in before there were plans has ended.
    op.add_column("import", sa.Column("state", sa.String(length=10), nullable=False, server_default="done"))
    op.add_column("import", sa.Column("window", sa.String(length=64), nullable=False, server_default=""))
    op.alter_column("import", "window", server_default=None)
    op.alter_column("import", "source_kind", server_default=None)
    op.alter_column("import", "state", server_default=None)
    op.add_column("import", sa.Column("survey", postgresql.JSONB(astext_type=sa.Text()), nullable=True))
    op.add_column("import", sa.Column("choice", postgresql.JSONB(astext_type=sa.Text()), nullable=True))
    op.add_column("import", sa.Column("undone_at", sa.DateTime(timezone=True), nullable=True))
    op.create_check_constraint(op.f("ck_import_source_kind"), "import", "source_kind in ('upload', 'folder', 'bucket')")
    op.create_check_constraint(
        op.f("ck_import_state"), "import", "state in ('reading', 'planned', 'importing', 'done')"
    )

    op.add_column("picture", sa.Column("thumbnail_bytes", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("picture", sa.Column("note", sa.String(), nullable=False, server_default=""))
    op.alter_column("picture", "thumbnail_bytes", server_default=None)
    op.alter_column("picture", "note", server_default=None)
    op.add_column("picture", sa.Column("import_id", sa.Integer(), nullable=True))
    op.add_column("picture", sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True))
    op.create_foreign_key(op.f("fk_picture_import_id"), "picture", "import", ["import_id"], ["id"], ondelete="SET NULL")
    op.create_index(op.f("ix_picture_import_id"), "picture", ["import_id"])

    op.add_column("appearance", sa.Column("group_key", sa.String(), nullable=True))
    for name, kind in (("note", sa.String()), ("binned", sa.Boolean())):
        op.add_column("action_change", sa.Column(f"{name}_before", kind, nullable=True))
        op.add_column("action_change", sa.Column(f"{name}_after", kind, nullable=True))
    op.alter_column("job", "project_id", nullable=True)

    op.create_table(
        "parcel",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=10), nullable=False),
        sa.Column("options", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=True),
        sa.Column("pictures", sa.Integer(), nullable=True),
        sa.CheckConstraint("kind in ('collection', 'project')", name=op.f("ck_parcel_kind")),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_parcel_project_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_parcel")),
    )
    op.create_index(op.f("ix_parcel_project_id"), "parcel", ["project_id"])
