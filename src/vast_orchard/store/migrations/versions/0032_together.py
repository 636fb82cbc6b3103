"""Models that answer together."""

from alembic import op

revision = "0032"
down_revision = "0031"


def upgrade() -> None:
    op.drop_constraint(op.f("ck_run_ended_by"), "run")
    op.create_check_constraint(
        op.f("ck_run_ended_by"),
        "run",
        "ended_by in ('epochs', 'stopped', 'condition', 'failed', 'brought', 'combined')",
    )
