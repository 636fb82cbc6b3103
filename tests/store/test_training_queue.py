"""Whose turn it is: an order that people change, what is held, and what waits again for another."""

import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import pytest
from sqlalchemy import text

from tests.pictures import png
from tests.world import World
from vast_orchard.at_once.queue_times import timed_queue
from vast_orchard.core.training.begin import Training
from vast_orchard.core.training.values import EpochResult
from vast_orchard.errors import ConflictError
from vast_orchard.jobs.queue import requeue_lost
from vast_orchard.jobs.training import run_training
from vast_orchard.store.jobs import take_job
from vast_orchard.store.schema import JobKind
from vast_orchard.store.training_queue import Move, change_queue, take_turn, training_queue


@pytest.fixture
def runs(world: World) -> list[int]:
    """Four that wait, in the order of starting; of two projects, so that the order is over all of them."""
    found = []
    for name in ("Ridge", "Valley"):
        project = world.project(name)
        members = {f"{c}/{n}.png": png(60 * k + n) for k, c in enumerate(("plate", "rime")) for n in range(8)}
        world.bring_in(project, members)
        found += [world.run_job(project)[0] for _ in range(2)]
    return found


def _order(world: World) -> list[int]:
    with world.context.database.session() as session:
        return [entry.run_id for entry in training_queue(session)]


def _change(world: World, run: int, move: Move) -> None:
    with world.context.database.session() as session:
        change_queue(session, run, move)


def _turn(world: World, run: int) -> int | None:
    """Which run has its turn when the job of this one is handed out."""
    with world.context.database.session() as session:
        job = take_turn(session, world.job_of(JobKind.TRAIN, run), "one who only asks")
        session.rollback()
    return None if job is None else job.subject_id


def test_runs_have_their_turns_in_the_order_that_people_give_them(world: World, runs: list[int]) -> None:
    one, two, three, four = runs
    assert _order(world) == [one, two, three, four]
    for run, move, order in (
        (three, Move.EARLIER, [one, three, two, four]),
        (one, Move.LATER, [three, one, two, four]),
        (four, Move.FIRST, [four, three, one, two]),
        (four, Move.EARLIER, [four, three, one, two]),  # it cannot be earlier than first
        (four, Move.LAST, [three, one, two, four]),
        (four, Move.LATER, [three, one, two, four]),
    ):
        _change(world, run, move)
        assert _order(world) == order
    # Whichever job wakes the worker, the first has its turn; one that is started later comes last.
    assert _turn(world, two) == three
    later, _ = world.run_job(world.project_of(one))
    assert _order(world) == [three, one, two, four, later]


def test_what_is_held_has_no_turn_and_is_not_handed_out_until_it_is_let_go(world: World, runs: list[int]) -> None:
    one, two, *others = runs
    _change(world, one, Move.HOLD)
    assert _order(world)[0] == one
    assert _turn(world, one) == two
    for run in (two, *others):
        _change(world, run, Move.HOLD)
    assert _turn(world, one) is None
    with world.context.database.session() as session:
        session.execute(text("delete from procrastinate_jobs"))
        session.execute(text("update job set created_at = now() - interval '1 hour'"))
    with world.context.database.session() as session:
        assert requeue_lost(session, "train", 5) == 0
    _change(world, two, Move.LET_GO)
    assert _turn(world, one) == two
    with world.context.database.session() as session:
        assert requeue_lost(session, "train", 5) == 1


def test_workers_that_are_woken_at_once_all_get_a_training(world: World, runs: list[int]) -> None:
    jobs = [world.job_of(JobKind.TRAIN, run) for run in runs]
    ready = threading.Barrier(len(jobs))

    def woken(number: int) -> int | None:
        ready.wait(30)
        with world.context.database.session() as session:
            job = take_turn(session, jobs[number], f"worker {number}", alive_s=600)
        return job.id if job else None

    with ThreadPoolExecutor(len(jobs)) as workers:
        taken = list(workers.map(woken, range(len(jobs))))
    assert sorted(job for job in taken if job) == sorted(jobs)


def test_a_delivery_of_what_another_already_trains_is_for_the_next_that_waits(world: World, runs: list[int]) -> None:
    jobs = [world.job_of(JobKind.TRAIN, run) for run in runs]
    _change(world, runs[1], Move.FIRST)
    for delivered, taken in ((0, 1), (1, 0), (2, 2)):
        with world.context.database.session() as session:
            job = take_turn(session, jobs[delivered], f"worker {delivered}", alive_s=600)
        assert job is not None and job.id == jobs[taken]
    # Of one that gives no sign of life the same delivery is its rescue.
    with world.context.database.session() as session:
        job = take_turn(session, jobs[0], "rescuer")
    assert job is not None and job.id == jobs[0]


def test_next_lets_what_trains_wait_right_behind_it_and_end_with_the_same_weights(
    world: World, runs: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    one, two, three, four = runs
    job = world.job_of(JobKind.TRAIN, one)
    begin = run_training.begin  # type: ignore[attr-defined]

    def watched(*arguments: Any, **more: Any) -> Training:
        running = begin(*arguments, **more)

        def results() -> Iterator[Any]:
            for result in running.results:
                if isinstance(result, EpochResult) and result.metrics.number == 1:
                    _change(world, three, Move.NEXT)
                yield result

        return replace(running, results=results())

    monkeypatch.setattr(run_training, "begin", watched)
    world.run(job)
    monkeypatch.undo()
    assert (world.job(job).state, world.job(job).stage) == ("waiting", "")
    assert _order(world) == [three, one, two, four]
    assert _turn(world, one) == three
    for run in (three, one, two):
        world.run(world.job_of(JobKind.TRAIN, run))
    assert world.job(job).state == "done"
    # `two` is the same training of the same pictures, and was never interrupted.
    assert world.digest_of(one) == world.digest_of(two)


def test_of_several_that_train_the_last_one_makes_room(world: World, runs: list[int]) -> None:
    one, two, three, four = runs
    for run in (one, two):
        with world.context.database.session() as session:
            take_job(session, world.job_of(JobKind.TRAIN, run), f"worker {run}")
    _change(world, four, Move.NEXT)
    with world.context.database.session() as session:
        pausing = {entry.run_id: entry.pausing for entry in training_queue(session)}
    assert pausing == {one: False, two: True, three: False, four: False}
    assert _turn(world, four) == four


def test_times_are_told_for_as_many_as_train_at_once(world: World, runs: list[int]) -> None:
    _change(world, runs[2], Move.HOLD)
    with world.context.database.session() as session:
        queue = training_queue(session)
    alone, beside = (timed_queue(queue, 1.0, count) for count in (1, 2))
    takes = alone[0]["ends_s"]
    assert takes > 0 and alone[2]["begins_s"] is None
    # All four are the same training of as many pictures.
    assert [alone[place]["begins_s"] for place in (0, 1, 3)] == pytest.approx([0, takes, 2 * takes])
    assert [beside[place]["begins_s"] for place in (0, 1, 3)] == pytest.approx([0, 0, takes])
    assert [entry["ends_s"] for entry in timed_queue(queue, None, 2)] == [None] * 4


def test_what_does_not_wait_cannot_be_moved(world: World, runs: list[int]) -> None:
    world.run(world.job_of(JobKind.TRAIN, runs[0]))
    with pytest.raises(ConflictError, match="does not wait for its turn"):
        _change(world, runs[0], Move.FIRST)
