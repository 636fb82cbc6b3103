"""Uploads are named by ids of ours only, and jobs tell when their work gave its last sign of life."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    # What is no id of ours was never an upload; of two imports of one upload the newest has its files.
    op.execute("update import set location = '' where source_kind = 'upload' and location !~ '^([0-9a-f]{16})?$'")
    op.execute(
        "update import i set location = '' where i.source_kind = 'upload' and i.location <> ''"
        " and exists (select 1 from import o where o.location = i.location and o.source_kind = 'upload'"
        " and o.id > i.id)"
    )
    op.create_check_constraint(
        op.f("ck_import_location"), "import", "source_kind <> 'upload' or location ~ '^([0-9a-f]{16})?$'"
    )
    op.create_index(
        "uq_import_upload",
        "import",
        ["location"],
        unique=True,
        postgresql_where=sa.text("source_kind = 'upload' and location <> ''"),
    )
    op.add_column("job", sa.Column("sign_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("job", sa.Column("stop_asked_at", sa.DateTime(timezone=True), nullable=True))
