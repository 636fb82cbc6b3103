"""Brings the database to the present schema."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy.exc import OperationalError

from vast_orchard.store.database import Database

__all__ = ["migrate"]


def migrate(database: Database, revision: str = "head") -> None:
    """Apply every migration that is missing, up to a revision, or none; a present schema is left as it is.

    Raises
    ------
    DatabaseGoneError, DiskFullError
    """
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    try:
        with database.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, revision)
    except OperationalError as error:
        raise database.gone(error) from error
