"""Migrations make exactly the schema that the code describes."""

import json

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.orm import Session

from tests.world import World
from vast_orchard.jobs.queue import requeue_lost
from vast_orchard.store.database import Database
from vast_orchard.store.migrate import migrate
from vast_orchard.store.models import judged_sets
from vast_orchard.store.runs import get_run, list_epochs
from vast_orchard.store.schema import Base


def test_migrations_and_tables_agree(world: World) -> None:
    with world.context.database.engine.connect() as connection:
        context = MigrationContext.configure(
            connection,
            opts={"include_name": lambda name, kind, _: kind != "table" or not str(name).startswith("procrastinate")},
        )
        assert compare_metadata(context, Base.metadata) == []


def test_migrating_twice_changes_nothing(world: World) -> None:
    project = world.project()
    migrate(world.context.database)
    assert world.project("Another") > project


def _go_back(database: Database, revision: str) -> None:
    """An empty database of an earlier version."""
    with database.session() as session:
        session.execute(text("drop schema public cascade"))
        session.execute(text("create schema public"))
    migrate(database, revision)


def test_pictures_of_an_older_schema_are_kept(world: World) -> None:
    database = world.context.database
    _go_back(database, "0006")
    with database.session() as session:
        for statement in (
            "insert into project (id, name, purged) values (1, 'Old', false)",
            "insert into class (id, project_id, name, place, sign) values (5, 1, 'plate', 0, 'P')",
            'insert into import (id, project_id, source_name, location, state, source_kind, "window")'
            " values (3, 1, 'in', '', 'done', 'upload', '')",
            "insert into picture (project_id, sha256, name, class_id, two_labels, width, height, mode, format,"
            " size_bytes, thumbnail_bytes, note, import_id, excluded, unsure, brightness, copy_group, copy_exact)"
            " select 1, repeat('a', 63) || n, 'Plate-' || n, 5, false, 20 + n, 10, 'RGB', 'PNG', 99, 0, 'kept', 3,"
            " n = 2, false, 0.25, null, false from generate_series(1, 3) n",
            "insert into appearance (picture_id, import_id, path) select id, 3, name from picture",
        ):
            session.execute(text(statement))
    migrate(database)
    with database.session() as session:
        rows = session.execute(
            text("select id, sha256, name, folded_name, class_id, width, note, excluded, brightness from picture")
        ).all()
        assert [tuple(row) for row in rows] == [
            (n, "a" * 63 + str(n), f"Plate-{n}", f"plate-{n}", 5, 20 + n, "kept", n == 2, 0.25) for n in (1, 2, 3)
        ]
        # Ids go on, and what refers to a picture goes with it.
        new = session.scalar(
            text(
                "insert into picture (project_id, sha256, name, two_labels, width, height, mode, format, size_bytes,"
                " thumbnail_bytes, note, excluded, unsure, copy_exact) values"
                " (1, 'b', 'new', false, 1, 1, 'L', 'PNG', 1, 0, '', false, false, false) returning id"
            )
        )
        assert new == 4
        session.execute(text("delete from picture where id = 2"))
        left = session.execute(text("select path from appearance order by path")).scalars().all()
        assert left == ["Plate-1", "Plate-3"]


def test_locations_of_an_older_schema_that_are_no_ids_of_ours_are_forgotten(world: World) -> None:
    database = world.context.database
    _go_back(database, "0007")
    one, two = "0123456789abcdef", "f" * 16
    stored = [
        (1, "upload", "/home/somebody"), (2, "upload", "../../x"), (3, "upload", one), (4, "upload", one),
        (5, "upload", ""), (6, "upload", ""), (7, "folder", "/srv/pictures"), (8, "bucket", "ridge/winter"),
        (9, "upload", two), (10, "folder", "/srv/pictures"),
    ]  # fmt: skip
    with database.session() as session:
        session.execute(text("insert into project (id, name, purged) values (1, 'Old', false)"))
        for number, kind, location in stored:
            session.execute(
                text(
                    'insert into import (id, project_id, source_name, location, state, source_kind, "window")'
                    " values (:id, 1, 'in', :location, 'planned', :kind, '')"
                ),
                {"id": number, "kind": kind, "location": location},
            )
        session.execute(
            text(
                "insert into job (project_id, kind, title, subject_id, state, stage, done, total, stop_asked, seen)"
                " values (1, 'import', 'In', 4, 'running', '', 0, 0, true, false)"
            )
        )
    migrate(database)
    with database.session() as session:
        kept = session.execute(text("select location from import order by id")).scalars().all()
        # Of two imports of one upload the newest has its files.
        assert kept == ["", "", "", one, "", "", "/srv/pictures", "ridge/winter", two, "/srv/pictures"]
        # Work that was under way is there, has given no sign yet, and is handed out again.
        assert session.execute(text("select state, sign_at from job")).all() == [("running", None)]
        assert requeue_lost(session, "data", 0.0) == 1


