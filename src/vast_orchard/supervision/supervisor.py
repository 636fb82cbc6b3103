"""Starts PostgreSQL, the workers and the API, watches over them, and stops them all.

Every child dies with this process, even if it is killed; a child that dies alone is started again, and it is said.
"""

import fcntl
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from types import FrameType
from typing import IO

import psycopg

from vast_orchard.errors import DiskFullError, OrchardError, ServiceError
from vast_orchard.settings import PREFIX, Settings, trainings_at_once
from vast_orchard.store.disk import disk_full, full_disk_in_words, is_full
from vast_orchard.supervision.first_start import make_demo
from vast_orchard.supervision.postgres import Cluster, open_cluster, with_parent

__all__ = ["supervise"]

_LOOK_EVERY_S = 0.2
_STOP_LIMIT_S = 6.0
_READY_LIMIT_S = 60.0
# A child that dies soon after its start is started again after 1, 2, 4, … seconds, at most this many.
_LONGEST_PAUSE_S = 15.0
_CALM_S = 5.0
# So often a database that dies while it is made ready is started again.
_TRIES = 5
# So often it is asked whether there is a model to serve.
_SERVED_EVERY_S = 1.0


def _say(text: str) -> None:
    sys.stdout.write(f"  {text}\n")
    sys.stdout.flush()


@dataclass(kw_only=True)
class _Child:
    """One process that is kept running."""

    name: str
    words: list[str]  # of the command `orchard`
    environment: dict[str, str]
    log: Path
    process: subprocess.Popen[bytes] | None = None
    started_at: float = 0.0
    pause_s: float = 1.0
    start_at: float = 0.0
    asked: bool = False  # to stop, by us
    wanted: Callable[[], bool] = lambda: True  # whether there is anything for it to do

    def start(self) -> None:
        self.log.parent.mkdir(parents=True, exist_ok=True)
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "vast_orchard.cli", *self.words],
                env=self.environment,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
                preexec_fn=with_parent(signal.SIGTERM),
            )
        self.started_at = time.monotonic()

    def watch(self) -> None:
        """Start it again, after a pause, if it has ended."""
        now = time.monotonic()
        if self.process is None and not self.wanted():
            return
        if self.process is not None and self.process.poll() is not None:
            code = self.process.returncode
            if self.asked or now - self.started_at > _CALM_S:
                self.pause_s = 0.0 if self.asked else 1.0
            _say(f"The {self.name} ended ({_how(code)}); it is started again in {self.pause_s:.0f} s. See {self.log}")
            self.process, self.start_at = None, now + self.pause_s
            self.pause_s, self.asked = max(1.0, min(self.pause_s * 2, _LONGEST_PAUSE_S)), False
        if self.process is None and now >= self.start_at:
            self.start()

    def ask_to_stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.asked = True
            self.process.terminate()

    def wait(self, deadline: float) -> None:
        if self.process is None:
            return
        try:
            self.process.wait(max(0.1, deadline - time.monotonic()))
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()


def _how(code: int) -> str:
    return f"killed by signal {-code}" if code < 0 else f"exit code {code}"


def _lock(data_dir: Path) -> IO[str]:
    """Hold the data folder for this process; the lock goes with the process, however it ends."""
    try:
        data_dir.mkdir(parents=True, exist_ok=True)
        lock = (data_dir / "lock").open("a+")
    except OSError as error:
        if is_full(error):
            raise disk_full("The data folder", data_dir, 64 * 2**20) from error
        raise ServiceError(
            f"The data folder {data_dir} cannot be written: {error.strerror}.", "Choose another with --data."
        ) from error
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        lock.seek(0)
        raise ServiceError(
            f"Vast Orchard is running on {data_dir} already: {lock.read().strip() or 'it is just starting'}.",
            "Open that address, or stop it first.",
        ) from error
    return lock


def _check_port(settings: Settings) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((settings.host, settings.port))
        except OSError as error:
            raise ServiceError(
                f"Port {settings.port} is in use by another program.",
                f"Choose another: ./start --port {settings.port + 1}",
            ) from error


def _training_workers(count: int) -> list[tuple[str, list[str], str]]:
    """Name, words and log of each; the first is called as if it were the only one."""
    which = ["", *(f" {number}" for number in range(2, count + 1))]
    words = ["worker", "--queue", "train"]
    return [(f"training worker{one}", words, f"worker-train{one.replace(' ', '-')}") for one in which]


class _Served:
    """Whether any model is in use; asked of the database now and then."""

    def __init__(self, cluster: Cluster) -> None:
        self._cluster, self._asked_at = cluster, 0.0

    def any(self) -> bool:
        """True once one is."""
        now = time.monotonic()
        if now - self._asked_at < _SERVED_EVERY_S:
            return False
        self._asked_at = now
        try:
            with psycopg.connect(self._cluster.url, connect_timeout=2) as connection:
                found = connection.execute("select 1 from offer where state = 'in_use' limit 1").fetchone()
        except psycopg.Error:
            return False  # the database is just being started, or has no such table yet
        return found is not None


