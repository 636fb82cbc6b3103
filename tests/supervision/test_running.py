"""The whole application: started twice, killed in parts and as a whole, and always on its feet again."""

import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx2
import psycopg
import pytest

from tests.pictures import png, zipped
from tests.running import Running, until
from tests.world import small_recipe
from vast_orchard.supervision.postgres import free_port, open_cluster, running_url


@pytest.fixture(scope="module")
def running(open_folder: Path) -> Iterator[Running]:
    app = Running(open_folder / "running")
    app.wait_ready()
    yield app
    app.stop()


@pytest.fixture(scope="module")
def archive(crystals: Path) -> bytes:
    folder = crystals / "ridge-station"
    return zipped({str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()})


def _up(*words: str) -> "subprocess.CompletedProcess[str]":
    return subprocess.run(
        [sys.executable, "-m", "vast_orchard.cli", "up", *words],
        capture_output=True,
        text=True,
        check=False,
        timeout=60,
    )


def test_a_second_start_on_the_same_folder_says_where_the_first_is(running: Running) -> None:
    second = _up("--data", str(running.data_dir), "--port", str(free_port()))
    assert second.returncode == 1
    assert f"is running on {running.data_dir} already: {running.address}/" in second.stderr


def test_a_port_in_use_is_named_with_another(open_folder: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        answer = _up("--data", str(open_folder / "elsewhere"), "--port", str(port))
    assert answer.returncode == 1
    assert f"Port {port} is in use" in answer.stderr
    assert f"./start --port {port + 1}" in answer.stderr


def test_a_data_folder_that_cannot_be_written_is_named(open_folder: Path) -> None:
    (open_folder / "a file").write_text("x")
    answer = _up("--data", str(open_folder / "a file" / "data"), "--port", str(free_port()))
    assert answer.returncode == 1
    assert "cannot be written" in answer.stderr
    assert "--data" in answer.stderr


def test_foreign_hosts_are_refused_over_the_wire(running: Running) -> None:
    with socket.create_connection(("127.0.0.1", running.port)) as wire:
        wire.sendall(b"GET /api/projects HTTP/1.1\r\nHost: evil.example\r\nConnection: close\r\n\r\n")
        assert b" 403 " in wire.makefile("rb").readline()


def test_the_api_stays_small_with_a_project_open(open_folder: Path, archive: bytes) -> None:
    app = Running(open_folder / "small")  # of its own: what other tests asked for is not counted
    try:
        app.wait_ready()
        project = app.bring_in("Small", archive)
        for path in ("pictures", "classes", "splits", "runs", "networks"):
            app.ask("GET", f"/api/projects/{project}/{path}")
        status = Path(f"/proc/{app.children()['serve']}/status").read_text()
    finally:
        app.stop()
    resident_kb = int(next(line for line in status.splitlines() if line.startswith("VmRSS")).split()[1])
    assert resident_kb < 200 * 1024


def _results(running: Running, run_id: int) -> tuple[Any, ...]:
    """What a training came to: its epochs, the digest of its weights, and their scores once they are judged."""

    def judged() -> Any:
        return running.ask("GET", f"/api/runs/{run_id}")["validation"]

    scores = until("it is judged", judged)
    model = running.ask("GET", f"/api/runs/{run_id}")["model"]
    return running.ask("GET", f"/api/runs/{run_id}/epochs"), model["digest"], scores


@pytest.mark.long
def test_a_killed_training_worker_goes_on_from_its_last_checkpoint(running: Running, archive: bytes) -> None:
    project = running.bring_in("Killed", archive)
    recipe = small_recipe(epochs=100)

    def train() -> Any:
        return running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": recipe})

    run = train()

    def epochs(run_id: int) -> int:
        return len(running.ask("GET", f"/api/runs/{run_id}/epochs"))

    until("some epochs are done", lambda: epochs(run["id"]) >= 5)
    running.kill_child("train")
    assert "The training worker ended (killed by signal 9); it is started again" in running.said()
    seen = epochs(run["id"])
    until("it goes on", lambda: epochs(run["id"]) > seen + 5)
    until("the killed run ends", lambda: running.ask("GET", f"/api/runs/{run['id']}")["state"] == "ended")
    again = train()
    until("the whole run ends", lambda: running.ask("GET", f"/api/runs/{again['id']}")["state"] == "ended")
    # Every figure of every epoch, and every weight, is the same as in a run that nobody killed.
    assert _results(running, run["id"]) == _results(running, again["id"])


def test_a_data_worker_killed_in_the_middle_of_an_import_ends_the_same(running: Running) -> None:
    members = {f"{'plate' if n % 3 else 'rime'}/{n}.png": png(n) for n in range(2400)}
    project = running.ask("POST", "/api/projects", json={"name": "Killed import"})["id"]
    upload = running.ask("POST", "/api/uploads")["id"]
    running.ask("PUT", f"/api/uploads/{upload}/files", data={"path": "in.zip"}, files={"file": ("f", zipped(members))})
    job = running.ask("POST", f"/api/projects/{project}/uploads/{upload}/import", json={"source_name": "in.zip"})

    def counts() -> dict[str, int]:
        return {row["name"]: row["count"] for row in running.ask("GET", f"/api/projects/{project}/classes")}

    until("some of it is here", lambda: sum(counts().values()) > 0)
    helpers = running.offspring("data")
    assert len(helpers) >= 3  # one to fork from, and those that decode
    running.kill_child("data")
    until("its helpers are gone", lambda: not any(Path(f"/proc/{pid}").exists() for pid in helpers))
    assert running.wait_job(job["id"])["state"] == "done"
    assert counts() == {"plate": 1600, "rime": 800}
    assert not (running.data_dir / "uploads" / upload).exists()
    report = running.ask("GET", f"/api/projects/{project}/imports")[0]["report"]
    assert (report["added"], report["repeated"], report["skipped_count"]) == (2400, 0, 0)


def test_a_killed_database_comes_back_with_everything(running: Running, archive: bytes) -> None:
    before = running.ask("GET", "/api/projects")
    running.kill_child("postgres")
    until("it answers again", running.answers)
    assert running.ask("GET", "/api/projects") == before
    # The workers came back as well: they do new work.
    running.bring_in("After the outage", archive)


@pytest.mark.long
def test_a_job_that_loses_its_connections_twice_goes_on_and_ends_the_same(running: Running, archive: bytes) -> None:
    """The second time while the queue hands the failed delivery back, which it then believes for ever."""
    project = running.bring_in("Connections", archive)
    body = {"recipe": small_recipe(epochs=100)}
    whole, cut = (running.ask("POST", f"/api/projects/{project}/runs", json=body)["id"] for _ in range(2))
    until("the second trains", lambda: len(running.ask("GET", f"/api/runs/{cut}/epochs")) >= 5)
    url = running_url(running.data_dir)
    assert url is not None
    with psycopg.connect(url, autocommit=True) as connection:
        for _ in range(2):
            ended = connection.execute(
                "select count(pg_terminate_backend(pid)) from pg_stat_activity where pid <> pg_backend_pid()"
                " and backend_type = 'client backend'"
            ).fetchone()
            assert ended is not None
            time.sleep(3)  # as long as the queue waits before it tries again
    until("the API answers", running.answers)
    until("it ends", lambda: running.ask("GET", f"/api/runs/{cut}")["state"] == "ended", 180)
    assert _results(running, whole) == _results(running, cut)


def test_a_killed_api_comes_back(running: Running) -> None:
    running.kill_child("serve")
    until("it answers again", running.answers)
    running.ask("GET", "/api/jobs")


def test_a_killed_quick_process_is_made_anew(running: Running, archive: bytes) -> None:
    project = running.bring_in("Quick", archive)
    url = f"{running.address}/api/projects/{project}/variation-sheet"
    recipe = httpx2.get(f"{running.address}/api/recipe").json()
    body = {"preprocessing": recipe["preprocessing"], "variation": recipe["variation"]}
    assert httpx2.post(url, json=body, timeout=30).status_code == 200
    server = running.children()["serve"]
    children = Path(f"/proc/{server}/task/{server}/children").read_text().split()
    spawned = [int(pid) for pid in children if b"spawn_main" in Path(f"/proc/{pid}/cmdline").read_bytes()]
    assert spawned
    for pid in spawned:
        os.kill(pid, signal.SIGKILL)
    assert httpx2.post(url, json=body, timeout=30).status_code == 200


@pytest.mark.long
def test_after_a_power_cut_it_starts_again_at_once_with_everything(open_folder: Path, archive: bytes) -> None:
    app = Running(open_folder / "cut")
    try:
        app.wait_ready()
        project = app.bring_in("Before", archive)
        run = app.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=60)})
        until("it trains", lambda: len(app.ask("GET", f"/api/runs/{run['id']}/epochs")) >= 3)
        app.kill()
        app.start_again()
        assert [entry["name"] for entry in app.ask("GET", "/api/projects")] == ["Before"]
        until("the run ends", lambda: app.ask("GET", f"/api/runs/{run['id']}")["state"] == "ended")
        assert len(app.ask("GET", f"/api/runs/{run['id']}/epochs")) == 60
    finally:
        app.stop()
    assert "Stopped; everything is stored." in app.said()
    assert app.process.returncode == 0
    assert app.children() == {}


def test_a_stale_pid_file_that_names_a_living_process_does_no_harm(open_folder: Path) -> None:
    place = open_folder / "stale"
    place.mkdir()
    cluster = open_cluster(place)
    (cluster.folder / "postmaster.pid").write_text(f"{os.getpid()}\n{cluster.folder}\n")
    cluster.start()
    cluster.stop()
    assert not (cluster.folder / "postmaster.pid").exists()


def test_a_closed_home_puts_the_cluster_where_its_user_can_enter(open_folder: Path) -> None:
    if os.geteuid():
        pytest.skip("only root runs the cluster as another user")
    closed = open_folder / "closed"
    closed.mkdir(mode=0o700)
    place = closed / "data"
    place.mkdir()
    cluster = open_cluster(place)
    try:
        assert not cluster.folder.is_relative_to(closed)
        cluster.start()
        cluster.stop()
        assert open_cluster(place).folder == cluster.folder
    finally:
        shutil.rmtree(cluster.folder, ignore_errors=True)