_SCORES = {
    "count": 2, "right": 1, "accuracy": 0.5, "accuracy_interval": [0.1, 0.9], "loss": 1.0, "largest_class_share": 0.5,
    "macro_precision": 0.5, "macro_recall": 0.5, "macro_f1": 0.5, "classes": [], "confusion": [[1, 0], [1, 0]],
}  # fmt: skip
_CLASSES = [{"id": 5, "name": "plate", "sign": "P"}, {"id": 6, "name": "rime", "sign": "R"}]
# As 0.1 stored it.
_RECIPE = {
    "network": "small", "preprocessing": {"size": 32, "colour": "grey"},
    "variation": {"mirror": True, "turn_degrees": 0.0, "brightness": 0.0},
    "settings": {"epochs": 3, "batch_size": 8, "learning_rate": 0.01, "seed": 4, "optimizer": "momentum"},
}  # fmt: skip


def _runs_of_0008(session: Session) -> None:
    """Three runs on the same pictures: one that ended, one whose test set was looked at too early, one under way."""
    run_rows = [
        (1, "All 3 epochs done. Epoch 2 is kept: its validation loss of 0.400 is the lowest.", "done", 2),
        (
            2,
            "Stopped by hand in epoch 2 of 3. Epoch 1 is kept: its validation loss of 0.500 is the lowest.",
            "stopped",
            1,
        ),
        (3, None, "running", None),
    ]
    session.execute(text("insert into project (id, name, purged) values (1, 'Old', false)"))
    for number, name in ((5, "plate"), (6, "rime")):
        session.execute(
            text("insert into class (id, project_id, name, place, sign) values (:i, 1, :n, :i, :s)"),
            {"i": number, "n": name, "s": name[0].upper()},
        )
    session.execute(
        text("insert into split (id, project_id, number, method, shares, seed) values (1, 1, 1, 'x', '{}', 1)")
    )
    for number in (1, 2):
        session.execute(
            text(
                "insert into picture (id, project_id, sha256, name, class_id, two_labels, width, height, mode, format,"
                " size_bytes, thumbnail_bytes, note, excluded, unsure, copy_exact) values (:i, 1, :s, 'p', 5, false, 9,"
                " 9, 'L', 'PNG', 9, 0, '', false, false, false)"
            ),
            {"i": number, "s": str(number) * 64},
        )
    for number, words, state, kept in run_rows:
        facts = {
            "n": number, "r": json.dumps(_RECIPE), "c": json.dumps(_CLASSES), "k": kept, "w": words,
            "j": json.dumps({"validation": _SCORES, "test": _SCORES} if words else {}), "s": state,
        }  # fmt: skip
        for statement in (
            "insert into run (id, project_id, number, split_id, split_number, recipe, classes, program, parameters,"
            " train_s, kept_epoch, ended_because, judgements) values (:n, 1, :n, 1, 1, cast(:r as jsonb),"
            " cast(:c as jsonb), 'old', 9, 1.5, :k, :w, cast(:j as jsonb))",
            "insert into job (project_id, kind, title, subject_id, state, stage, done, total, stop_asked, seen,"
            " ended_at) values (1, 'train', 'Run', :n, :s, '', 0, 0, false, false, timestamptz '2026-01-02')",
            "insert into run_picture select :n, id, sha256, class_id, case id when 1 then 'training' else 'validation'"
            " end from picture",
        ):
            session.execute(text(statement), facts)
        for epoch in range(1, (kept or 0) + 1):
            session.execute(
                text("insert into epoch values (:n, :e, 0.9, 0.5, 0.6 - 0.1 * :e, 0.25 * :e, 0.01)"),
                {"n": number, "e": epoch},
            )
        for kind in ("last", "kept") if kept else ():
            session.execute(
                text("insert into checkpoint values (:n, :k, :e, :p)"),
                {"n": number, "k": kind, "e": kept, "p": f"runs/{number}/{kind}-00001.safetensors"},
            )
        for picture, set_name in ((1, "test"), (2, "validation")) if kept else ():
            session.execute(
                text("insert into prediction values (:n, :p, :s, 5, 6, 0.5, 1.0, '{0.5, 0.5}')"),
                {"n": number, "p": picture, "s": set_name},
            )
    for run, day in ((1, "2026-01-03"), (1, "2026-01-04"), (2, "2026-01-01")):
        session.execute(
            text(
                "insert into look (project_id, run_id, place, looked_at) values (1, :r, 'x', cast(:d as timestamptz))"
            ),
            {"r": run, "d": day},
        )
    session.execute(text("insert into export (project_id, run_id, path) values (1, 1, 'exports/1.zip')"))
    session.execute(
        text("insert into action (id, project_id, \"window\", kind, summary) values (1, 1, 'w', 'label', 'x')")
    )
    session.execute(
        text(
            "insert into action_change (action_id, picture_id, class_before, class_after, note_before, note_after)"
            " values (1, 1, null, 5, null, null), (1, 2, 5, 6, '', 'odd')"
        )
    )


