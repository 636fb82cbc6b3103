"""What tests stand on: one private PostgreSQL for the session, a fresh database for each test that asks."""

import itertools
import multiprocessing
import shutil
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import hypothesis
import psycopg
import pytest
from starlette.testclient import TestClient

from tests.world import World
from vast_orchard.api.app import create_app
from vast_orchard.demo.write import write_collection
from vast_orchard.jobs.context import open_context
from vast_orchard.settings import Settings
from vast_orchard.store.database import Database
from vast_orchard.store.migrate import migrate
from vast_orchard.supervision.postgres import Cluster, open_cluster

# A slow machine fails no property.
hypothesis.settings.register_profile("orchard", deadline=None)
hypothesis.settings.load_profile("orchard")


@pytest.fixture(scope="session")
def open_folder() -> Iterator[Path]:
    """A folder that the account of the cluster can enter, unlike pytest's own below a closed one."""
    folder = Path(tempfile.mkdtemp(prefix="vast-orchard-tests-"))
    folder.chmod(0o755)
    yield folder
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def cluster(open_folder: Path) -> Iterator[Cluster]:
    """A running PostgreSQL whose database is migrated and serves as the template of all others."""
    place = open_folder / "cluster"
    place.mkdir()
    cluster = open_cluster(place)
    cluster.start()
    template = Database(cluster.url)
    migrate(template)
    template.close()
    with psycopg.connect(cluster.url, autocommit=True) as connection:
        # Databases are made and dropped all the time, and none has to survive a power cut.
        for setting in ("fsync", "synchronous_commit", "full_page_writes"):
            connection.execute(f"alter system set {setting} = off".encode())
        connection.execute("select pg_reload_conf()")
    yield cluster
    cluster.stop()


class _Databases:
    """Databases of the template, made one ahead and dropped behind: a third of a second each that no test waits for."""

    def __init__(self, cluster: Cluster) -> None:
        self._server = cluster.url.rsplit("/", 1)[0]
        self._numbers = itertools.count()
        self._maker, self._dropper = ThreadPoolExecutor(1), ThreadPoolExecutor(1)
        self._next = self._maker.submit(self._make)

    def _run(self, statement: str) -> None:
        with psycopg.connect(f"{self._server}/postgres", autocommit=True) as connection:
            connection.execute(statement.encode())

    def _make(self) -> str:
        name = f"test_{next(self._numbers)}"
        self._run(f"create database {name} template orchard")
        return name

    @contextmanager
    def one(self) -> Iterator[str]:
        name = self._next.result()
        self._next = self._maker.submit(self._make)
        yield f"{self._server}/{name}"
        self._dropper.submit(self._run, f"drop database {name} with (force)")

    def close(self) -> None:
        self._maker.shutdown()
        self._dropper.shutdown()


@pytest.fixture(scope="session")
def databases(cluster: Cluster) -> Iterator[_Databases]:
    """A supply of fresh databases."""
    supply = _Databases(cluster)
    yield supply
    supply.close()


@pytest.fixture
def database_url(databases: _Databases) -> Iterator[str]:
    """The address of a database of this test's own."""
    with databases.one() as url:
        yield url


@pytest.fixture
def world(database_url: str, tmp_path: Path) -> Iterator[World]:
    """Records, bytes and a data folder, with short words for common steps."""
    settings = Settings(data_dir=tmp_path / "data", database_url=database_url, proof_pictures=32)
    context = open_context(settings)
    yield World(context)
    context.database.close()


@pytest.fixture(scope="session")
def quick_processes() -> Iterator[None]:
    """Quick processes fork from one that has imported the numerics: seconds less for each test that needs one.

    How the application itself starts its quick process is seen in `test_process` and wherever it runs as a whole.
    """
    forking = multiprocessing.get_context("forkserver")
    forking.set_forkserver_preload(["vast_orchard.jobs.quick.tasks"])
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("vast_orchard.jobs.quick.process.get_context", lambda _: forking)
        yield


@pytest.fixture
def client(world: World, quick_processes: None) -> Iterator[TestClient]:
    """The API in this process, on the same records as `world`."""
    with TestClient(
        create_app(world.context.settings), base_url="http://127.0.0.1:8420", headers={"X-Window": "one"}
    ) as client:
        yield client


@pytest.fixture(scope="session")
def crystals(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A small snow-crystal collection with its list of planted faults."""
    folder = tmp_path_factory.mktemp("crystals")
    write_collection(folder, count=140, seed=3)
    return folder
