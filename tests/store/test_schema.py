"""Migrations make exactly the schema that the code describes."""

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text

from tests.world import World
from vast_orchard.jobs.queue import requeue_lost
from vast_orchard.store.database import Database
from vast_orchard.store.migrate import migrate
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
