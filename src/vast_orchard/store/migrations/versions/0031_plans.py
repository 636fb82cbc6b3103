"""Plans: what a group of runs asks, how far it is, and what was found; runs that rest, and that repeat another."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0031"
down_revision = "0030"


def upgrade() -> None:
    op.add_column("run_group", sa.Column("plan", JSONB(), server_default="{}", nullable=False))
    op.add_column("run_group", sa.Column("state", sa.String(10), server_default="ended", nullable=False))
    op.add_column("run_group", sa.Column("ended_by", sa.String(10)))
    op.add_column("run_group", sa.Column("ending", JSONB()))
    op.add_column("run_group", sa.Column("ended_at", sa.DateTime(timezone=True)))
    op.add_column("run_group", sa.Column("found", JSONB()))
    op.add_column("run_group", sa.Column("snapshot_id", sa.Integer()))
    op.add_column("run_group", sa.Column("split_id", sa.Integer()))
    op.create_foreign_key(
        "fk_run_group_snapshot_id_snapshot", "run_group", "snapshot", ["snapshot_id"], ["id"], ondelete="SET NULL"
    )
    op.create_foreign_key(
        "fk_run_group_split_id_split", "run_group", "split", ["split_id"], ["id"], ondelete="SET NULL"
    )
    op.create_index("ix_run_group_snapshot_id", "run_group", ["snapshot_id"])
    op.create_check_constraint(op.f("ck_run_group_state"), "run_group", "state in ('running', 'paused', 'ended')")
    op.create_check_constraint(op.f("ck_run_group_ended_by"), "run_group", "ended_by in ('done', 'stopped', 'failed')")

    op.add_column("run", sa.Column("trial", sa.Integer()))
    op.add_column("run", sa.Column("varied", JSONB()))
    op.add_column("run", sa.Column("until_epoch", sa.Integer()))
    op.add_column("run", sa.Column("repeats", JSONB()))
    op.add_column("run", sa.Column("listed", sa.Boolean(), server_default="false", nullable=False))
    op.drop_constraint(op.f("ck_run_state"), "run")
    op.create_check_constraint(op.f("ck_run_state"), "run", "state in ('waiting', 'training', 'resting', 'ended')")
    op.create_index(
        "uq_run_trial", "run", ["group_id", "trial"], unique=True, postgresql_where=sa.text("trial is not null")
    )
    op.drop_index("ix_run_ledger", "run")
    op.create_index(
        "ix_run_ledger",
        "run",
        ["project_id", sa.text("number DESC")],
        postgresql_where=sa.text("group_id is null or listed"),
    )
