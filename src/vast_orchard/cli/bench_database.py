"""A database of its own for measuring, gone afterwards."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from vast_orchard.settings import Settings
from vast_orchard.store.database import Database
from vast_orchard.store.migrate import migrate
from vast_orchard.supervision.postgres import open_cluster

__all__ = ["OwnDatabase", "own_database"]


@dataclass(frozen=True, kw_only=True)
class OwnDatabase:
    """Empty records, and settings that name them."""

    database: Database
    settings: Settings
    folder: Path  # for whatever else is needed meanwhile


@contextmanager
def own_database() -> Iterator[OwnDatabase]:
    """Start a cluster in a temporary folder; stop and remove it at the end."""
    with tempfile.TemporaryDirectory(prefix="vast-orchard-bench-") as name:
        folder = Path(name)
        folder.chmod(0o755)  # PostgreSQL may have to run as another user
        (folder / "cluster").mkdir()
        cluster = open_cluster(folder / "cluster")
        cluster.start()
        try:
            database = Database(cluster.url)
            migrate(database)
            settings = Settings(data_dir=folder / "data", database_url=cluster.url)
            yield OwnDatabase(database=database, settings=settings, folder=folder)
            database.close()
        finally:
            cluster.stop()
