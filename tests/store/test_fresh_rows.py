"""Rows of new pictures, many at a time: what is written, and that foreign keys hold all the same."""

import secrets
from collections.abc import Iterator
from dataclasses import replace

import pytest
from psycopg.errors import UniqueViolation
from sqlalchemy import make_url, text
from sqlalchemy.exc import IntegrityError, OperationalError

from tests.world import World
from vast_orchard.errors import DatabaseGoneError, MissingError
from vast_orchard.store.classes import add_class
from vast_orchard.store.database import Database
from vast_orchard.store.fresh_rows import FreshAppearance, FreshPicture, new_picture_ids, write_fresh
from vast_orchard.store.imports import add_batch, create_import
from vast_orchard.store.values import ArrivedPicture

_PLAIN = ArrivedPicture(
    sha256="a" * 64, path="plate/1.png", name="1.png", class_name="plate", set_name=None, width=20, height=16,
    mode="RGB", format="PNG", size_bytes=900, thumbnail_bytes=0, brightness=0.25, tile=bytes(range(192)) * 9,
    group_key=None, note="",
)  # fmt: skip


class _Desk:
    """A project with an import and a class, and a role that may skip the checks of every row, or may not."""

    def __init__(self, world: World, database: Database) -> None:
        self.database = database
        self.project = world.project()
        with world.context.database.session() as session:
            self.entry = create_import(session, self.project, "in", "").id
            self.plate = add_class(session, self.project, "plate").id

    def write(self, arrived: ArrivedPicture, *, class_id: int | None = None) -> int:
        with self.database.session() as session:
            (picture,) = new_picture_ids(session, 1)
            write_fresh(
                session,
                self.project,
                self.entry,
                [
                    FreshPicture(
                        id=picture, class_id=class_id or self.plate, two_labels=True, area_id=None, arrived=arrived
                    )
                ],
                [FreshAppearance(picture_id=picture, class_name="plate", arrived=arrived)],
            )
        return picture

    def count(self, table: str) -> int:
        with self.database.session() as session:
            return session.scalar(text(f"select count(*) from {table}")) or 0


@pytest.fixture(params=["superuser", "plain role"])
def desk(world: World, request: pytest.FixtureRequest) -> Iterator[_Desk]:
    if request.param == "superuser":
        yield _Desk(world, world.context.database)
        return
    role, word = f"plain_{secrets.token_hex(4)}", secrets.token_hex(8)
    with world.context.database.session() as session:
        session.execute(text(f"create role {role} login password '{word}'"))
        session.execute(text(f"grant all on all tables in schema public to {role}"))
        session.execute(text(f"grant all on all sequences in schema public to {role}"))
    url = make_url(world.context.settings.database_url).set(username=role, password=word)
    database = Database(url.render_as_string(hide_password=False))
    yield _Desk(world, database)
    database.close()
    with world.context.database.session() as session:
        session.execute(text(f"drop owned by {role}"))
        session.execute(text(f"drop role {role}"))


@pytest.mark.parametrize(
    "odd", ["plain", "tab\tline\nback\\slash", "\\N", "\\.", "", "Ünïcøde 雪 ❄", "'; drop table picture;"]
)
def test_texts_come_back_as_they_were_whatever_they_hold(desk: _Desk, odd: str) -> None:
    arrived = replace(_PLAIN, path=f"{odd}/1.png", name=odd, note=odd, group_key=odd, set_name="training")
    picture = desk.write(arrived)
    with desk.database.session() as session:
        row = session.execute(text("select * from picture")).mappings().one()
        came = session.execute(text("select * from appearance")).mappings().one()
        pixels = session.scalar(text("select pixels from picture_tile"))
    assert (row["id"], row["project_id"], row["import_id"], row["class_id"]) == (
        picture, desk.project, desk.entry, desk.plate,
    )  # fmt: skip
    assert (row["name"], row["note"], row["folded_name"]) == (odd, odd, odd.lower())
    assert (row["width"], row["height"], row["size_bytes"], row["brightness"]) == (20, 16, 900, 0.25)
    assert (row["two_labels"], row["excluded"], row["unsure"], row["copy_exact"]) == (True, False, False, False)
    assert row["deleted_at"] is row["copy_group"] is None
    assert row["came_at"] is not None
    assert pixels == _PLAIN.tile
    assert (came["picture_id"], came["path"], came["class_name"]) == (picture, f"{odd}/1.png", "plate")
    assert (came["set_name"], came["group_key"]) == ("training", odd)


