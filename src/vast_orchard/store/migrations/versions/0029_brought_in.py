"""A run may be a model that was brought in as a file."""

from alembic import op

revision = "0029"
down_revision = "0028"


def upgrade() -> None:
    name = op.f("ck_run_ended_by")
    op.drop_constraint(name, "run", type_="check")
    op.create_check_constraint(name, "run", "ended_by in ('epochs', 'stopped', 'condition', 'failed', 'brought')")
