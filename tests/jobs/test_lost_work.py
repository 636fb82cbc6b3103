"""Work that nobody does any more goes on elsewhere, whatever the queue thinks; and work that hears nothing is ended."""

import datetime as dt
import threading
from collections.abc import Iterator

import pytest
from sqlalchemy import text

from tests.pictures import png
from tests.world import World
from vast_orchard.errors import ConflictError, LeaseLostError
from vast_orchard.jobs import sign_of_life
from vast_orchard.jobs.clearing_up.given_up_uploads import sweep_uploads
from vast_orchard.jobs.context import Progress
from vast_orchard.jobs.queue import kinds_of, requeue_lost
from vast_orchard.jobs.run_job import run_job
from vast_orchard.jobs.sign_of_life import SignOfLife
from vast_orchard.store import jobs
from vast_orchard.store.imports import create_import
from vast_orchard.store.schema import JobState

_LIMIT_S = 10.0


@pytest.fixture
def job(world: World) -> int:
    return world.import_job(world.project(), {"a/1.png": png(1)})


def _sql(world: World, statement: str, **values: object) -> None:
    with world.context.database.session() as session:
        session.execute(text(statement), values)


def _delivered(world: World, started_s_ago: float) -> None:
    """The queue has handed its one job to a worker that lives, as it thinks."""
    _sql(world, "update procrastinate_jobs set status = 'doing'")
    _sql(
        world,
        "update procrastinate_events set at = now() - make_interval(secs => :ago) where type = 'started'",
        ago=started_s_ago,
    )


def _lost(world: World, queue: str = "data") -> int:
    with world.context.database.session() as session:
        return requeue_lost(session, queue, _LIMIT_S)


def _take(world: World, job: int, owner: str = "one", alive_s: float = 0.0) -> bool:
    with world.context.database.session() as session:
        return jobs.take_job(session, job, owner, alive_s=alive_s) is not None


def _age(world: World, job: int, seconds: float) -> None:
    _sql(world, "update job set created_at = now() - make_interval(secs => :s),"
                " sign_at = case when sign_at is null then null else now() - make_interval(secs => :s) end"
                " where id = :job", s=seconds, job=job)  # fmt: skip


def test_a_delivery_that_the_queue_calls_under_way_is_not_believed_for_ever(world: World, job: int) -> None:
    _take(world, job)
    _delivered(world, 0)
    _age(world, job, 300)
    assert _lost(world) == 0  # it has just been delivered; its work may be about to begin
    _delivered(world, 300)
    assert _lost(world, "train") == 0
    assert _lost(world) == 1
    assert _lost(world) == 0  # once is enough: a delivery stands out now
    assert world.run(job).state == "done"


def test_a_delivery_that_never_became_work_is_made_again(world: World, job: int) -> None:
    _delivered(world, 300)
    assert world.job(job).state == "waiting"
    assert _lost(world) == 0  # the job itself is young
    _age(world, job, 300)
    assert _lost(world) == 1


def test_work_that_gives_signs_of_life_is_left_to_whoever_does_it(world: World, job: int) -> None:
    _take(world, job)
    _delivered(world, 300)
    _age(world, job, 300)
    with world.context.database.session() as session:
        assert jobs.give_sign(session, job, "one")
        assert not jobs.give_sign(session, job, "two")
    assert _lost(world) == 0
    # Delivered twice all the same, the second worker leaves it to the first, and takes it when that one is silent.
    assert not _take(world, job, "two", alive_s=_LIMIT_S)
    _age(world, job, 300)
    assert _take(world, job, "two", alive_s=_LIMIT_S)


def test_a_report_is_a_sign_of_life(world: World, job: int) -> None:
    _take(world, job)
    _age(world, job, 300)
    Progress(world.context.database, job, "one").stage("Reading", 10)
    assert not _take(world, job, "two", alive_s=_LIMIT_S)


def test_signs_are_given_while_the_work_says_nothing_and_end_with_it(
    world: World, job: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sign_of_life, "_EVERY_S", 0.02)
    _take(world, job)
    _age(world, job, 300)
    with SignOfLife(world.context.database, job, "one") as living:
        deadline = threading.Event()
        for _ in range(1500):
            if not _take(world, job, "two", alive_s=_LIMIT_S):
                break
            deadline.wait(0.02)
        else:
            pytest.fail("no sign of life came")
    living._thread.join(30)
    assert not living._thread.is_alive()


def test_work_that_goes_on_long_after_it_was_taken_away_ends_its_process(
    world: World, job: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sign_of_life, "_EVERY_S", 0.02)
    monkeypatch.setattr(sign_of_life, "_STUCK_S", 0.0)
    stuck = threading.Event()
    _take(world, job, "another")
    with SignOfLife(world.context.database, job, "one", stuck.set):
        assert stuck.wait(30)


def test_stop_ends_work_that_does_not_hear_it(world: World, job: int) -> None:
    _take(world, job)

    def ended(limit_s: float) -> int:
        with world.context.database.session() as session:
            return jobs.end_deaf(session, kinds_of("data"), limit_s)

    assert ended(0) == 0
    with world.context.database.session() as session:
        jobs.ask_stop(session, job)
    assert ended(20) == 0
    _sql(world, "update job set stop_asked_at = now() - interval '30 seconds'")
    with world.context.database.session() as session:
        assert jobs.end_deaf(session, kinds_of("train"), 20) == 0
    assert ended(20) == 1
    assert world.job(job).state == "stopped"
    # Whoever still works on it finds out, and changes nothing more.
    with pytest.raises(LeaseLostError):
        Progress(world.context.database, job, "one").report()
    with world.context.database.session() as session:
        jobs.end_job(session, job, "one", JobState.DONE)
    assert world.job(job).state == "stopped"
    run_job(world.context, job)
    assert world.job(job).state == "stopped"


def test_work_that_waits_for_something_can_be_stopped_while_it_waits(world: World, job: int) -> None:
    _take(world, job)
    with world.context.database.session() as session:
        assert jobs.put_off(session, job, "one", "The disk is full.")
    waiting = world.job(job)
    assert (waiting.state, waiting.stage) == ("waiting", "The disk is full.")
    with world.context.database.session() as session:
        assert not jobs.put_off(session, job, "one", "Twice.")
        jobs.ask_stop(session, job)
    assert world.job(job).state == "stopped"
    with world.context.database.session() as session, pytest.raises(ConflictError):
        jobs.ask_stop(session, job)


@pytest.fixture
def uploads(world: World) -> Iterator[dict[str, str]]:
    """One that an import needs, one that is given up, and what a start that was killed left of its demo."""
    made = {name: world.upload({"plate/1.png": png(n)}) for n, name in enumerate(("needed", "given up", "young"))}
    project = world.project()
    with world.context.database.session() as session:
        create_import(session, project, "in", made["needed"])
    draft = world.context.folder.upload("d" * 16).with_suffix(".new")
    draft.mkdir()
    yield made


def test_given_up_uploads_are_swept_and_no_others(world: World, uploads: dict[str, str]) -> None:
    import os

    place, hours = world.context.folder.uploads, world.context.settings.upload_keep_h
    now = dt.datetime.now(dt.UTC)
    long_ago = (now - dt.timedelta(hours=hours + 1)).timestamp()
    for entry in place.iterdir():
        if entry.name != uploads["young"]:
            os.utime(entry, (long_ago, long_ago))
    assert sweep_uploads(world.context, now) == 2
    assert {entry.name for entry in place.iterdir()} == {uploads["needed"], uploads["young"]}
    assert sweep_uploads(world.context, now + dt.timedelta(hours=hours + 1)) == 1