def test_runs_of_an_older_schema_become_complete(world: World) -> None:
    database = world.context.database
    _go_back(database, "0008")
    with database.session() as session:
        _runs_of_0008(session)
    migrate(database)
    with database.session() as session:
        one, two, three = (get_run(session, number) for number in (1, 2, 3))
        assert [(run.state, run.ended_by, run.ending, run.epochs_done) for run in (one, two, three)] == [
            ("ended", "epochs", {"done": 2, "epochs": 3}, 2),
            ("ended", "stopped", {"done": 1, "epochs": 3}, 1),
            ("training", None, None, 0),
        ]
        # The same pictures: one snapshot, with the pictures once.
        assert len({run.snapshot_id for run in (one, two, three)}) == 1
        assert one.counts == {"training": 1, "validation": 1}
        assert session.scalar(text("select count(*) from snapshot_picture")) == 2
        assert one.recipe["settings"]["optimizer"] == "sgd"
        assert one.recipe["network"]["input_shape"] == [32, 32, 1]
        assert one.figures["validation_loss"] == 0.4
        assert (one.state_path, one.changed, three.changed) == ("runs/1/last-00001.safetensors", [], [])
        assert one.model is not None and two.model is not None and three.model is None
        assert (one.model.epoch, one.model.looks, one.model.frozen, one.model.digest) == (2, 2, True, None)
        # Of run 2 the test set was judged while it trained, by a state that may not be the one kept.
        assert judged_sets(session, one.model.id) == {"validation", "test"}
        assert judged_sets(session, two.model.id) == {"validation"}
        told = session.execute(text("select model_id, set_name from prediction order by model_id, set_name")).all()
        assert [tuple(row) for row in told] == [
            (one.model.id, "test"), (one.model.id, "validation"), (two.model.id, "validation"),
        ]  # fmt: skip
        assert session.scalar(text("select model_id from export")) == one.model.id
        assert [epoch.figures["validation_loss"] for epoch in list_epochs(session, 1)] == [0.5, 0.4]
        changes = session.execute(text("select picture_id, change from action_change order by 1")).all()
        assert [tuple(row) for row in changes] == [
            (1, {"class": [None, 5]}),
            (2, {"class": [5, 6], "note": ["", "odd"]}),
        ]
