"""Runs through the records: snapshots, epochs, stopping, and going on after a worker died."""

import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from safetensors.numpy import load
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError

from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.at_once.catalogue import recipe_of
from vast_orchard.at_once.watching import run_lookouts
from vast_orchard.core.training.begin import Training
from vast_orchard.core.training.values import EpochResult
from vast_orchard.errors import ConflictError, DatabaseGoneError, StoppedError
from vast_orchard.formats.feature_file import write_features
from vast_orchard.jobs.queue import start_job
from vast_orchard.jobs.run_job import run_job
from vast_orchard.jobs.training import run_training as training
from vast_orchard.jobs.training.starting import RunOrder, go_on, start_run
from vast_orchard.jobs.training.weight_digests import fill_digests
from vast_orchard.store.actions import label_pictures
from vast_orchard.store.classes import list_classes
from vast_orchard.store.exports import create_export, get_export
from vast_orchard.store.jobs import ask_stop, hold_lease, report, take_job
from vast_orchard.store.models import (
    add_look,
    check_look,
    get_model,
    judged_sets,
    judgement_of,
    keep_state,
    set_digest,
    store_judgement,
)
from vast_orchard.store.predictions import list_outcomes
from vast_orchard.store.run_states import begin_run, end_run
from vast_orchard.store.runs import add_epoch, footing, get_run, list_epochs, list_watched, set_last_state
from vast_orchard.store.schema import JobKind, RunEnding
from vast_orchard.store.splits import create_split
from vast_orchard.store.values import EpochValue, ModelValue, RunValue
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
    run = _run(world, run_id)
    path = run.state_path if kind == "last" else _model(run).path
    assert path is not None
    return load(world.context.store.read(path))


def _model(run: RunValue) -> ModelValue:
    assert run.model is not None
    return run.model


def _epochs(world: World, run_id: int) -> list[EpochValue]:
    with world.context.database.session() as session:
        return list(list_epochs(session, run_id))


def _judged(world: World, run: RunValue, set_name: str = "validation") -> dict[str, Any]:
    with world.context.database.session() as session:
        found = judgement_of(session, _model(run).id, set_name)
    assert found is not None
    return found


