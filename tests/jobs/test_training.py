"""Runs through the records: snapshots, epochs, stopping, and going on after a worker died."""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from safetensors.numpy import load
from sqlalchemy import text

from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.core.training.begin import Training
from vast_orchard.core.training.values import EpochResult
from vast_orchard.errors import ConflictError, DatabaseGoneError
from vast_orchard.jobs import training
from vast_orchard.jobs.catalogue import PROGRAM
from vast_orchard.jobs.perform import perform
from vast_orchard.jobs.queue import start_job
from vast_orchard.store.actions import label_pictures
from vast_orchard.store.classes import list_classes
from vast_orchard.store.exports import create_export, get_export
from vast_orchard.store.jobs import ask_stop, hold_lease, take_job
from vast_orchard.store.predictions import list_outcomes
from vast_orchard.store.runs import (
    add_epoch,
    add_look,
    check_look,
    checkpoint_path,
    create_run,
    footing,
    get_run,
    judgement_of,
    set_checkpoint,
)
from vast_orchard.store.schema import JobKind
from vast_orchard.store.splits import create_split
from vast_orchard.store.values import RunValue
from vast_orchard.types import SetName


@pytest.fixture
def project(world: World, crystals: Path) -> int:
    made = world.project()
    folder = crystals / "ridge-station"
    world.bring_in(made, {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()})
    return made


def _run(world: World, run_id: int) -> RunValue:
    with world.context.database.session() as session:
        return get_run(session, run_id)


def _weights(world: World, run_id: int, kind: str) -> dict[str, np.ndarray[Any, Any]]:
    with world.context.database.session() as session:
        path = checkpoint_path(session, run_id, kind)
    assert path is not None
    return load(world.context.store.read(path))


