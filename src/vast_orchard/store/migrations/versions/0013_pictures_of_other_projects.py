"""Another project of the same data folder can be the source of an import."""

from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.drop_constraint(op.f("ck_import_source_kind"), "import")
    op.create_check_constraint(
        op.f("ck_import_source_kind"), "import", "source_kind in ('upload', 'folder', 'bucket', 'project')"
    )
