"""The first schema: projects, pictures, splits, runs, jobs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None


def upgrade() -> None:

    op.create_table(
        "project",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_project")),
    )
    op.create_index(
        "uq_project_name",
        "project",
        [sa.literal_column("lower(name)")],
        unique=True,
        postgresql_where=sa.text("deleted_at is null"),
    )
    op.create_table(
        "action",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("window", sa.String(length=64), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("summary", sa.String(), nullable=False),
        sa.Column("detail", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("undoes", sa.BigInteger(), nullable=True),
        sa.Column("done_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_action_project_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["undoes"], ["action.id"], name=op.f("fk_action_undoes")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_action")),
        sa.UniqueConstraint("undoes", name=op.f("uq_action_undoes")),
    )
    op.create_index(op.f("ix_action_project_id"), "action", ["project_id"], unique=False)
    op.create_table(
        "class",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("sign", sa.String(length=4), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_class_project_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_class")),
    )
    op.create_index(op.f("ix_class_project_id"), "class", ["project_id"], unique=False)
    op.create_index(
        "uq_class_name",
        "class",
        ["project_id", sa.literal_column("lower(name)")],
        unique=True,
        postgresql_where=sa.text("deleted_at is null"),
    )
    op.create_table(
        "import",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("source_name", sa.String(), nullable=False),
        sa.Column("location", sa.String(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("report", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_import_project_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_import")),
    )
    op.create_index(op.f("ix_import_project_id"), "import", ["project_id"], unique=False)
    op.create_table(
        "job",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=10), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("subject_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("stage", sa.String(), nullable=False),
        sa.Column("done", sa.Float(), nullable=False),
        sa.Column("total", sa.Float(), nullable=False),
        sa.Column("stage_started_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("left_s", sa.Double(), nullable=True),
        sa.Column("error", sa.String(), nullable=True),
        sa.Column("owner", sa.String(length=64), nullable=True),
        sa.Column("stop_asked", sa.Boolean(), nullable=False),
        sa.Column("seen", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("state in ('waiting', 'running', 'done', 'failed', 'stopped')", name=op.f("ck_job_state")),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_job_project_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_job")),
    )
    op.create_index(op.f("ix_job_project_id"), "job", ["project_id"], unique=False)
    op.create_index(
        "uq_job_active",
        "job",
        ["kind", "subject_id"],
        unique=True,
        postgresql_where=sa.text("state in ('waiting', 'running')"),
    )
    op.create_table(
        "split",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("method", sa.String(length=20), nullable=False),
        sa.Column("shares", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("seed", sa.BigInteger(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_split_project_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_split")),
        sa.UniqueConstraint("project_id", "number", name=op.f("uq_split_project_id_number")),
    )
    op.create_index(op.f("ix_split_project_id"), "split", ["project_id"], unique=False)
    op.create_table(
        "picture",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("class_id", sa.Integer(), nullable=True),
        sa.Column("two_labels", sa.Boolean(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("mode", sa.String(length=20), nullable=False),
        sa.Column("format", sa.String(length=20), nullable=False),
        sa.Column("size_bytes", sa.Integer(), nullable=False),
        sa.Column("came_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["class_id"], ["class.id"], name=op.f("fk_picture_class_id")),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_picture_project_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_picture")),
        sa.UniqueConstraint("project_id", "sha256", name=op.f("uq_picture_project_id_sha256")),
    )
    op.create_index(op.f("ix_picture_class_id"), "picture", ["class_id"], unique=False)
    op.create_index("ix_picture_project_id_id", "picture", ["project_id", "id"], unique=False)
    op.create_table(
        "run",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("split_id", sa.Integer(), nullable=True),
        sa.Column("split_number", sa.Integer(), nullable=False),
        sa.Column("recipe", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("classes", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("program", sa.String(length=40), nullable=False),
        sa.Column("parameters", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("train_s", sa.Double(), nullable=True),
        sa.Column("kept_epoch", sa.Integer(), nullable=True),
        sa.Column("ended_because", sa.String(), nullable=True),
        sa.Column("judgements", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_run_project_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["split_id"], ["split.id"], name=op.f("fk_run_split_id"), ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
        sa.UniqueConstraint("project_id", "number", name=op.f("uq_run_project_id_number")),
    )
    op.create_index(op.f("ix_run_project_id"), "run", ["project_id"], unique=False)
    op.create_table(
        "action_change",
        sa.Column("action_id", sa.BigInteger(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("class_before", sa.Integer(), nullable=True),
        sa.Column("class_after", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(
            ["action_id"], ["action.id"], name=op.f("fk_action_change_action_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["class_after"], ["class.id"], name=op.f("fk_action_change_class_after")),
        sa.ForeignKeyConstraint(["class_before"], ["class.id"], name=op.f("fk_action_change_class_before")),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name=op.f("fk_action_change_picture_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("action_id", "picture_id", name=op.f("pk_action_change")),
    )
    op.create_index("ix_action_change_picture_id", "action_change", ["picture_id", "action_id"], unique=False)
    op.create_table(
        "appearance",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("class_name", sa.String(), nullable=True),
        sa.Column("set_name", sa.String(length=10), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_appearance_import_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name=op.f("fk_appearance_picture_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_appearance")),
        sa.UniqueConstraint("picture_id", "path", name=op.f("uq_appearance_picture_id_path")),
    )
    op.create_index(op.f("ix_appearance_import_id"), "appearance", ["import_id"], unique=False)
    op.create_index(op.f("ix_appearance_picture_id"), "appearance", ["picture_id"], unique=False)
    op.create_table(
        "checkpoint",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=5), nullable=False),
        sa.Column("epoch", sa.Integer(), nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_checkpoint_run_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "kind", name=op.f("pk_checkpoint")),
    )
    op.create_table(
        "epoch",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("training_loss", sa.Double(), nullable=False),
        sa.Column("training_accuracy", sa.Double(), nullable=False),
        sa.Column("validation_loss", sa.Double(), nullable=False),
        sa.Column("validation_accuracy", sa.Double(), nullable=False),
        sa.Column("learning_rate", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_epoch_run_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "number", name=op.f("pk_epoch")),
    )
    op.create_table(
        "export",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("path", sa.String(), nullable=True),
        sa.Column("size_bytes", sa.Integer(), nullable=True),
        sa.Column("proof", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_export_project_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_export_run_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_export")),
    )
    op.create_index(op.f("ix_export_project_id"), "export", ["project_id"], unique=False)
    op.create_index(op.f("ix_export_run_id"), "export", ["run_id"], unique=False)
    op.create_table(
        "look",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("place", sa.String(length=40), nullable=False),
        sa.Column("looked_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["project_id"], ["project.id"], name=op.f("fk_look_project_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_look_run_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_look")),
    )
    op.create_index(op.f("ix_look_project_id"), "look", ["project_id"], unique=False)
    op.create_index(op.f("ix_look_run_id"), "look", ["run_id"], unique=False)
    op.create_table(
        "prediction",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("set_name", sa.String(length=10), nullable=False),
        sa.Column("true_class", sa.Integer(), nullable=False),
        sa.Column("predicted_class", sa.Integer(), nullable=False),
        sa.Column("p", sa.REAL(), nullable=False),
        sa.Column("loss", sa.REAL(), nullable=False),
        sa.Column("probabilities", postgresql.ARRAY(sa.REAL()), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_prediction_run_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "picture_id", name=op.f("pk_prediction")),
    )
    op.create_index(
        "ix_prediction_cell",
        "prediction",
        ["run_id", "set_name", "true_class", "predicted_class"],
        unique=False,
    )
    op.create_table(
        "run_picture",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("class_id", sa.Integer(), nullable=False),
        sa.Column("set_name", sa.String(length=10), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_picture_run_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "picture_id", name=op.f("pk_run_picture")),
    )
    op.create_index("ix_run_picture_picture_id", "run_picture", ["picture_id"], unique=False)
    op.create_table(
        "split_member",
        sa.Column("split_id", sa.Integer(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("set_name", sa.String(length=10), nullable=False),
        sa.CheckConstraint("set_name in ('training', 'validation', 'test')", name=op.f("ck_split_member_set_name")),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name=op.f("fk_split_member_picture_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["split_id"], ["split.id"], name=op.f("fk_split_member_split_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("split_id", "picture_id", name=op.f("pk_split_member")),
    )
