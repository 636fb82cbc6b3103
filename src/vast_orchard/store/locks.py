"""Who may touch stored bytes: any number of writers together, or the one that removes what nobody holds."""

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from vast_orchard.store.database import Database

__all__ = ["alone_with_bytes", "holding_bytes"]

# A number of our own for PostgreSQL's advisory locks. They go with their connection, however its process ends.
_BYTES_LOCK = 4_211
_ASK_EVERY_S = 0.5


@contextmanager
def _lock(database: Database, statement: str, wait: Callable[[], None]) -> Iterator[None]:
    try:
        with database.engine.connect() as connection:
            while not connection.scalar(text(f"select pg_try_advisory_lock{statement}(:lock)"), {"lock": _BYTES_LOCK}):
                wait()
                time.sleep(_ASK_EVERY_S)
            connection.commit()
            try:
                yield
            finally:
                connection.execute(text(f"select pg_advisory_unlock{statement}(:lock)"), {"lock": _BYTES_LOCK})
                connection.commit()
    except OperationalError as error:
        raise database.gone(error) from error


@contextmanager
def holding_bytes(database: Database) -> Iterator[None]:
    """While this is open, no stored bytes are removed: between writing them and recording who holds them."""
    with _lock(database, "_shared", lambda: None):
        yield


@contextmanager
def alone_with_bytes(database: Database, wait: Callable[[], None]) -> Iterator[None]:
    """Wait until nobody writes bytes, and keep them out; `wait` is called while waiting."""
    with _lock(database, "", wait):
        yield