def test_a_run_from_start_to_judgement(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    assert world.run(job).state == "done"
    run = _run(world, run_id)
    assert [epoch.number for epoch in run.epochs] == [1, 2]
    losses = [epoch.validation_loss for epoch in run.epochs]
    assert run.kept_epoch == 1 + losses.index(min(losses))
    assert str(run.ended_because).startswith("All 2 epochs done. Epoch")
    judged = run.judgements["validation"]
    assert judged["count"] == run.counts["validation"]
    assert sum(map(sum, judged["confusion"])) == judged["count"]
    with world.context.database.session() as session:
        everything = list_outcomes(session, run_id, "validation", [], wrong_only=False, limit=1000)
    assert sum(o.true_class == o.predicted_class for o in everything) == judged["right"]
    surprise = [outcome.loss for outcome in everything]
    assert surprise == sorted(surprise, reverse=True)
    # Accuracy at the kept epoch, as the loop saw it, is what the judgement says.
    assert judged["accuracy"] == pytest.approx(run.epochs[run.kept_epoch - 1].validation_accuracy)


def test_a_worker_that_dies_in_mid_training_goes_on_to_the_same_weights(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole, job = world.run_job(project, small_recipe(epochs=4))
    world.run(job)
    broken, job = world.run_job(project, small_recipe(epochs=4))
    stored = 0

    def dies(session: Any, run_id: int, kind: str, epoch: int, path: str) -> Any:
        nonlocal stored
        if epoch == 3:
            raise DatabaseGoneError("The database does not answer.", "")
        stored = epoch
        return set_checkpoint(session, run_id, kind, epoch, path)

    monkeypatch.setattr(training, "set_checkpoint", dies)
    with pytest.raises(DatabaseGoneError):
        perform(world.context, job)
    assert stored == 2
    assert len(_run(world, broken).epochs) == 2
    monkeypatch.undo()
    assert world.run(job).state == "done"
    for kind in ("last", "kept"):
        one, two = _weights(world, whole, kind), _weights(world, broken, kind)
        assert one.keys() == two.keys()
        for name, value in one.items():
            np.testing.assert_array_equal(value, two[name])
    assert _run(world, whole).epochs == _run(world, broken).epochs


def test_a_worker_that_lost_its_lease_writes_nothing_more(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id, job = world.run_job(project, small_recipe(epochs=3))

    def stolen(session: Any, job_id: int, owner: str) -> None:
        with world.context.database.session() as other:
            take_job(other, job_id, "thief")
        hold_lease(session, job_id, owner)

    monkeypatch.setattr(training, "hold_lease", stolen)
    perform(world.context, job)
    assert world.job(job).state == "running"
    assert _run(world, run_id).epochs == []
    assert _run(world, run_id).kept_epoch is None


def test_stopping_keeps_the_best_so_far_and_judges_it(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id, job = world.run_job(project, small_recipe(epochs=50))

    def stop_after_two(session: Any, run: int, figures: Any, kept: int) -> None:
        add_epoch(session, run, figures, kept)
        if figures["number"] == 2:
            ask_stop(session, job)

    monkeypatch.setattr(training, "add_epoch", stop_after_two)
    assert world.run(job).state == "stopped"
    run = _run(world, run_id)
    assert len(run.epochs) == 2
    assert str(run.ended_because).startswith("Stopped by hand in epoch 3 of 50. Epoch")
    assert run.judgements["validation"]["count"] == run.counts["validation"]


def test_the_snapshot_stays_and_the_footing_counts_what_changed(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    before = _run(world, run_id)
    pictures = world.picture_ids(project)
    with world.context.database.session() as session:
        classes = {entry.name: entry.id for entry in list_classes(session, project)}
        label_pictures(session, project, "one", pictures[:4], classes["plate"])
    with world.context.database.session() as session:
        moved = footing(session, run_id).labels_changed
    world.bring_in(project, {"plate/later.png": png(4711)})
    world.run(job)
    assert _run(world, run_id).counts == before.counts
    with world.context.database.session() as session:
        found = footing(session, run_id)
    assert found.labels_changed == moved
    assert 0 < moved <= 4
    assert found.pictures == sum(before.counts.values())
    assert found.pictures_added == 1


def test_the_test_set_stays_shut_until_a_look_is_counted(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        assert judgement_of(session, run_id, "test") is None
        assert list_outcomes(session, run_id, "test", [], wrong_only=False, limit=10) == []
        with pytest.raises(ConflictError, match="only when the look is counted"):
            check_look(session, run_id, None)
        look = add_look(session, run_id, "test")
        check_look(session, run_id, look)
        assert get_run(session, run_id).looks == 1
        assert "test" not in get_run(session, run_id).judgements


def test_an_export_is_proven_on_files_of_the_project(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        export = create_export(session, project, run_id)
    with world.context.database.session() as session:
        export_job = start_job(session, project, JobKind.EXPORT, "Export", export.id)
    assert world.run(export_job).state == "done"
    with world.context.database.session() as session:
        done = get_export(session, export.id)
    assert done.proof is not None
    assert done.proof["pictures"] == 32
    assert done.proof["max_abs_difference"] <= 1e-4
    assert world.context.store.exists(str(done.path))


@pytest.mark.parametrize(
    ("sets", "words"),
    [
        ({}, "no training pictures"),
        ({3: SetName.TRAINING, 4: SetName.TRAINING}, "no validation pictures"),
        ({3: SetName.TRAINING, 5: SetName.VALIDATION}, r"Only 1 class has training pictures \(plate\)"),
    ],
)
def test_a_split_that_cannot_teach_is_refused(world: World, sets: dict[int, SetName], words: str) -> None:
    project = world.project()
    # In the order of their names: three needles, then three plates.
    world.bring_in(
        project, {f"{name}/{n}.png": png(n + 7 * len(name)) for name in ("needle", "plate") for n in range(3)}
    )
    ids = world.picture_ids(project)
    members = {ids[place]: name for place, name in sets.items()}
    with world.context.database.session() as session, pytest.raises(ConflictError, match=words):
        split = create_split(session, project, method="random", shares={}, seed=1, members=members)
        create_run(session, project, split.id, small_recipe(), program=PROGRAM)


def test_a_batch_that_does_not_fit_into_memory_is_refused_in_words(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(training, "free_memory", lambda: 2_400_000)
    run_id, job = world.run_job(project)
    failed = world.run(job)
    assert failed.state == "failed"
    assert "Choose a batch size of at most" in str(failed.error)
    assert str(_run(world, run_id).ended_because).startswith("Not begun: A batch of 16 needs about")


def test_lost_numbers_end_a_run_with_the_layer_and_leave_what_was_kept(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    begin = training.begin  # type: ignore[attr-defined]

    def spoilt(*arguments: Any, **more: Any) -> Training:
        running = begin(*arguments, **more)

        def results() -> Iterator[Any]:
            for result in running.results:
                yield result
                if isinstance(result, EpochResult):
                    running.network.parameters["conv_1.weights"][:] = np.inf

        return replace(running, results=results())

    monkeypatch.setattr(training, "begin", spoilt)
    run_id, job = world.run_job(project)
    failed = world.run(job)
    assert failed.state == "failed"
    assert "In epoch 2, step 1, conv_1 left the numbers" in str(failed.error)
    run = _run(world, run_id)
    assert (len(run.epochs), run.kept_epoch) == (1, 1)
    assert "Epoch 1 is kept" in str(run.ended_because)
    assert run.judgements["validation"]["count"] == run.counts["validation"]
    assert all(np.isfinite(value).all() for value in _weights(world, run_id, "last").values())


def test_a_pointer_moves_when_its_file_lies_there_and_not_before(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    pointed: list[bool] = []

    def watched(session: Any, run_id: int, kind: str, epoch: int, path: str) -> Any:
        pointed.append(world.context.store.exists(path) and bool(load(world.context.store.read(path))))
        return set_checkpoint(session, run_id, kind, epoch, path)

    monkeypatch.setattr(training, "set_checkpoint", watched)
    _, job = world.run_job(project)
    world.run(job)
    assert len(pointed) >= 3
    assert all(pointed)


def test_a_look_at_another_run_opens_nothing(world: World, project: int) -> None:
    one, job = world.run_job(project)
    world.run(job)
    two, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        look = add_look(session, one, "test")
        check_look(session, one, look)
        with pytest.raises(ConflictError, match="only when the look is counted"):
            check_look(session, two, look)


def test_the_probability_of_an_answer_is_the_largest_there_is(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        rows = session.execute(
            text("select p, probabilities, predicted_class, true_class, loss from prediction where run_id = :run"),
            {"run": run_id},
        ).all()
    classes = [entry["id"] for entry in _run(world, run_id).classes]
    assert rows
    for p, probabilities, predicted, truth, loss in rows:
        assert sum(probabilities) == pytest.approx(1, abs=1e-5)
        assert p == pytest.approx(max(probabilities), abs=1e-6)
        assert classes[probabilities.index(max(probabilities))] == predicted
        assert loss == pytest.approx(-np.log(probabilities[classes.index(truth)]), abs=1e-4)
