"""What is wrong with pictures: more measures of each, what was found, and what was dismissed for good."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0034"
down_revision = "0033"


def upgrade() -> None:
    op.add_column("picture", sa.Column("dismissed", sa.Integer(), server_default="0", nullable=False))
    for name in ("light", "span", "blur", "noise", "cut", "frame"):
        op.add_column("picture_measure", sa.Column(name, sa.REAL(), nullable=True))
    op.create_table(
        "finding",
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("weight", sa.REAL(), nullable=False),
        sa.Column("class_id", sa.Integer(), nullable=True),
        sa.Column("proposal", sa.Integer(), nullable=True),
        sa.Column("p_label", sa.REAL(), nullable=True),
        sa.Column("p_proposal", sa.REAL(), nullable=True),
        sa.PrimaryKeyConstraint("picture_id", "kind", name=op.f("pk_finding")),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name=op.f("fk_finding_picture_id_picture"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_finding_project_id_project"), ondelete="CASCADE"
        ),
    )
    op.create_index("ix_finding_project_id_kind", "finding", ["project_id", "kind"])
    op.create_table(
        "finding_report",
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("looked_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("report", postgresql.JSONB(), nullable=False),
        sa.Column("dismissed", postgresql.JSONB(), server_default="[]", nullable=False),
        sa.PrimaryKeyConstraint("project_id", name=op.f("pk_finding_report")),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_finding_report_project_id_project"), ondelete="CASCADE"
        ),
    )
