"""Models that answer together: a run like any other, judged by what none of its members learnt from."""

import io
import json
import zipfile
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from sqlalchemy import text

from tests.pictures import png, two_classes
from tests.world import World, small_recipe
from vast_orchard.at_once.catalogue import recipe_of
from vast_orchard.at_once.dividing import DivideRule, divide
from vast_orchard.formats.model_file import read_model, write_model
from vast_orchard.jobs.planning.finishing import start_final
from vast_orchard.jobs.queue import start_job
from vast_orchard.jobs.training.starting import RunOrder, start_run
from vast_orchard.store.exports import create_export, get_export
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import JobKind
from vast_orchard.store.snapshots import snapshot_pictures
from vast_orchard.store.values import JobValue, RunValue


@pytest.fixture
def project(world: World) -> int:
    made = world.project()
    world.bring_in_apart(made, two_classes(each=90))
    return made


def _trained(world: World, project: int, seed: int, *, split_seed: int = 1, **recipe: Any) -> RunValue:
    with world.context.database.session() as session:
        split = divide(session, project, DivideRule(seed=split_seed))
        order = RunOrder(recipe=recipe_of({**small_recipe(seed=seed), **recipe}), split_id=split.id)
        run = start_run(session, project, order)
    world.run(world.job_of(JobKind.TRAIN, run.id))
    with world.context.database.session() as session:
        return get_run(session, run.id)


def _combine(world: World, project: int, *runs: RunValue, fitted: bool = False) -> tuple[JobValue, RunValue | None]:
    ids = [run.model.id for run in runs if run.model]
    with world.context.database.session() as session:
        options = {"model_ids": ids, "fitted": fitted, "name": "Both"}
        job = start_job(session, project, JobKind.COMBINE, "Both", project, options=options)
    ended = world.run(job)
    with world.context.database.session() as session:
        found = session.execute(text("select max(id) from run where ended_by = 'combined'")).scalar()
        return ended, get_run(session, found) if found else None


def test_two_runs_answer_the_mean_of_their_answers_and_are_judged_exported_and_proven_like_any(
    world: World, project: int
) -> None:
    runs = [_trained(world, project, 1), _trained(world, project, 2, network="plain 5")]
    ended, both = _combine(world, project, *runs)
    assert ended.state == "done", ended.error
    assert both is not None
    assert (both.ended_by, both.name, both.counts) == ("combined", "Both", runs[0].counts)
    world.run_waiting()
    with world.context.database.session() as session:
        both = get_run(session, both.id)
    assert both.validation is not None
    told = (both.ending or {})["together"]
    assert told["pictures"] == both.counts["validation"]
    assert told["accuracy"] == pytest.approx(both.validation["accuracy"])
    assert told["loss"] == pytest.approx(both.validation["loss"], abs=1e-5)
    for member, run in zip(told["members"], runs, strict=True):
        assert (member["number"], member["weight"], member["parameters"]) == (run.number, 0.5, run.parameters)
        assert run.validation is not None
        assert member["accuracy"] == pytest.approx(run.validation["accuracy"])
        assert member["picture_ms"] > 0
    assert both.parameters >= sum(run.parameters for run in runs)
    # Its file answers the mean of what the files of its members answer.
    models = [read_model(world.context.store.read(run.model.weights_path)) for run in (*runs, both) if run.model]
    pixels = np.random.default_rng(1).integers(0, 256, (12, 16, 16, 3), dtype=np.uint8)
    one, two, mean = (model.probabilities(pixels) for model in models)
    np.testing.assert_allclose(mean, (one + two) / 2, atol=2e-6)
    # One graph, with its proof.
    assert both.model is not None
    with world.context.database.session() as session:
        export = create_export(session, project, both.model.id, calibrated=False)
        job = start_job(session, project, JobKind.EXPORT, "Export", export.id)
    assert world.run(job).state == "done"
    with world.context.database.session() as session:
        made = get_export(session, export.id)
    assert made.proof is not None
    assert made.proof["max_abs_difference"] <= 1e-5
    with zipfile.ZipFile(io.BytesIO(world.context.store.read(str(made.path)))) as archive:
        assert json.loads(archive.read("model.json"))["classes"] == list(models[2].classes)


def test_what_any_member_learnt_from_judges_nothing(world: World, project: int) -> None:
    runs = [_trained(world, project, 1), _trained(world, project, 2, split_seed=9)]
    ended, both = _combine(world, project, *runs)
    assert ended.state == "done", ended.error
    assert both is not None
    with world.context.database.session() as session:
        sets = [{one.picture_id: one.set_name for one in snapshot_pictures(session, run.snapshot_id)} for run in runs]
        own = {one.picture_id: one.set_name for one in snapshot_pictures(session, both.snapshot_id)}
    learnt = {n for known in sets for n, name in known.items() if name == "training"}
    tested = {n for known in sets for n, name in known.items() if name == "test"}
    assert {n for n, name in own.items() if name == "training"} == learnt
    assert {n for n, name in own.items() if name == "test"} == tested - learnt
    assert {n for n, name in own.items() if name == "validation"} == own.keys() - learnt - tested
    assert (both.ending or {})["together"]["pictures"] == len(own.keys() - learnt - tested) > 0


def test_a_member_that_learnt_from_all_pictures_is_refused(world: World, project: int) -> None:
    run = _trained(world, project, 1)
    with world.context.database.session() as session:
        final = start_final(session, run, world.context.store)
    world.run(world.job_of(JobKind.TRAIN, final.id))
    with world.context.database.session() as session:
        final = get_run(session, final.id)
    ended, both = _combine(world, project, run, final)
    assert (ended.state, both) == ("failed", None)
    assert "one or another has learnt from each" in str(ended.error)


def test_weights_that_were_fitted_have_learnt_from_the_validation_pictures(world: World, project: int) -> None:
    ended, both = _combine(world, project, _trained(world, project, 1), _trained(world, project, 2), fitted=True)
    assert ended.state == "done", ended.error
    assert both is not None
    assert both.counts.get("validation", 0) == 0
    told = (both.ending or {})["together"]
    assert told["fitted"]
    assert sum(member["weight"] for member in told["members"]) == pytest.approx(1)
    assert told["pictures"] > 0
    world.run_waiting()
    with world.context.database.session() as session:
        assert get_run(session, both.id).validation is None
        assert session.execute(text("select count(*) from look")).scalar() == 0


def test_models_that_see_otherwise_or_know_other_classes_are_refused(world: World, project: int) -> None:
    run = _trained(world, project, 1)
    larger = {**small_recipe()["preprocessing"], "size": 24}  # type: ignore[dict-item]
    ended, _ = _combine(world, project, run, _trained(world, project, 2, preprocessing=larger))
    assert "see pictures otherwise: size" in str(ended.error)
    ended, _ = _combine(world, project, run, run)
    assert "named twice" in str(ended.error)
    world.bring_in(project, {f"hail/{n}.png": png(5000 + n, level=130) for n in range(20)})
    ended, _ = _combine(world, project, run, _trained(world, project, 3))
    assert "other classes" in str(ended.error)


def test_a_model_file_holds_the_numbers_however_they_lie_in_memory(world: World, project: int) -> None:
    run = _trained(world, project, 1)
    assert run.model is not None
    model = read_model(world.context.store.read(run.model.weights_path))
    turned = replace(model, weights={name: np.asfortranarray(value) for name, value in model.weights.items()})
    again = read_model(write_model(turned))
    for name, value in model.weights.items():
        np.testing.assert_array_equal(value, again.weights[name], err_msg=name)
