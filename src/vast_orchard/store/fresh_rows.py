"""Writes the rows of pictures that are new, many at a time: by COPY, and with each foreign key checked once.

PostgreSQL checks the foreign keys of every row by a query of its own. In an import thousands of rows in a run name the
same project, import and class, and pictures of their own transaction, so these checks would take longer than all the
rest of the writing. They are made here for each key instead of for each row, with the same locks.
"""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from psycopg import Connection, Cursor
from sqlalchemy import text
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.values import ArrivedPicture

__all__ = ["FreshAppearance", "FreshPicture", "new_picture_ids", "write_fresh"]

_PICTURE = (
    "id", "project_id", "import_id", "class_id", "two_labels", "excluded", "unsure", "copy_exact", "sha256", "name",
    "width", "height", "mode", "format", "size_bytes", "thumbnail_bytes", "note", "brightness",
    "area_id",
)  # fmt: skip
_APPEARANCE = ("picture_id", "import_id", "path", "class_name", "set_name", "group_key")


@dataclass(frozen=True, kw_only=True)
class FreshPicture:
    """A picture that the project does not hold yet."""

    id: int  # one of `new_picture_ids`
    class_id: int | None
    two_labels: bool
    area_id: int | None  # of its own working area
    arrived: ArrivedPicture


@dataclass(frozen=True, kw_only=True)
class FreshAppearance:
    """A file in which a fresh picture came in."""

    picture_id: int
    class_name: str | None
    arrived: ArrivedPicture


def new_picture_ids(session: Session, count: int) -> list[int]:
    """Ids that no other picture has or will have, ascending."""
    ask = text("select nextval('picture_id_seq') from generate_series(1, :count)")
    return sorted(session.scalars(ask, {"count": count})) if count else []


def write_fresh(
    session: Session,
    project_id: int,
    import_id: int,
    pictures: Sequence[FreshPicture],
    appearances: Sequence[FreshAppearance],
) -> None:
    """Write the rows of fresh pictures, their tiles and their appearances.

    Parameters
    ----------
    appearances : sequence of FreshAppearance
        Of these pictures and no others.

    Raises
    ------
    MissingError
        The project, the import or a class is gone.
    """
    if not pictures:
        return
    _hold_keys(session, project_id, import_id, {x.class_id for x in pictures if x.class_id is not None})
    connection: Connection[Any] | None = session.connection().connection.driver_connection
    assert connection is not None, "a session that has locked rows is connected"
    with connection.cursor() as cursor, _keys_held(cursor):
        with cursor.copy(f"copy picture ({', '.join(_PICTURE)}) from stdin") as rows:
            for picture in pictures:
                rows.write_row(_picture_row(project_id, import_id, picture))
        with cursor.copy("copy picture_tile (picture_id, pixels) from stdin (format binary)") as rows:
            rows.set_types(("int8", "bytea"))
            for picture in pictures:
                rows.write_row((picture.id, picture.arrived.tile))
        with cursor.copy(f"copy appearance ({', '.join(_APPEARANCE)}) from stdin") as rows:
            for entry in appearances:
                came = entry.arrived
                rows.write_row(
                    (entry.picture_id, import_id, came.path, entry.class_name, came.set_name, came.group_key)
                )


def _picture_row(project_id: int, import_id: int, picture: FreshPicture) -> tuple[object, ...]:
    """Values in the order of `_PICTURE`."""
    x = picture.arrived
    return (
        picture.id, project_id, import_id, picture.class_id, picture.two_labels, False, False, False, x.sha256, x.name,
        x.width, x.height, x.mode, x.format, x.size_bytes, x.thumbnail_bytes, x.note, x.brightness,
        picture.area_id,
    )  # fmt: skip


# Locked as a foreign key locks: until this transaction ends nobody removes them.
_HOLD = text(
    "with p as (select id from project where id = :project for key share),"
    " i as (select id from import where id = :import for key share),"
    " c as (select id from class where id = any(:classes) for key share)"
    " select (select count(*) from p), (select count(*) from i), (select count(*) from c)"
)


def _hold_keys(session: Session, project_id: int, import_id: int, classes: set[int]) -> None:
    asked = {"project": project_id, "import": import_id, "classes": list(classes)}
    if tuple(session.execute(_HOLD, asked).one()) != (1, 1, len(classes)):
        raise MissingError(
            "The project, a class or the import that pictures were to be recorded under is gone.",
            "Bring the source in again.",
        )


@contextmanager
def _keys_held(cursor: Cursor[Any]) -> Iterator[None]:
    """Leave out the checks of foreign keys, where this is allowed: on our own cluster it is, else rows are checked."""
    allowed = cursor.connection.info.parameter_status("is_superuser") == "on"
    if allowed:
        cursor.execute("set local session_replication_role = replica")
    yield
    # Not after an error, which ends the transaction and this setting with it.
    if allowed:
        cursor.execute("set local session_replication_role = origin")
