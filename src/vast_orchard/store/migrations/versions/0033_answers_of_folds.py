"""The answers of all folds of a plan, kept as a model that has no weights of its own."""

from alembic import op

revision = "0033"
down_revision = "0032"


def upgrade() -> None:
    op.drop_constraint(op.f("ck_run_ended_by"), "run")
    op.create_check_constraint(
        op.f("ck_run_ended_by"),
        "run",
        "ended_by in ('epochs', 'stopped', 'condition', 'failed', 'brought', 'combined', 'pooled')",
    )
    op.alter_column("model", "path", nullable=True)
