"""The state machine of long work: one owner, no way back, stopping at any point."""

import pytest
from sqlalchemy import text

from tests.pictures import png
from tests.world import World
from vast_orchard.errors import ConflictError, LeaseLostError
from vast_orchard.jobs.queue import requeue_lost, start_job
from vast_orchard.store import jobs
from vast_orchard.store.schema import JobKind, JobState
from vast_orchard.store.values import JobValue


@pytest.fixture
def job(world: World) -> int:
    return world.import_job(world.project(), {"a/1.png": png(1)})


def _take(world: World, job_id: int, owner: str) -> JobValue | None:
    with world.context.database.session() as session:
        return jobs.take_job(session, job_id, owner)


def _report(world: World, job_id: int, owner: str) -> jobs.Asked:
    with world.context.database.session() as session:
        return jobs.report(session, job_id, owner, stage="x", done=1, total=2, left_s=None)


def test_the_second_owner_wins_and_the_first_finds_out(world: World, job: int) -> None:
    assert _take(world, job, "first")
    assert _take(world, job, "second")
    assert _report(world, job, "second") == (False, False)
    with pytest.raises(LeaseLostError):
        _report(world, job, "first")
    with world.context.database.session() as session:
        jobs.end_job(session, job, "first", JobState.DONE)
    assert world.job(job).state == "running"


def test_ended_work_is_never_taken_again(world: World, job: int) -> None:
    _take(world, job, "me")
    with world.context.database.session() as session:
        jobs.end_job(session, job, "me", JobState.FAILED, "it broke")
    assert world.job(job).error == "it broke"
    assert _take(world, job, "you") is None


def test_stopping_what_waits_ends_it_and_what_runs_is_told(world: World, job: int) -> None:
    with world.context.database.session() as session:
        jobs.ask_stop(session, job)
    assert world.job(job).state == "stopped"
    assert world.run(job).state == "stopped"
    with world.context.database.session() as session, pytest.raises(ConflictError, match="ended already"):
        jobs.ask_stop(session, job)
    running = world.import_job(world.project("Other"), {"a/1.png": png(1)})
    _take(world, running, "me")
    with world.context.database.session() as session:
        jobs.ask_stop(session, running)
    assert _report(world, running, "me").stop


def test_the_same_work_is_not_started_twice(world: World, job: int) -> None:
    subject = world.job(job).subject_id
    with world.context.database.session() as session, pytest.raises(ConflictError, match="under way already"):
        start_job(session, world.job(job).project_id, JobKind.IMPORT, "Again", subject)


def test_what_the_queue_forgot_is_handed_out_again(world: World, job: int) -> None:

    with world.context.database.session() as session:
        assert requeue_lost(session, "data", 0.0) == 0
        session.execute(text("delete from procrastinate_jobs"))
        assert requeue_lost(session, "train", 0.0) == 0
        assert requeue_lost(session, "data", 0.0) == 1
        assert requeue_lost(session, "data", 0.0) == 0


def test_a_failed_transaction_leaves_no_job_behind(world: World) -> None:

    project = world.project()
    with pytest.raises(RuntimeError), world.context.database.session() as session:
        start_job(session, project, JobKind.IMPORT, "Lost", 1)
        raise RuntimeError
    with world.context.database.session() as session:
        assert session.scalar(text("select count(*) from procrastinate_jobs")) == 0
        assert jobs.list_jobs(session) == []


def test_the_tray_forgets_what_was_put_away(world: World, job: int) -> None:
    world.run(job)
    with world.context.database.session() as session:
        assert [entry.id for entry in jobs.list_jobs(session) if entry.state == "done"] == [job]
        jobs.put_away(session, job)
        assert [entry.kind for entry in jobs.list_jobs(session)] == ["copies"]
