"""An archive of 0.7: two runs that ended, one with a recipe as 0.1 stored it, and one that was stopped."""

from pathlib import Path

import pytest

from tests.jobs.test_taking_out import brought_back, taken_out
from tests.world import World
from vast_orchard.core.training.recipe import recipe_from_json
from vast_orchard.formats.model_file import read_model
from vast_orchard.jobs.training.starting import RunOrder, start_run
from vast_orchard.store.ledger import list_runs
from vast_orchard.store.models import judged_sets, judgement_of
from vast_orchard.store.predictions import list_outcomes
from vast_orchard.store.runs import get_run, list_epochs
from vast_orchard.store.schema import JobKind
from vast_orchard.store.values import ModelValue, RunValue

_ARCHIVE = Path(__file__).parents[1] / "archives" / "0.7.zip"


def _came_back(world: World) -> tuple[int, list[RunValue]]:
    project, ended = brought_back(world, _ARCHIVE.read_bytes())
    assert ended.state == "done", ended.error
    return project, _runs(world, project)


def _runs(world: World, project: int) -> list[RunValue]:
    """By number, each with its whole recipe."""
    with world.context.database.session() as session:
        return [get_run(session, run.id) for run in reversed(list_runs(session, project).runs)]


def _model(run: RunValue) -> ModelValue:
    assert run.model is not None
    return run.model


def test_runs_of_an_earlier_version_come_back_complete(world: World) -> None:
    _, (one, two, three) = _came_back(world)
    assert [(run.state, run.ended_by, run.ending) for run in (one, two, three)] == [
        ("ended", "epochs", {"done": 2, "epochs": 2}),
        ("ended", "epochs", {"done": 3, "epochs": 3}),
        ("ended", "stopped", {"done": 2, "epochs": 50}),
    ]
    assert [_model(run).epoch for run in (one, two, three)] == [2, 3, 2]
    assert all(_model(run).frozen and len(str(_model(run).digest)) == 64 for run in (one, two, three))
    assert one.counts == {"training": 17, "validation": 4, "test": 3}
    with world.context.database.session() as session:
        epochs = list_epochs(session, two.id)
    assert [epoch.number for epoch in epochs] == [1, 2, 3]
    assert two.figures == epochs[2].figures
    assert set(two.figures) == {
        "training_loss", "training_accuracy", "validation_loss", "validation_accuracy", "learning_rate",
    }  # fmt: skip


def test_recipes_of_earlier_versions_are_read_in_todays_words(world: World) -> None:
    _, (one, two, _) = _came_back(world)
    # As 0.1 stored it: "momentum", three numbers for the variation, a network's name.
    first = recipe_from_json(one.recipe)
    assert one.recipe["version"] == 4
    assert (first.settings.optimizer, first.settings.epochs, first.settings.momentum) == ("sgd", 2, 0.9)
    assert [(x.kind, x.probability, x.low, x.high) for x in first.variation.operations] == [
        ("mirror", 0.5, 0, 0), ("turn", 1, -15, 15), ("brightness", 1, 0.8, 1.2),
    ]  # fmt: skip
    assert (first.preprocessing.fit, first.preprocessing.views) == ("distort", "one")
    assert (first.network.name, first.network.input_shape) == ("very small", (16, 16, 3))
    assert recipe_from_json(two.recipe).settings.schedule == "rise-and-fall"


def test_what_was_kept_by_then_answers_as_it_did(world: World) -> None:
    """Its weights fit the network that the upgraded recipe holds, and give the probabilities that were stored."""
    _, (one, *_) = _came_back(world)
    model = read_model(world.context.store.read(_model(one).weights_path))
    assert recipe_from_json(one.recipe).network == model.description
    with world.context.database.session() as session:
        stored = list_outcomes(session, _model(one), "validation", [], wrong_only=False, limit=10)
        before = judgement_of(session, _model(one).id, "validation")
    judge = world.judge(_model(one).id, "validation")
    assert judge.state == "done", judge.error
    with world.context.database.session() as session:
        again = list_outcomes(session, _model(one), "validation", [], wrong_only=False, limit=10)
        after = judgement_of(session, _model(one).id, "validation")
    # The same pictures under the same answers; bits are promised within a version only.
    assert [(one.picture_id, one.predicted_class) for one in again] == [
        (one.picture_id, one.predicted_class) for one in stored
    ]
    for now, then in zip(again, stored, strict=True):
        assert now.probabilities == pytest.approx(then.probabilities, abs=1e-5)
    assert before is not None and after is not None
    assert (after["right"], after["count"]) == (before["right"], before["count"])
    assert after["loss"] == pytest.approx(before["loss"], abs=1e-5)


def test_a_test_score_of_a_state_that_may_not_be_the_kept_one_is_forgotten(world: World) -> None:
    """Run 1 was looked at when it had ended; run 3 while it trained, so its stored score is of who knows what."""
    _, (one, _, three) = _came_back(world)
    with world.context.database.session() as session:
        assert judged_sets(session, _model(one).id) == {"validation", "test"}
        assert judged_sets(session, _model(three).id) == {"validation"}
    assert (_model(one).looks, _model(three).looks) == (1, 1)


def test_what_came_back_shares_snapshots_and_goes_out_again(world: World) -> None:
    project, (one, *_) = _came_back(world)
    recipe = recipe_from_json(one.recipe)
    with world.context.database.session() as session:
        new = start_run(session, project, RunOrder(recipe=recipe, split_id=one.split_id))
    assert new.snapshot_id == one.snapshot_id
    # From run 3: other settings, and neither other pictures nor, as layers are told by what they do, another network.
    assert {change["what"].split(".")[0] for change in new.changed} == {"settings", "split"}
    job = world.job_of(JobKind.TRAIN, new.id)
    assert world.run(job).state == "done"
    again, ended = brought_back(world, taken_out(world, project, "project"))
    assert ended.state == "done", ended.error
    runs = _runs(world, again)
    assert [run.number for run in runs] == [1, 2, 3, 4]
    assert [run.recipe for run in runs[:3]] == [run.recipe for run in _runs(world, project)[:3]]
    assert runs[3].snapshot_id == runs[0].snapshot_id