class _Supervisor:
    def __init__(self, settings: Settings, page: Path, cluster: Cluster) -> None:
        self._settings, self._cluster = settings, cluster
        self._stopping = False
        environment = {
            # Threads that decode pictures would each keep memory of their own; two such places are as fast.
            "MALLOC_ARENA_MAX": "2",
            **os.environ,
            PREFIX + "DATA_DIR": str(settings.data_dir),
            PREFIX + "DATABASE_URL": "",  # once the database stands
            PREFIX + "HOST": settings.host,
            PREFIX + "PORT": str(settings.port),
        }
        logs = settings.data_dir / "logs"
        self._children = [
            _Child(name=name, words=words, environment=environment, log=logs / f"{log}.log")
            for name, words, log in (
                ("data worker", ["worker", "--queue", "data"], "worker-data"),
                *_training_workers(trainings_at_once(settings)),
                ("API", ["serve"], "api"),
            )
        ]
        if settings.serving_port:
            # It holds the engine and every model in use: nobody pays for that before there is one.
            self._children.append(
                _Child(
                    name="models' server", words=["serve-models"], environment=environment, log=logs / "serving.log",
                    wanted=_Served(cluster).any,
                )
            )  # fmt: skip

    def on_signal(self, _number: int, _frame: FrameType | None) -> None:
        self._stopping = True

    @property
    def address(self) -> str:
        return f"http://{self._settings.host}:{self._settings.port}/"

    def start(self) -> None:
        for child in self._children:
            if child.wanted():
                child.start()

    def wait_until_ready(self) -> bool:
        """True once the page answers; False if it was told to stop meanwhile."""
        deadline = time.monotonic() + _READY_LIMIT_S
        while not self._stopping:
            try:
                with urllib.request.urlopen(self.address + "api/health", timeout=2):
                    return True
            except (urllib.error.URLError, OSError):
                self._look()
                if time.monotonic() > deadline:
                    log = self._settings.data_dir / "logs" / "api.log"
                    last = log.read_text(errors="replace").strip().splitlines()[-3:] if log.exists() else []
                    raise ServiceError(f"The API does not answer. {' / '.join(last)}", f"See {log}.") from None
        return False

    def watch(self) -> None:
        """Keep everything running until a signal asks to stop."""
        while not self._stopping:
            self._look()

    def _look(self) -> None:
        process = self._cluster.process
        if process is not None and process.poll() is not None and not self._stopping:
            _say(f"PostgreSQL ended ({_how(process.returncode)}); it is started again.")
            self._restart_database()
        for child in self._children:
            child.watch()
        time.sleep(_LOOK_EVERY_S)

    def _restart_database(self) -> None:
        try:
            self._cluster.start()
        except OrchardError as error:
            _say(str(error))
            time.sleep(2)
            return
        # After an outage a worker can live on without a heartbeat, so they start afresh. The API reconnects by
        # itself, unless the database had to move to another port.
        for child in self._children:
            moved = child.environment[PREFIX + "DATABASE_URL"] != self._cluster.url
            child.environment[PREFIX + "DATABASE_URL"] = self._cluster.url
            if moved or "worker" in child.words:
                child.ask_to_stop()

    def bring_up_database(self) -> None:
        """Start the database and bring its records up to date; if it dies at that, it is started again.

        Raises
        ------
        ServiceError
            It cannot be started, or its disk is full.
        """
        # Imported here, after the quick refusals: the store takes half a second to import.
        from vast_orchard.store.database import Database
        from vast_orchard.store.migrate import migrate

        for tries_left in reversed(range(_TRIES)):
            try:
                self._cluster.start()
                for child in self._children:
                    child.environment[PREFIX + "DATABASE_URL"] = self._cluster.url
                database = Database(self._cluster.url, data_dir=self._settings.data_dir)
                try:
                    migrate(database)
                finally:
                    database.close()
                return
            except DiskFullError:
                raise
            except ServiceError as error:
                if self._stopping or not tries_left:
                    raise
                _say(f"{error} It is started again.")
                self._cluster.stop()
                time.sleep(1)

    def make_demo(self) -> None:
        """Make the demo project, in a thread: drawing takes longer than anything may go unwatched."""
        made = threading.Thread(target=self._draw, name="demo", daemon=True)
        made.start()
        while made.is_alive() and not self._stopping:
            self._look()

    def _draw(self) -> None:
        try:
            make_demo(self._settings, lambda: self._cluster.url, _say)
        except (OrchardError, OSError) as error:
            _say(f"The demo could not be made: {error} The next start makes it.")

    def stop(self) -> None:
        """Stop the children, then the database."""
        for child in self._children:
            child.ask_to_stop()
        deadline = time.monotonic() + _STOP_LIMIT_S
        for child in self._children:
            child.wait(deadline)
        self._cluster.stop()


def supervise(settings: Settings, *, page: Path, demo: bool) -> int:
    """Run everything until SIGINT or SIGTERM.

    Returns
    -------
    int
        The exit code: 0 after being asked to stop.

    Raises
    ------
    ServiceError
        Something cannot be started; says what and how to mend it.
    """
    if not (page / "index.html").exists():
        raise ServiceError("The page is not built.", "Start with ./start, which builds it.")
    # What is made from here on, by this process and all that it starts, is its owner's alone.
    os.umask(0o077)
    with full_disk_in_words(settings.data_dir):
        lock = _lock(settings.data_dir)
        _check_port(settings)
        return _supervise(settings, page, lock, demo=demo)


def _supervise(settings: Settings, page: Path, lock: IO[str], *, demo: bool) -> int:
    began = time.monotonic()
    _say("Starting the database")
    supervisor = _Supervisor(settings, page, open_cluster(settings.data_dir))
    for sign in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(sign, supervisor.on_signal)
    try:
        supervisor.bring_up_database()
        _say("Starting the workers and the page")
        supervisor.start()
        if supervisor.wait_until_ready():
            lock.truncate(0)
            lock.write(supervisor.address)
            lock.flush()
            if demo:
                supervisor.make_demo()
            _say(f"Ready after {time.monotonic() - began:.0f} s.")
            sys.stdout.write(f"\nVast Orchard is at {supervisor.address}  (Ctrl-C stops it)\n\n")
            sys.stdout.flush()
            supervisor.watch()
        _say("Stopping")
    finally:
        supervisor.stop()
        lock.truncate(0)
        lock.close()
    _say("Stopped; everything is stored.")
    return 0
