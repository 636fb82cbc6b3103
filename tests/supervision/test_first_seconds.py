"""A start that is disturbed: what dies in its first seconds is started again, and what was cut short is completed."""

import os
import signal
import stat
import subprocess
from pathlib import Path

import pytest

from tests.running import Running, until


def _kill_postgres(app: Running, before: set[int]) -> None:
    """As soon as there is one that was not killed yet."""
    found = until("a database runs", lambda: {app.children().get("postgres", 0)} - before - {0})
    before |= found
    for pid in found:
        os.kill(pid, signal.SIGKILL)


@pytest.mark.long
def test_a_database_that_dies_again_and_again_while_it_starts_ends_nothing(open_folder: Path) -> None:
    app = Running(open_folder / "disturbed", "--demo")
    killed: set[int] = set()
    try:
        _kill_postgres(app, killed)  # at its first moment
        _kill_postgres(app, killed)
        until("the workers start", lambda: "Starting the workers" in app.said())
        _kill_postgres(app, killed)
        until("the demo is drawn", lambda: "Drawing the demo" in app.said())
        _kill_postgres(app, killed)
        app.wait_ready()
        (project,) = app.ask("GET", "/api/projects")
        until("the demo is in", lambda: app.ask("GET", f"/api/projects/{project['id']}")["pictures"] > 1300)
    finally:
        app.stop()
    assert app.process.returncode == 0, app.said()
    assert len(killed) == 4
    assert "it is started again" in app.said().lower()


@pytest.mark.long
def test_a_start_that_was_cut_short_is_completed_by_the_next_one(open_folder: Path) -> None:
    app = Running(open_folder / "cut short", "--demo")
    try:
        until("the demo is drawn", lambda: "Drawing the demo" in app.said())
        app.kill()
        app.start_again()
        assert [entry["name"] for entry in app.ask("GET", "/api/projects")] == ["Snow crystals"]
    finally:
        app.stop()


def test_nobody_else_on_the_machine_reads_the_data_folder(open_folder: Path) -> None:
    place = open_folder / "old"
    # As an earlier version left it.
    for folder in (place, place / "uploads", place / "bytes" / "pictures"):
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o755)
    (place / "lock").touch(mode=0o644)
    (place / "lock").chmod(0o644)
    app = Running(place)
    try:
        app.wait_ready()
        for _ in range(2):
            others = {
                path: stat.filemode(path.stat().st_mode)
                for path in (place, *place.iterdir(), *(place / "logs").iterdir(), *(place / "uploads").iterdir())
                if path.stat().st_mode & 0o007 or (path != place and path.stat().st_mode & 0o070)
            }
            assert others == {}
            app.ask("POST", "/api/uploads")  # made by the API, closed too
        # Whoever runs the database may pass through the folder, if it lies in there, and list nothing.
        assert not place.stat().st_mode & 0o060
    finally:
        app.stop()


@pytest.mark.long
def test_a_start_on_a_full_disk_says_so_in_one_line_and_works_when_there_is_room(open_folder: Path) -> None:
    if os.geteuid():
        pytest.skip("only root can mount a file system")
    disk = open_folder / "small disk"
    disk.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=160m,mode=755", "tmpfs", str(disk)], check=True)
    filler = disk / "filler"
    try:
        with filler.open("wb") as file:
            os.posix_fallocate(file.fileno(), 0, 155 * 2**20)
        app = Running(disk / "data")
        app.process.wait(60)
        assert app.process.returncode == 1
        said = app.said().strip().splitlines()[-1]
        assert said.startswith("orchard: ")
        assert "the disk is full" in said
        assert str(disk) in said
        assert "MB are needed" in said
        filler.unlink()
        app.start_again()
        app.stop()
        assert app.process.returncode == 0
    finally:
        subprocess.run(["umount", "--lazy", str(disk)], check=True)
