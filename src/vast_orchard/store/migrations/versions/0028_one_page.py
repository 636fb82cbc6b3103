"""A model is handed over as one page, too."""

from alembic import op

revision = "0028"
down_revision = "0027"


def upgrade() -> None:
    name = op.f("ck_export_form")
    op.drop_constraint(name, "export", type_="check")
    op.create_check_constraint(name, "export", "form in ('pack', 'graph', 'small', 'page', 'weights')")
