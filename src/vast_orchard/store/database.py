"""One engine a process, sessions as transactions, and the one channel on which changes are told."""

import json
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from psycopg import InterfaceError as DriverInterfaceError
from psycopg import OperationalError as DriverError
from psycopg.errors import DeadlockDetected, DiskFull
from sqlalchemy import BigInteger, ColumnElement, Engine, any_, cast, create_engine, func, text
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.exc import DataError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from sqlalchemy.orm import InstrumentedAttribute, Session

from vast_orchard.errors import BusyError, ConflictError, DatabaseGoneError, InputError, ServiceError
from vast_orchard.store.disk import DATABASE_NEEDS_MB, database_place, disk_full, free_mb

__all__ = ["CHANNEL", "Database", "among", "among_contents", "tell"]

CHANNEL = "vast_orchard"


def among(
    column: InstrumentedAttribute[int] | InstrumentedAttribute[int | None], values: Sequence[int]
) -> ColumnElement[bool]:
    """`column in values` with one array as its parameter: a list of parameters ends at 65,535 of them."""
    return column == any_(cast(list(values), ARRAY(BigInteger)))


def among_contents(column: InstrumentedAttribute[str], sha256s: Collection[str]) -> ColumnElement[bool]:
    """The same for contents, which go over as one text: the driver writes a list value by value."""
    return column == any_(func.string_to_array(",".join(sha256s), ","))


def tell(session: Session, topic: str, project_id: int, **facts: Any) -> None:
    """Say on the channel, when this transaction commits, that something of `topic` changed."""
    payload = json.dumps({"topic": topic, "project": project_id, **facts})
    session.execute(text("select pg_notify(:channel, :payload)"), {"channel": CHANNEL, "payload": payload})


class Database:
    """The records.

    Parameters
    ----------
    url : str
        `postgresql://…`; the driver is psycopg.
    data_dir : Path, optional
        The data folder whose database it is, so that a full disk is known for what it is.
    """

    def __init__(self, url: str, *, data_dir: Path | None = None) -> None:
        self.plain_url = url
        self._data_dir = data_dir
        self.engine: Engine = create_engine(
            url.replace("postgresql://", "postgresql+psycopg://", 1),
            # A connection that died with a restarted PostgreSQL is noticed before it is used.
            pool_pre_ping=True,
            # More than the API lets in at once (`api/admission.py`), so that nobody waits for a connection while others
            # wait for what he holds.
            pool_size=8,
            max_overflow=24,
            pool_timeout=5,
            connect_args={
                "connect_timeout": 5,
                # Not kept on the server: a statement that came ten times would get one plan for whatever it asks, and
                # of a Sift that is one which takes a hundred times as long. Not `plan_cache_mode` either: that would
                # plan the check of every foreign key of every row anew.
                "prepare_threshold": None,
            },
        )

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction: committed at the end, rolled back by any error; whoever commits before begins the next.

        Raises
        ------
        DatabaseGoneError
            PostgreSQL does not answer.
        DiskFullError
            There is no room where its files lie.
        ConflictError
            This transaction and another waited for each other, and PostgreSQL ended this one.
        BusyError
            Every connection is in use.
        InputError
            A value cannot be stored.
        """
        try:
            with Session(self.engine, expire_on_commit=False) as session:
                yield session
                session.commit()
        # Where rows are copied, the driver's own errors come through.
        except (OperationalError, InterfaceError, DriverError, DriverInterfaceError) as error:
            if isinstance(getattr(error, "orig", error), DeadlockDetected):
                raise ConflictError(
                    "Two windows changed the same pictures at once, and this one gave way: nothing was changed here.",
                    "Do it again.",
                ) from error
            raise self.gone(error) from error
        except DataError as error:
            raise InputError(
                "A value is larger than can be stored, or a text holds a zero byte.", "Correct it and send it again."
            ) from error
        except PoolTimeoutError as error:
            raise BusyError("Every connection to the database is in use.", "Try again in a few seconds.") from error

    def gone(self, error: Exception) -> ServiceError:
        """What a failure of PostgreSQL means: its disk is full, or it does not answer."""
        place = database_place(self._data_dir) if self._data_dir else None
        if isinstance(getattr(error, "orig", error), DiskFull) or (place and free_mb(place) < DATABASE_NEEDS_MB):
            needed = DATABASE_NEEDS_MB * 2**20
            return disk_full("What the database keeps", place or Path("/"), needed)
        return DatabaseGoneError(
            "The database does not answer.", "It is restarted by itself; try again in a few seconds."
        )

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()
