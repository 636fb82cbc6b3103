"""Pictures with what every Sift asks for at the front of their rows, and without an index that another one holds.

A column behind texts is found by walking over them: with the columns in the order in which they had come to the table,
that was half of the time of a pass over a hundred thousand pictures.
"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    ask = op.get_bind().execute
    constraints = ask(
        sa.text(
            "select conrelid::regclass::text, conname, pg_get_constraintdef(oid) from pg_constraint"
            " where conrelid = 'picture'::regclass or confrelid = 'picture'::regclass"
            # Keys first: what refers to them comes after.
            " order by contype = 'f'"
        )
    ).all()
    indexes = ask(
        sa.text(
            "select indexname, indexdef from pg_indexes where tablename = 'picture' and schemaname = current_schema()"
            " and indexname not in (select conname from pg_constraint where conrelid = 'picture'::regclass)"
        )
    ).all()
    for table, name, _ in reversed(constraints):
        op.execute(f"alter table {table} drop constraint {name}")
    for name, _ in indexes:
        op.execute(f"drop index {name}")
    op.execute("alter table picture rename to picture_before")
    op.create_table(
        "picture",
        sa.Column(
            "id",
            sa.BigInteger(),
            nullable=False,
            autoincrement=False,
            server_default=sa.text("nextval('picture_id_seq')"),
        ),
        sa.Column("project_id", sa.Integer(), nullable=False),
        *(sa.Column(name, sa.Boolean(), nullable=False) for name in ("excluded", "unsure", "two_labels", "copy_exact")),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        *(sa.Column(name, sa.Integer(), nullable=True) for name in ("class_id", "import_id", "copy_group")),
        *(
            sa.Column(name, sa.Integer(), nullable=False)
            for name in ("width", "height", "size_bytes", "thumbnail_bytes")
        ),
        sa.Column("brightness", sa.REAL(), nullable=True),
        sa.Column("came_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("folded_name", sa.String(), sa.Computed("lower(name)", persisted=True), nullable=False),
        sa.Column("mode", sa.String(20), nullable=False),
        sa.Column("format", sa.String(20), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
    )
    columns = (
        "id, project_id, excluded, unsure, two_labels, copy_exact, deleted_at, class_id, import_id, copy_group, width,"
        " height, size_bytes, thumbnail_bytes, brightness, came_at, sha256, name, mode, format, note"
    )
    op.execute(f"insert into picture ({columns}) select {columns} from picture_before order by id")
    op.execute("alter sequence picture_id_seq owned by picture.id")
    op.drop_table("picture_before")
    for table, name, definition in constraints:
        op.execute(f"alter table {table} add constraint {name} {definition}")
    for _, definition in indexes:
        op.execute(definition)
    # `uq_appearance_picture_id_path` begins with the same column.
    op.drop_index("ix_appearance_picture_id", "appearance")
    # Without figures about its new table PostgreSQL would plan badly until it looks at it by itself.
    op.execute("analyze picture")
