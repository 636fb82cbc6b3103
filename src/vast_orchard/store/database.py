"""One engine a process, sessions as transactions, and the one channel on which changes are told."""

import json
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from psycopg import OperationalError as DriverError
from psycopg.errors import DeadlockDetected
from sqlalchemy import BigInteger, ColumnElement, Engine, any_, cast, create_engine, func, text
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import InstrumentedAttribute, Session

from vast_orchard.errors import ConflictError, DatabaseGoneError

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
    """

    def __init__(self, url: str) -> None:
        self.plain_url = url
        self.engine: Engine = create_engine(
            url.replace("postgresql://", "postgresql+psycopg://", 1),
            # A connection that died with a restarted PostgreSQL is noticed before it is used.
            pool_pre_ping=True,
            pool_size=8,
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
        """A transaction: committed at the end, rolled back by any error.

        Raises
        ------
        DatabaseGoneError
            PostgreSQL does not answer.
        ConflictError
            This transaction and another waited for each other, and PostgreSQL ended this one.
        """
        try:
            with Session(self.engine, expire_on_commit=False) as session, session.begin():
                yield session
        # Where rows are copied, the driver's own errors come through.
        except (OperationalError, DriverError) as error:
            if isinstance(getattr(error, "orig", error), DeadlockDetected):
                raise ConflictError(
                    "Two windows changed the same pictures at once, and this one gave way: nothing was changed here.",
                    "Do it again.",
                ) from error
            raise DatabaseGoneError(
                "The database does not answer.", "It is restarted by itself; try again in a few seconds."
            ) from error

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()