def test_a_run_from_start_to_judgement(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    assert world.run(job).state == "done"
    run = _run(world, run_id)
    epochs, model = _epochs(world, run_id), _model(run)
    assert [epoch.number for epoch in epochs] == [1, 2]
    losses = [epoch.figures["validation_loss"] for epoch in epochs]
    assert model.epoch == 1 + losses.index(min(losses))
    assert (run.state, run.ended_by, run.ending) == ("ended", "epochs", {"done": 2, "epochs": 2})
    # The kept epoch was looked at as the judgement looks at it.
    of_kept = [entry["recall"] for entry in _judged(world, run)["classes"]]
    assert epochs[model.epoch - 1].recalls == pytest.approx(of_kept)
    assert (model.frozen, run.epochs_done) == (True, 2)
    assert run.figures == epochs[model.epoch - 1].figures
    assert model.digest == _digest_by_hand(_weights(world, run_id, "kept"))
    judged = _judged(world, run)
    assert run.validation == {key: value for key, value in judged.items() if key not in ("classes", "confusion")}
    assert judged["count"] == run.counts["validation"]
    assert sum(map(sum, judged["confusion"])) == judged["count"]
    with world.context.database.session() as session:
        everything = list_outcomes(session, model, "validation", [], wrong_only=False, limit=1000)
    assert sum(o.true_class == o.predicted_class for o in everything) == judged["right"]
    surprise = [outcome.loss or 0.0 for outcome in everything]
    assert surprise == sorted(surprise, reverse=True)
    # Accuracy at the kept epoch, as the loop saw it, is what the judgement says.
    assert judged["accuracy"] == pytest.approx(run.figures["validation_accuracy"])


@pytest.mark.parametrize(("together_s", "before"), [(0, 2), (1000, 1)])
def test_a_worker_that_dies_in_mid_training_goes_on_to_the_same_weights(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch, together_s: float, before: int
) -> None:
    whole, job = world.run_job(project, small_recipe(epochs=4))
    world.run(job)
    broken, job = world.run_job(project, small_recipe(epochs=4))
    stored = 0

    def dies(session: Any, run_id: int, epoch: int, path: str) -> Any:
        nonlocal stored
        if epoch >= 3:
            raise DatabaseGoneError("The database does not answer.", "")
        stored = epoch
        return set_last_state(session, run_id, epoch, path)

    monkeypatch.setattr(training, "set_last_state", dies)
    monkeypatch.setattr(training, "_TOGETHER_S", together_s)
    with pytest.raises(DatabaseGoneError):
        run_job(world.context, job)
    assert stored == len(_epochs(world, broken)) == before
    assert _run(world, broken).state == "training"
    monkeypatch.undo()
    assert world.run(job).state == "done"
    for kind in ("last", "kept"):
        one, two = _weights(world, whole, kind), _weights(world, broken, kind)
        assert one.keys() == two.keys()
        for name, value in one.items():
            np.testing.assert_array_equal(value, two[name])
    assert _epochs(world, whole) == _epochs(world, broken)
    assert _model(_run(world, whole)).digest == _model(_run(world, broken)).digest


def _ends_by(epochs: int = 20, **settings: Any) -> dict[str, object]:
    recipe: Any = small_recipe(epochs=epochs)
    recipe["settings"].update(settings)
    return dict(recipe)


@pytest.mark.parametrize("dies_at", [3, 5])  # before its condition is met, and while it closes
def test_a_run_that_ends_by_its_condition_ends_so_after_a_crash_as_well(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch, dies_at: int
) -> None:
    # No loss falls by 50, so that the condition is met after the fourth epoch, and two epochs close.
    asked = _ends_by(end_when="validation-loss", end_change=50, end_within=3, end_not_before=1)
    whole, job = world.run_job(project, asked)
    world.run(job)
    run = _run(world, whole)
    assert (run.ended_by, run.epochs_done) == ("condition", 6)
    assert run.ending is not None
    losses = [epoch.figures["validation_loss"] for epoch in _epochs(world, whole)]
    assert (run.ending["by"], run.ending["epoch"], run.ending["done"]) == ("standstill", 4, 6)
    assert f"it was {min(losses[1:4]):.4g} at best, after {losses[0]:.4g} in epoch 1." in run.ending["what"]

    broken, job = world.run_job(project, asked)

    def dies(session: Any, run_id: int, epoch: int, path: str) -> Any:
        if epoch >= dies_at:
            raise DatabaseGoneError("The database does not answer.", "")
        return set_last_state(session, run_id, epoch, path)

    monkeypatch.setattr(training, "set_last_state", dies)
    monkeypatch.setattr(training, "_TOGETHER_S", 0)
    with pytest.raises(DatabaseGoneError):
        run_job(world.context, job)
    monkeypatch.undo()
    world.run(job)
    assert _run(world, broken).ending == run.ending
    assert _model(_run(world, broken)).digest == _model(run).digest


def test_the_losses_of_the_epoch_under_way_are_told(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[list[float]] = []

    def hears(*arguments: Any, line: list[float], **more: Any) -> Any:
        told.append(line)
        return report(*arguments, line=line, **more)

    monkeypatch.setattr("vast_orchard.jobs.context.jobs.report", hears)
    monkeypatch.setattr("vast_orchard.jobs.context._REPORT_EVERY_S", 0.0)
    run_id, job = world.run_job(project, small_recipe(epochs=2))
    world.run(job)
    # Each epoch's grow from its first step to its last, and end with it.
    for epoch in _epochs(world, run_id):
        losses = list(epoch.losses)
        assert [losses[:count] for count in range(1, len(losses) + 1)] == [
            line for line in told if line[:1] == losses[:1]
        ]
    assert told[-1] == []


@pytest.mark.parametrize("dies_at", [2, 4])  # before it finds something, and before the run that it ended says so
def test_a_run_that_a_lookout_ends_ends_so_after_a_crash_as_well(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch, dies_at: int
) -> None:
    mine = {"name": "mine", "figure": "update", "sign": "above", "value": 0, "epochs": 3, "act": "end"}
    asked: Any = {**small_recipe(epochs=20), "watch": {"every": 1, "own": [mine]}}
    whole, job = world.run_job(project, asked)
    world.run(job)
    run = _run(world, whole)
    assert (run.ended_by, run.epochs_done) == ("condition", 3)
    assert run.ending is not None
    assert (run.ending["by"], run.ending["lookout"], run.ending["epoch"]) == ("lookout", "mine", 3)
    assert run.ending["what"].startswith("The lookout “mine” ended it after epoch 3. update of conv")
    assert _model(run).epoch == 3  # the last state is kept

    broken, job = world.run_job(project, asked)

    def dies(session: Any, run_id: int, epoch: int, path: str) -> Any:
        if epoch >= dies_at:
            raise DatabaseGoneError("The database does not answer.", "")
        return set_last_state(session, run_id, epoch, path)

    def dies_at_its_end(*_: Any) -> None:
        raise DatabaseGoneError("The database does not answer.", "")

    monkeypatch.setattr(training, "set_last_state", dies)
    monkeypatch.setattr(training, "end_run", dies_at_its_end)
    monkeypatch.setattr(training, "_TOGETHER_S", 0)
    with pytest.raises(DatabaseGoneError):
        run_job(world.context, job)
    assert _run(world, broken).state == "training"
    monkeypatch.undo()
    world.run(job)
    assert _run(world, broken).ending == run.ending
    assert _model(_run(world, broken)).digest == _model(run).digest
    with world.context.database.session() as session:
        one, two = list_watched(session, whole), list_watched(session, broken)
        assert one == two and len(one) == 3 and one[0].watched["layers"]
        assert run_lookouts(session, run) == run_lookouts(session, _run(world, broken))


def test_a_time_ends_a_run_with_the_epoch_under_way(world: World, project: int) -> None:
    run_id, job = world.run_job(project, _ends_by(50, time_limit=1e-6))
    assert world.run(job).state == "done"
    run = _run(world, run_id)
    assert (run.ended_by, run.epochs_done, _model(run).epoch) == ("condition", 1, 1)
    assert run.ending is not None
    assert run.ending["what"] == "Its time of 1e-06 minutes was over."


def test_a_worker_that_lost_its_lease_writes_nothing_more(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id, job = world.run_job(project, small_recipe(epochs=3))

    def stolen(session: Any, job_id: int, owner: str) -> None:
        with world.context.database.session() as other:
            take_job(other, job_id, "thief")
        hold_lease(session, job_id, owner)

    monkeypatch.setattr(training, "hold_lease", stolen)
    run_job(world.context, job)
    assert world.job(job).state == "running"
    assert _epochs(world, run_id) == []
    assert _run(world, run_id).model is None


def test_stopping_keeps_the_best_so_far_and_judges_it(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id, job = world.run_job(project, small_recipe(epochs=50))

    def stop_after_two(session: Any, run: int, number: int, figures: Any, **more: Any) -> None:
        add_epoch(session, run, number, figures, **more)
        if number == 2:
            ask_stop(session, job)

    monkeypatch.setattr(training, "add_epoch", stop_after_two)
    monkeypatch.setattr(training, "_TOGETHER_S", 0)
    assert world.run(job).state == "stopped"
    run = _run(world, run_id)
    assert run.epochs_done == 2
    assert (run.ended_by, run.ending) == ("stopped", {"done": 2, "epochs": 50})
    assert _judged(world, run)["count"] == run.counts["validation"]


def _after_each_epoch(monkeypatch: pytest.MonkeyPatch, happens: Callable[[Training, int], None]) -> None:
    begin = training.begin  # type: ignore[attr-defined]

    def watched(*arguments: Any, **more: Any) -> Training:
        running = begin(*arguments, **more)

        def results() -> Iterator[Any]:
            for result in running.results:
                yield result
                if isinstance(result, EpochResult):
                    happens(running, result.metrics.number)

        return replace(running, results=results())

    monkeypatch.setattr(training, "begin", watched)


def test_a_run_that_was_stopped_goes_on_to_the_weights_of_one_that_was_not(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole, job = world.run_job(project, small_recipe(epochs=5))
    world.run(job)
    stopped, job = world.run_job(project, small_recipe(epochs=5))

    def stop(_: Training, epoch: int) -> None:
        if epoch == 2:
            raise StoppedError("Stopped by hand.")

    _after_each_epoch(monkeypatch, stop)
    world.run(job)
    monkeypatch.undo()
    before = _run(world, stopped)
    assert (before.ended_by, before.epochs_done, _model(before).frozen) == ("stopped", 2, True)
    with world.context.database.session() as session:
        waiting = go_on(session, before)
    assert (waiting.state, waiting.ended_by, waiting.epochs_done, _model(waiting).frozen) == ("waiting", None, 2, False)
    world.run(world.job_of(JobKind.TRAIN, stopped))
    after = _run(world, stopped)
    assert (after.ended_by, after.epochs_done) == ("epochs", 5)
    assert _model(after).digest == _model(_run(world, whole)).digest
    assert _judged(world, after) == _judged(world, _run(world, whole))
    with world.context.database.session() as session, pytest.raises(ConflictError, match="stopped or failed can go on"):
        go_on(session, after)


def test_epochs_that_wait_to_be_stored_outlive_a_stop(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id, job = world.run_job(project, small_recipe(epochs=50))
    monkeypatch.setattr(training, "_TOGETHER_S", 1000)

    def stop(_: Training, epoch: int) -> None:
        if epoch == 3:
            raise StoppedError("Stopped by hand.")

    _after_each_epoch(monkeypatch, stop)
    world.run(job)
    assert (_run(world, run_id).epochs_done, len(_epochs(world, run_id))) == (3, 3)


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
    model = _model(_run(world, run_id))
    with world.context.database.session() as session:
        assert judgement_of(session, model.id, "test") is None
        assert list_outcomes(session, model, "test", [], wrong_only=False, limit=10) == []
        with pytest.raises(ConflictError, match="only when the look is counted"):
            check_look(session, model.id, None)
        look = add_look(session, model.id, "test")
        check_look(session, model.id, look)
        assert get_model(session, model.id).looks == 1


def test_an_export_is_proven_on_files_of_the_project(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        export = create_export(session, project, _model(get_run(session, run_id)).id, calibrated=False)
    with world.context.database.session() as session:
        export_job = start_job(session, project, JobKind.EXPORT, "Export", export.id)
    assert world.run(export_job).state == "done"
    with world.context.database.session() as session:
        done = get_export(session, export.id)
    assert done.proof is not None
    assert done.proof["pictures"] == 32
    assert done.proof["max_abs_difference"] <= 1e-4
    assert world.context.store.exists(str(done.path))
    model = _model(_run(world, run_id))
    assert (done.epoch, done.digest) == (model.epoch, model.digest)
    with zipfile.ZipFile(io.BytesIO(world.context.store.read(str(done.path)))) as pack:
        origin = json.loads(pack.read("model.json"))["origin"]
    assert origin["weights_sha256"] == model.digest
    assert origin["validation"]["count"] == _judged(world, _run(world, run_id))["count"]


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
        start_run(session, project, RunOrder(recipe=recipe_of(small_recipe()), split_id=split.id))


def test_a_batch_that_does_not_fit_into_memory_is_refused_in_words(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(training, "free_memory", lambda: 2_400_000)
    run_id, job = world.run_job(project)
    failed = world.run(job)
    assert failed.state == "failed"
    assert "Choose a batch size of at most" in str(failed.error)
    run = _run(world, run_id)
    assert (run.ended_by, run.model) == ("failed", None)
    assert str((run.ending or {})["what"]).startswith("A batch of 16 needs about")
    assert str((run.ending or {})["mend"]).startswith("Choose a batch size of at most")


def test_lost_numbers_end_a_run_with_the_layer_and_leave_what_was_kept(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    def spoil(running: Training, _: int) -> None:
        running.network.parameters["conv_block_1_conv_1.weights"][:] = np.inf

    _after_each_epoch(monkeypatch, spoil)
    run_id, job = world.run_job(project)
    failed = world.run(job)
    assert failed.state == "failed"
    assert "In epoch 2, step 1, conv_block_1_conv_1 left the numbers" in str(failed.error)
    run = _run(world, run_id)
    assert (run.epochs_done, _model(run).epoch, run.ended_by) == (1, 1, "failed")
    assert str((run.ending or {})["what"]).startswith("In epoch 2, step 1, conv_block_1_conv_1 left the numbers")
    assert _judged(world, run)["count"] == run.counts["validation"]
    assert all(np.isfinite(value).all() for value in _weights(world, run_id, "last").values())


def test_a_pointer_moves_when_its_file_lies_there_and_not_before(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    pointed: list[bool] = []

    def lies_there(path: str) -> bool:
        return world.context.store.exists(path) and bool(load(world.context.store.read(path)))

    def watched(session: Any, run_id: int, epoch: int, path: str) -> Any:
        pointed.append(lies_there(path))
        return set_last_state(session, run_id, epoch, path)

    def watched_model(session: Any, run_id: int, *, path: str, **more: Any) -> Any:
        pointed.append(lies_there(path))
        return keep_state(session, run_id, path=path, **more)

    monkeypatch.setattr(training, "set_last_state", watched)
    monkeypatch.setattr(training, "keep_state", watched_model)
    _, job = world.run_job(project)
    world.run(job)
    assert len(pointed) >= 3
    assert all(pointed)


def test_a_look_at_another_run_opens_nothing(world: World, project: int) -> None:
    one, job = world.run_job(project)
    world.run(job)
    two, job = world.run_job(project)
    world.run(job)
    first, second = (_model(_run(world, run)).id for run in (one, two))
    with world.context.database.session() as session:
        look = add_look(session, first, "test")
        check_look(session, first, look)
        with pytest.raises(ConflictError, match="only when the look is counted"):
            check_look(session, second, look)


def test_the_probability_of_an_answer_is_the_largest_there_is(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        rows = session.execute(
            text("select p, probabilities, predicted_class, true_class, loss from prediction where model_id = :model"),
            {"model": _model(_run(world, run_id)).id},
        ).all()
    classes = [entry["id"] for entry in _run(world, run_id).classes]
    assert rows
    for p, probabilities, predicted, truth, loss in rows:
        assert sum(probabilities) == pytest.approx(1, abs=1e-5)
        assert p == pytest.approx(max(probabilities), abs=1e-6)
        assert classes[probabilities.index(max(probabilities))] == predicted
        assert loss == pytest.approx(-np.log(probabilities[classes.index(truth)]), abs=1e-4)


def _digest_by_hand(weights: dict[str, np.ndarray[Any, Any]]) -> str:
    parts = [f"{n} {v.dtype.str} {v.shape} ".encode() + v.tobytes() for n, v in sorted(weights.items())]
    return hashlib.sha256(b"".join(parts)).hexdigest()


def test_the_test_set_is_not_asked_while_a_run_may_still_keep_another_state(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What was judged after the first epoch would stand as the score of a model that is another by then."""
    run_id, job = world.run_job(project, small_recipe(epochs=3))

    judges: list[int] = []

    def looks_meanwhile(session: Any, run: int, number: int, figures: Any, **more: Any) -> None:
        add_epoch(session, run, number, figures, **more)
        if number > 1:
            return
        model = _model(get_run(session, run))
        assert not model.frozen
        with pytest.raises(ConflictError, match="has not ended, so what it will keep is not known yet"):
            add_look(session, model.id, "test")
        judges.append(start_job(session, project, JobKind.JUDGE, "Judge", model.id, "test"))

    monkeypatch.setattr(training, "add_epoch", looks_meanwhile)
    assert world.run(job).state == "done"
    run = _run(world, run_id)
    # A judging that was asked for by another way judges what was kept in the end.
    assert world.run(judges[0]).state == "done"
    with world.context.database.session() as session:
        outcomes = list_outcomes(session, _model(run), "test", [], wrong_only=False, limit=1000)
    right = sum(outcome.true_class == outcome.predicted_class for outcome in outcomes)
    assert _judged(world, run, "test")["right"] == right
    assert len(outcomes) == run.counts["test"]


def test_features_of_a_state_that_is_gone_are_not_left(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    model = _model(_run(world, run_id))

    def goes_on_meanwhile(*of: Any) -> bytes:
        with world.context.database.session() as session:
            keep_state(session, run_id, epoch=9, digest="f" * 64, path="runs/9/kept-00009.safetensors")
        return write_features(*of)

    monkeypatch.setattr("vast_orchard.jobs.training.judging.write_features", goes_on_meanwhile)
    judged = world.judge(model.id, "training")
    assert (judged.state, "went on while it was judged" in (judged.error or "")) == ("failed", True)
    features = world.context.store.features_path(model.weights_path)
    assert features is not None and not world.context.store.exists(features)


def test_a_judgement_is_of_one_state_and_goes_with_it(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    model = _model(_run(world, run_id))
    with world.context.database.session() as session:
        assert judged_sets(session, model.id) == {"validation"}
    # While it stands the database lets no other state take its place.
    with pytest.raises(IntegrityError), world.context.database.session() as session:
        session.execute(text("update model set digest = repeat('0', 64) where id = :id"), {"id": model.id})
    with world.context.database.session() as session:
        keep_state(session, run_id, epoch=9, digest="f" * 64, path="runs/9/kept-00009.safetensors")
    with world.context.database.session() as session:
        assert judged_sets(session, model.id) == set()
        assert list_outcomes(session, model, "validation", [], wrong_only=False, limit=10) == []
        # Scores of the state before come too late.
        with pytest.raises(ConflictError, match="went on while it was judged"):
            store_judgement(session, model, "validation", {"count": 1})


def test_a_run_that_was_stopped_before_it_began_says_so(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    with world.context.database.session() as session:
        ask_stop(session, job)
    run = _run(world, run_id)
    assert (run.state, run.ended_by, run.ending) == ("ended", "stopped", {"done": 0, "epochs": 2})
    assert run.model is None


def test_a_run_that_ended_is_judged_by_whoever_takes_its_job_over(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id, job = world.run_job(project)

    def dies(*_: Any) -> None:
        raise DatabaseGoneError("The database does not answer.", "")

    monkeypatch.setattr(training, "judge_model", dies)
    with pytest.raises(DatabaseGoneError):
        run_job(world.context, job)
    monkeypatch.undo()
    run = _run(world, run_id)
    assert (run.state, run.validation) == ("ended", None)
    monkeypatch.setattr(training, "begin", dies)  # nothing is trained again
    assert world.run(job).state == "done"
    assert _run(world, run_id).validation is not None


def test_runs_end_once_and_never_leave_their_end(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        assert not end_run(session, run_id, RunEnding.STOPPED)
        begin_run(session, run_id)
        assert (get_run(session, run_id).state, get_run(session, run_id).ended_by) == ("ended", "epochs")
    for wrong in ("state = 'training'", "ended_by = null", "ended_by = 'bored'", "state = 'lost'"):
        with pytest.raises(IntegrityError), world.context.database.session() as session:
            session.execute(text(f"update run set {wrong} where id = :id"), {"id": run_id})


def test_weights_of_an_earlier_version_are_named_once(world: World, project: int) -> None:
    run_id, job = world.run_job(project)
    world.run(job)
    known = _model(_run(world, run_id))
    with world.context.database.session() as session:
        session.execute(text("update judgement set digest = null"))
        session.execute(text("update model set digest = null"))
    assert fill_digests(world.context) == 1
    assert _model(_run(world, run_id)).digest == known.digest
    assert fill_digests(world.context) == 0
    with world.context.database.session() as session:
        set_digest(session, known.id, "0" * 64)
        assert session.execute(text("select distinct digest from judgement")).scalars().all() == [known.digest]
