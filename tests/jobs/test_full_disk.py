"""A disk that is full: everything says so, where, and how much is needed, and goes on when there is room."""

import os
import subprocess
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import text

from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.errors import DiskFullError
from vast_orchard.jobs.context import open_context
from vast_orchard.jobs.queue import start_job
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.classes import list_classes
from vast_orchard.store.database import Database
from vast_orchard.store.imports import choose_reading, create_import
from vast_orchard.store.jobs import ask_stop
from vast_orchard.store.parcels import create_parcel
from vast_orchard.store.runs import get_run, list_epochs
from vast_orchard.store.schema import JobKind

_MB = 2**20


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A file system of a few megabytes."""
    if os.geteuid():
        pytest.skip("only root can mount a file system")
    place = tmp_path / "small"
    place.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=6m", "tmpfs", str(place)], check=True)
    yield place
    subprocess.run(["umount", "--lazy", str(place)], check=True)


@pytest.fixture
def cramped(world: World, small_disk: Path) -> Iterator[World]:
    """A world whose files lie on the small disk; its database does not."""
    context = open_context(replace(world.context.settings, data_dir=small_disk / "data"))
    yield World(context)
    context.database.close()


def _fill(place: Path, leave: int) -> Path:
    """Take all room but for so many bytes."""
    filler = place / "filler"
    with filler.open("wb") as file:
        os.posix_fallocate(file.fileno(), 0, os.statvfs(place).f_bavail * os.statvfs(place).f_frsize - leave)
    return filler


def _deliver(world: World, job: int) -> int:
    """How many seconds until the queue hands the job out again."""
    with world.context.database.session() as session:
        found = session.scalar(
            text(
                "select extract(epoch from scheduled_at - now()) from procrastinate_jobs"
                " where (args->>'job_id')::int = :job and status = 'todo' and scheduled_at is not null"
            ),
            {"job": job},
        )
    return int(found)


def test_what_is_stored_says_how_much_it_needs(small_disk: Path) -> None:
    store = ByteStore(str(small_disk))
    store.write("exports/1.zip", b"old")
    _fill(small_disk, 100_000)
    for data in (b"x" * 3 * _MB, iter([b"x" * _MB] * 3)):
        with pytest.raises(DiskFullError, match=rf"the disk is full\. {small_disk} has 0 MB free") as caught:
            store.write("exports/1.zip", data)
        assert caught.value.place == str(small_disk)
    assert store.read("exports/1.zip") == b"old"
    assert [path.name for path in (small_disk / "exports").iterdir()] == ["1.zip"]


def test_an_import_waits_for_room_and_goes_on_as_it_was_decided(cramped: World, small_disk: Path) -> None:
    project = cramped.project()
    upload = cramped.upload(
        {f"{c}/{n}.png": png(100 * k + n, (96, 96)) for k, c in enumerate(("plate", "rime")) for n in range(30)}
    )
    with cramped.context.database.session() as session:
        entry = create_import(session, project, "in", upload)
        reading = start_job(session, project, JobKind.READ, "Read", entry.id)
    cramped.run(reading)
    with cramped.context.database.session() as session:
        choose_reading(session, entry.id, {"read_as": "one_class", "class_name": "snow"})
        job = start_job(session, project, JobKind.IMPORT, "Bring in", entry.id)
    # Pictures of an upload are linked and take no room, but notes do: none is left for these.
    filler = _fill(small_disk, 0)
    waiting = cramped.run(job)
    assert waiting.state == "waiting"
    assert "the disk is full" in waiting.stage
    assert str(small_disk / "data") in waiting.stage
    assert 0 < _deliver(cramped, job) <= 10
    filler.unlink()
    assert cramped.run(job).state == "done"
    assert len(cramped.picture_ids(project)) == 60
    with cramped.context.database.session() as session:
        assert [(found.name, found.count) for found in list_classes(session, project)] == [("snow", 60)]


def test_a_training_waits_for_room_and_ends_with_the_weights_that_it_would_have_had(
    cramped: World, small_disk: Path
) -> None:
    project = cramped.project()
    cramped.bring_in(project, {f"{c}/{n}.png": png(9 * n + len(c)) for c in ("plate", "rime") for n in range(20)})
    whole, job = cramped.run_job(project, small_recipe(epochs=3))
    assert cramped.run(job).state == "done"
    cut, job = cramped.run_job(project, small_recipe(epochs=3))
    filler = _fill(small_disk, 60_000)  # room for the pictures and for less than an epoch's files
    waiting = cramped.run(job)
    assert waiting.state == "waiting"
    assert "the disk is full" in waiting.stage
    with cramped.context.database.session() as session:
        assert get_run(session, cut).state == "training"
    filler.unlink()
    assert cramped.run(job).state == "done"
    with cramped.context.database.session() as session:
        assert list_epochs(session, cut) == list_epochs(session, whole)


def test_pixels_are_given_their_room_before_they_are_written(cramped: World, small_disk: Path) -> None:
    """A mapped file without room for its pages would end the worker by a signal."""
    project = cramped.project()
    cramped.bring_in(project, {f"{c}/{n}.png": png(9 * n + len(c)) for c in ("plate", "rime") for n in range(20)})
    recipe = small_recipe()
    recipe["preprocessing"]["size"] = 256  # type: ignore[index]
    _, job = cramped.run_job(project, recipe)
    filler = _fill(small_disk, _MB)
    waiting = cramped.run(job)
    assert waiting.state == "waiting"
    assert "as the network sees them cannot be written" in waiting.stage
    assert "at least 6 MB" in waiting.stage or "at least 5 MB" in waiting.stage
    assert not list((small_disk / "data" / "cache").glob("*.part"))
    filler.unlink()


def test_a_parcel_waits_too_and_a_person_can_stop_it(cramped: World, small_disk: Path) -> None:
    project = cramped.project()
    cramped.bring_in(project, {f"plate/{n}.png": png(n, (200, 200)) for n in range(12)})
    with cramped.context.database.session() as session:
        parcel = create_parcel(session, project, "collection", "a.zip", {})
        job = start_job(session, project, JobKind.TAKE_OUT, "Take out", parcel.id)
    _fill(small_disk, 50_000)
    waiting = cramped.run(job)
    assert (waiting.state, "The parcel cannot be written: the disk is full" in waiting.stage) == ("waiting", True)
    assert not list(cramped.context.folder.parcels.iterdir())
    with cramped.context.database.session() as session:
        ask_stop(session, job)
    assert cramped.job(job).state == "stopped"


def test_a_database_without_room_is_told_from_one_that_is_gone(small_disk: Path) -> None:
    _fill(small_disk, _MB)
    database = Database("postgresql://nobody@127.0.0.1:1/none", data_dir=small_disk)
    words = "What the database keeps cannot be written: the disk is full"
    with pytest.raises(DiskFullError, match=words), database.session() as session:
        session.execute(text("select 1"))
