"""Runs with a state and an ending of their own, snapshots that they share, and models beside them."""

import hashlib
import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from vast_orchard.upgrades.ending import former_ending
from vast_orchard.upgrades.recipe import upgrade_recipe

revision = "0009"
down_revision = "0008"

_MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    bind = op.get_bind()
    _tables()
    _snapshots(bind)
    _runs(bind)
    _models(bind)
    _epochs()
    _jobs()
    _history()
    _forget_the_former()


def _project(table: str) -> list[Any]:
    return [
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f(f"fk_{table}_project_id"), ondelete="CASCADE"
        ),
    ]


def _id(table: str) -> list[Any]:
    return [
        sa.Column("id", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
        *_project(table),
        sa.Column("created_at", _MOMENT, server_default=sa.func.now(), nullable=False),
    ]


def _tables() -> None:
    op.create_table(
        "run_group",
        *_id("run_group"),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("question", sa.String(200), nullable=False),
        sa.Column("budget", JSONB(), nullable=False),
        sa.CheckConstraint("kind in ('trials', 'folds', 'copies')", name=op.f("ck_run_group_kind")),
    )
    op.create_index(op.f("ix_run_group_project_id"), "run_group", ["project_id"])
    op.create_table(
        "snapshot",
        *_id("snapshot"),
        sa.Column("digest", sa.String(100), nullable=True),
        sa.Column("classes", JSONB(), nullable=False),
        sa.Column("counts", JSONB(), nullable=False),
        sa.UniqueConstraint("project_id", "digest", name=op.f("uq_snapshot_project_id_digest")),
    )
    op.create_index(op.f("ix_snapshot_project_id"), "snapshot", ["project_id"])
    op.create_table(
        "snapshot_picture",
        sa.Column("snapshot_id", sa.Integer(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("class_id", sa.Integer(), nullable=False),
        sa.Column("set_name", sa.String(10), nullable=False),
        sa.ForeignKeyConstraint(
            ["snapshot_id"], ["snapshot.id"], name=op.f("fk_snapshot_picture_snapshot_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("snapshot_id", "picture_id", name=op.f("pk_snapshot_picture")),
    )
    op.create_table(
        "model",
        *_id("model"),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=True),
        sa.Column("epoch", sa.Integer(), nullable=True),
        sa.Column("digest", sa.String(64), nullable=True),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("classes", JSONB(), nullable=False),
        sa.Column("preprocessing", JSONB(), nullable=False),
        sa.Column("looks", sa.Integer(), server_default="0", nullable=False),
        sa.Column("frozen_at", _MOMENT, nullable=True),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_model_run_id"), ondelete="CASCADE"),
        sa.UniqueConstraint("id", "digest", name=op.f("uq_model_id_digest")),
        sa.CheckConstraint("kind in ('run', 'final', 'combined', 'file')", name=op.f("ck_model_kind")),
        sa.CheckConstraint("kind <> 'run' or (run_id is not null and epoch is not null)", name=op.f("ck_model_run")),
    )
    op.create_index(op.f("ix_model_project_id"), "model", ["project_id"])
    op.create_index(op.f("ix_model_run_id"), "model", ["run_id"])
    op.create_index("uq_model_run", "model", ["run_id"], unique=True, postgresql_where=sa.text("kind = 'run'"))
    op.create_table(
        "judgement",
        sa.Column("model_id", sa.Integer(), nullable=False),
        sa.Column("set_name", sa.String(10), nullable=False),
        sa.Column("digest", sa.String(64), nullable=True),
        sa.Column("scores", JSONB(), nullable=False),
        sa.Column("judged_at", _MOMENT, server_default=sa.func.now(), nullable=False),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name=op.f("fk_judgement_model_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(
            ["model_id", "digest"], ["model.id", "model.digest"], name=op.f("fk_judgement_state"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("model_id", "set_name", name=op.f("pk_judgement")),
        sa.CheckConstraint("set_name in ('training', 'validation', 'test')", name=op.f("ck_judgement_set_name")),
    )


def _snapshots(bind: sa.Connection) -> None:
    """One for all runs of a project that stood on the same pictures."""
    code = "case set_name when 'training' then 1 when 'validation' then 2 else 3 end"
    sums = bind.execute(
        sa.text(
            "select r.id, r.project_id, r.classes, r.created_at, count(p.picture_id) as n,"
            f" coalesce(sum(hashint8extended(p.picture_id, p.class_id::bigint * 4 + {code})), 0)::text as one,"
            f" coalesce(sum(hashint8extended(p.class_id::bigint * 4 + {code}, p.picture_id)), 0)::text as two,"
            " count(*) filter (where set_name = 'training') as training,"
            " count(*) filter (where set_name = 'validation') as validation,"
            " count(*) filter (where set_name = 'test') as test"
            " from run r left join run_picture p on p.run_id = r.id group by r.id order by r.id"
        )
    ).all()
    op.add_column("run", sa.Column("snapshot_id", sa.Integer(), nullable=True))
    made: dict[tuple[int, str], int] = {}
    for row in sums:
        named = hashlib.md5(json.dumps(row.classes, sort_keys=True).encode(), usedforsecurity=False).hexdigest()
        digest = f"{row.n}:{row.one}:{row.two}:{named}"
        key = (row.project_id, digest)
        if key not in made:
            counts = {name: getattr(row, name) for name in ("training", "validation", "test") if getattr(row, name)}
            made[key] = bind.scalar(
                sa.text(
                    "insert into snapshot (project_id, digest, classes, counts, created_at)"
                    " values (:project, :digest, :classes, :counts, :at) returning id"
                ).bindparams(sa.bindparam("classes", type_=JSONB()), sa.bindparam("counts", type_=JSONB())),
                {
                    "project": row.project_id, "digest": digest, "classes": row.classes, "counts": counts,
                    "at": row.created_at,
                },
            )  # fmt: skip
            bind.execute(
                sa.text(
                    "insert into snapshot_picture (snapshot_id, picture_id, sha256, class_id, set_name)"
                    " select :snapshot, picture_id, sha256, class_id, set_name from run_picture where run_id = :run"
                ),
                {"snapshot": made[key], "run": row.id},
            )
        bind.execute(
            sa.text("update run set snapshot_id = :snapshot where id = :run"), {"snapshot": made[key], "run": row.id}
        )
    op.alter_column("run", "snapshot_id", nullable=False)
    op.create_foreign_key(op.f("fk_run_snapshot_id"), "run", "snapshot", ["snapshot_id"], ["id"])
    op.create_index(op.f("ix_run_snapshot_id"), "run", ["snapshot_id"])
    op.create_index("ix_snapshot_picture_picture_id", "snapshot_picture", ["picture_id"])


def _runs(bind: sa.Connection) -> None:
    for column in (
        sa.Column("group_id", sa.Integer(), nullable=True),
        sa.Column("previous_id", sa.Integer(), nullable=True),
        sa.Column("state", sa.String(10), server_default="waiting", nullable=False),
        sa.Column("ended_by", sa.String(10), nullable=True),
        sa.Column("ending", JSONB(), nullable=True),
        sa.Column("ended_at", _MOMENT, nullable=True),
        sa.Column("epochs_done", sa.Integer(), server_default="0", nullable=False),
        sa.Column("figures", JSONB(), server_default="{}", nullable=False),
        sa.Column("state_path", sa.String(), nullable=True),
        sa.Column("state_epoch", sa.Integer(), nullable=True),
    ):
        op.add_column("run", column)
    op.create_foreign_key(op.f("fk_run_group_id"), "run", "run_group", ["group_id"], ["id"], ondelete="SET NULL")
    op.create_index(op.f("ix_run_group_id"), "run", ["group_id"])
    op.create_foreign_key(op.f("fk_run_previous_id"), "run", "run", ["previous_id"], ["id"], ondelete="SET NULL")
    op.create_index(op.f("ix_run_previous_id"), "run", ["previous_id"])
    op.execute(
        "update run set previous_id = before.id from (select id as own, lag(id) over (partition by project_id"
        " order by number) as id from run) before where before.own = run.id"
    )
    op.execute(
        "update run set state_path = c.path, state_epoch = c.epoch from checkpoint c"
        " where c.run_id = run.id and c.kind = 'last'"
    )
    op.execute(
        "update run set figures = to_jsonb(e) - 'run_id' - 'number' from epoch e"
        " where e.run_id = run.id and e.number = run.kept_epoch"
    )
    rows = bind.execute(
        sa.text(
            "select r.id, r.recipe, r.ended_because, jsonb_array_length(r.classes) as classes,"
            " (select count(*) from epoch e where e.run_id = r.id) as done, j.state, j.error, j.ended_at"
            " from run r left join lateral (select * from job where kind = 'train' and subject_id = r.id"
            " order by id desc limit 1) j on true"
        )
    ).all()
    for row in rows:
        recipe = upgrade_recipe(row.recipe, row.classes)
        job = {"state": row.state, "error": row.error} if row.state else None
        state, by, facts = former_ending(row.ended_because, job, done=row.done, epochs=recipe["settings"]["epochs"])
        bind.execute(
            sa.text(
                "update run set recipe = :recipe, state = :state, ended_by = :by, ending = :facts, ended_at = :at,"
                " epochs_done = :done where id = :id"
            ).bindparams(sa.bindparam("recipe", type_=JSONB()), sa.bindparam("facts", type_=JSONB(none_as_null=True))),
            {
                "recipe": recipe, "state": state, "by": by, "facts": facts, "at": row.ended_at if by else None,
                "done": row.done, "id": row.id,
            },
        )  # fmt: skip
    op.create_check_constraint(op.f("ck_run_state"), "run", "state in ('waiting', 'training', 'ended')")
    op.create_check_constraint(
        op.f("ck_run_ended_by"), "run", "ended_by in ('epochs', 'stopped', 'condition', 'failed')"
    )
    op.create_check_constraint(op.f("ck_run_ended"), "run", "(state = 'ended') = (ended_by is not null)")
    op.create_index(
        "ix_run_ledger", "run", ["project_id", sa.text("number desc")], postgresql_where=sa.text("group_id is null")
    )


def _models(bind: sa.Connection) -> None:
    op.execute(
        "insert into model (project_id, kind, run_id, epoch, path, classes, preprocessing, looks, created_at,"
        " frozen_at) select r.project_id, 'run', r.id, c.epoch, c.path, r.classes, r.recipe->'preprocessing',"
        " (select count(*) from look l where l.run_id = r.id), r.created_at,"
        " case when r.state = 'ended' then coalesce(r.ended_at, now()) end"
        " from run r join checkpoint c on c.run_id = r.id and c.kind = 'kept' order by r.id"
    )
    # A test set that was judged before the training had ended was judged by a state that may not be the one kept: such
    # outcomes are forgotten, and made anew when somebody looks.
    op.execute(
        "insert into judgement (model_id, set_name, scores, judged_at)"
        " select m.id, s.key, s.value, coalesce(r.ended_at, now()) from model m join run r on r.id = m.run_id,"
        " jsonb_each(r.judgements) s where r.state = 'ended' and (s.key <> 'test' or not exists"
        " (select 1 from look l where l.run_id = r.id and (r.ended_at is null or l.looked_at < r.ended_at)))"
    )
    for table in ("prediction", "look", "export"):
        op.add_column(table, sa.Column("model_id", sa.Integer(), nullable=True))
        op.execute(f"update {table} t set model_id = m.id from model m where m.run_id = t.run_id")
        # Nothing was kept, so there can be nothing that was said or made of it.
        op.execute(f"delete from {table} where model_id is null")
        op.alter_column(table, "model_id", nullable=False)
    op.execute(
        "delete from prediction p where not exists"
        " (select 1 from judgement j where j.model_id = p.model_id and j.set_name = p.set_name)"
    )
    op.drop_constraint("pk_prediction", "prediction")
    op.drop_index("ix_prediction_cell", "prediction")
    op.drop_column("prediction", "run_id")
    op.create_primary_key(op.f("pk_prediction"), "prediction", ["model_id", "picture_id"])
    op.create_index("ix_prediction_cell", "prediction", ["model_id", "set_name", "true_class", "predicted_class"])
    op.create_foreign_key(
        op.f("fk_prediction_judgement"), "prediction", "judgement", ["model_id", "set_name"],
        ["model_id", "set_name"], ondelete="CASCADE",
    )  # fmt: skip
    op.add_column("export", sa.Column("epoch", sa.Integer(), nullable=True))
    op.add_column("export", sa.Column("digest", sa.String(64), nullable=True))
    for table in ("look", "export"):
        op.drop_column(table, "run_id")
        op.create_foreign_key(op.f(f"fk_{table}_model_id"), table, "model", ["model_id"], ["id"], ondelete="CASCADE")
        op.create_index(op.f(f"ix_{table}_model_id"), table, ["model_id"])


def _epochs() -> None:
    op.add_column("epoch", sa.Column("figures", JSONB(), nullable=True))
    op.execute("update epoch set figures = to_jsonb(epoch) - 'run_id' - 'number' - 'figures'")
    op.alter_column("epoch", "figures", nullable=False)
    for name in ("training_loss", "training_accuracy", "validation_loss", "validation_accuracy", "learning_rate"):
        op.drop_column("epoch", name)


def _jobs() -> None:
    op.add_column("job", sa.Column("part", sa.String(10), server_default="", nullable=False))
    op.execute("delete from job where kind = 'judge' and not exists (select 1 from model where run_id = subject_id)")
    op.execute(
        "update job set subject_id = m.id, part = 'test' from model m"
        " where job.kind = 'judge' and m.run_id = subject_id"
    )
    op.drop_index("uq_job_active", "job")
    op.create_index(
        "uq_job_active", "job", ["kind", "subject_id", "part"], unique=True,
        postgresql_where=sa.text("state in ('waiting', 'running')"),
    )  # fmt: skip


def _history() -> None:
    facts = ("class", "note", "excluded", "unsure", "copies", "binned", "set")
    rows = ", ".join(f"('{fact}', to_jsonb({fact}_before), to_jsonb({fact}_after))" for fact in facts)
    op.add_column("action_change", sa.Column("change", JSONB(), server_default="{}", nullable=False))
    op.execute(
        "update action_change set change = coalesce((select"
        " jsonb_object_agg(x.fact, jsonb_build_array(x.was, x.became))"
        f" from (values {rows}) x (fact, was, became) where x.was is distinct from x.became), '{{}}')"
    )
    for fact in facts:
        for moment in ("before", "after"):
            op.drop_column("action_change", f"{fact}_{moment}")


def _forget_the_former() -> None:
    for column in ("classes", "kept_epoch", "ended_because", "judgements"):
        op.drop_column("run", column)
    op.drop_table("run_picture")
    op.drop_table("checkpoint")