def test_nothing_is_written_under_a_class_that_is_gone(desk: _Desk) -> None:
    with pytest.raises(MissingError, match="is gone"):
        desk.write(_PLAIN, class_id=desk.plate + 1000)
    assert (desk.count("picture"), desk.count("picture_tile"), desk.count("appearance")) == (0, 0, 0)


def test_what_rows_name_cannot_be_removed_before_they_are_there(desk: _Desk, world: World) -> None:
    with desk.database.session() as session:
        add_batch(session, desk.entry, desk.project, [_PLAIN])
        for table, key in (("class", desk.plate), ("import", desk.entry), ("project", desk.project)):
            with pytest.raises(OperationalError, match="lock timeout"), world.context.database.engine.begin() as other:
                other.execute(text("set local lock_timeout = '50ms'"))
                other.execute(text(f"delete from {table} where id = {key}"))
    assert desk.count("picture") == 1


def test_rows_are_checked_one_by_one_again_afterwards(desk: _Desk) -> None:
    with pytest.raises(IntegrityError, match="fk_appearance_picture_id"), desk.database.session() as session:
        add_batch(session, desk.entry, desk.project, [_PLAIN])
        session.execute(
            text("insert into appearance (picture_id, import_id, path) values (987654, :entry, 'x')"),
            {"entry": desk.entry},
        )
    # And an error in between leaves no connection that skips checks.
    with pytest.raises(UniqueViolation), desk.database.session() as session:
        for _ in range(2):
            write_fresh(
                session, desk.project, desk.entry,
                [FreshPicture(id=77, class_id=None, two_labels=False, area_id=None, arrived=_PLAIN)], [],
            )  # fmt: skip
    with desk.database.session() as session:
        assert session.scalar(text("show session_replication_role")) == "origin"


def test_a_connection_that_is_lost_is_said_so_and_the_next_one_works(desk: _Desk, world: World) -> None:
    with pytest.raises(DatabaseGoneError), desk.database.session() as session:
        (picture,) = new_picture_ids(session, 1)
        ours = session.scalar(text("select pg_backend_pid()"))
        with world.context.database.session() as other:
            assert other.scalar(text("select pg_terminate_backend(:pid, 5000)"), {"pid": ours})
        # As the driver sees it who copies, not as SQLAlchemy does.
        connection = session.connection().connection.driver_connection
        assert connection is not None
        with connection.cursor() as cursor, cursor.copy("copy picture_tile from stdin") as rows:
            rows.write_row((picture, b""))
    assert desk.write(_PLAIN) > picture


def test_of_one_content_in_a_batch_the_first_file_counts_and_another_label_marks_it(desk: _Desk) -> None:
    other = replace(_PLAIN, path="rime/1.png", name="other.png", class_name="rime")
    with desk.database.session() as session:
        result = add_batch(session, desk.entry, desk.project, [_PLAIN, other])
    assert (result.added, result.two_labels) == (1, 1)
    with desk.database.session() as session:
        again = add_batch(session, desk.entry, desk.project, [other, replace(other, sha256="b" * 64)])
    assert (again.added, again.two_labels) == (1, 0)  # marked already
    with desk.database.session() as session:
        rows = session.execute(text("select name, two_labels from picture order by sha256")).all()
        paths = session.scalars(text("select path from appearance order by path")).all()
    assert [tuple(row) for row in rows] == [("1.png", True), ("other.png", False)]
    assert paths == ["plate/1.png", "rime/1.png", "rime/1.png"]
