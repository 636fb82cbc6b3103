"""Plans of many runs, from their first trial to what they found, with real records and real training."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from sqlalchemy import text

from tests.pictures import two_classes
from tests.world import World, small_recipe
from vast_orchard.at_once.catalogue import recipe_of
from vast_orchard.at_once.planning.order import Dropping, Folds, PlanOrder
from vast_orchard.core.planning.knobs import Knob, Space
from vast_orchard.core.planning.ways import Way, draw_trials
from vast_orchard.core.training.settings import Keep
from vast_orchard.errors import ConflictError, SettingError, SplitError
from vast_orchard.jobs.context import Progress
from vast_orchard.jobs.planning.advancing import advance_idle
from vast_orchard.jobs.planning.creating import add_trials, begin_plan, go_on_with_plan, stop_plan
from vast_orchard.jobs.planning.finishing import start_final
from vast_orchard.store.models import judgement_of
from vast_orchard.store.plans import get_plan, pause_plan, trials_of
from vast_orchard.store.run_states import end_run
from vast_orchard.store.runs import get_run, list_epochs
from vast_orchard.store.schema import GroupKind, JobKind, RunEnding
from vast_orchard.store.snapshots import snapshot_pictures
from vast_orchard.store.values import PlanValue, RunValue, TrialValue

SPACE = Space(
    knobs=(Knob(name="learning_rate", low=0.0005, high=0.05, by_ratio=True), Knob(name="batch_size", values=(8, 16)))
)


@pytest.fixture
def project(world: World) -> int:
    made = world.project()
    world.bring_in_apart(made, two_classes(each=30))
    return made


def _search(count: int = 4, epochs: int = 4, **more: Any) -> PlanOrder:
    return PlanOrder(
        kind=GroupKind.TRIALS, question="Which rate", recipe=recipe_of(small_recipe(epochs=epochs)), space=SPACE,
        way=Way.SPREAD, trials=count, values=tuple(draw_trials(SPACE, Way.SPREAD, count, 1)), **more,
    )  # fmt: skip


def _begin(world: World, project: int, order: PlanOrder, at_once: int = 1) -> int:
    settings = replace(world.context.settings, trainings_at_once=at_once)
    with world.context.database.session() as session:
        return begin_plan(session, project, order, settings, world.context.store).id


def _plan(world: World, plan_id: int) -> tuple[PlanValue, list[TrialValue]]:
    with world.context.database.session() as session:
        return get_plan(session, plan_id), list(trials_of(session, plan_id))


def _run(world: World, run_id: int) -> RunValue:
    with world.context.database.session() as session:
        return get_run(session, run_id)


def _waiting(world: World) -> list[int]:
    with world.context.database.session() as session:
        return list(session.execute(text("select id from job where state = 'waiting' order by id")).scalars())


def _to_end(world: World, plan_id: int, order: Iterator[int] | None = None) -> tuple[PlanValue, list[TrialValue]]:
    """Do what waits until nothing does; by `order` another one than the oldest first."""
    while waiting := _waiting(world):
        world.run(waiting[next(order) % len(waiting)] if order else waiting[0])
    return _plan(world, plan_id)


def test_a_search_trains_each_trial_over_the_same_pictures_and_says_which_was_best(world: World, project: int) -> None:
    plan_id = _begin(world, project, _search())
    assert len(_waiting(world)) == 2  # as many as are trained at once, and one in hand
    entry, trials = _to_end(world, plan_id)
    assert (entry.state, entry.ended_by, entry.runs, entry.ended) == ("ended", "done", 4, 4)
    assert [one.trial for one in trials] == [1, 2, 3, 4]
    runs = [_run(world, one.run_id) for one in trials]
    assert len({run.snapshot_id for run in runs}) == 1
    for one, run in zip(trials, runs, strict=True):
        assert run.recipe["settings"]["learning_rate"] == one.varied["values"]["learning_rate"]
        assert (run.ended_by, run.epochs_done) == ("epochs", 4)
    best = min(trials, key=lambda one: one.figures["validation_loss"])
    assert entry.found is not None
    assert entry.found["best"] == best.trial
    optimism = entry.found["optimism"]
    assert optimism["trials"] == 4
    # Of losses less is better, and what is left of the lead is told as the loss.
    assert optimism["score"] == pytest.approx(min(one.figures["validation_loss"] for one in trials), abs=1e-5)
    low, high = optimism["interval"]
    assert 0 < low <= optimism["corrected"] <= high
    with world.context.database.session() as session:
        # Its runs stand outside the plain Ledger, and its trainings do not fill the tray.
        assert session.execute(text("select count(*) from job where kind = 'train' and not seen")).scalar() == 0


def test_dropped_trials_rest_at_their_rung_and_those_that_go_on_come_to_the_weights_of_one_go(
    world: World, project: int
) -> None:
    order = _search(6, 9, dropping=Dropping(factor=3, least=3))
    assert order.rungs == (3, 9)
    plan_id = _begin(world, project, order)
    entry, trials = _to_end(world, plan_id)
    assert entry.ended_by == "done"
    whole = [one for one in trials if one.ended_by == "epochs"]
    dropped = [one for one in trials if one.ended_by == "condition"]
    assert len(whole) + len(dropped) == 6
    assert 2 <= len(whole) <= 4
    for one in dropped:
        assert (one.epochs_done, (one.ending or {})["by"]) == (3, "dropped")
        assert one.scores is not None
    # The best of the first rung is among those that had the whole budget.
    best = max(trials, key=lambda one: one.varied["scores"]["0"])
    assert best in whole
    alone = recipe_of(_run(world, best.run_id).recipe)
    one_go = _begin(world, project, PlanOrder(
        kind=GroupKind.COPIES, question="The same in one go", recipe=alone, trials=2,
    ))  # fmt: skip
    again = _to_end(world, one_go)[1][0]
    assert world.digest_of(again.run_id) == world.digest_of(best.run_id)


def test_waiting_rungs_have_the_same_winner_and_weights_in_any_order(world: World, project: int) -> None:
    order = _search(6, 4, dropping=Dropping(factor=2, least=1, waits=True))
    assert order.rungs == (1, 2, 4)
    random = np.random.default_rng(1)
    found = []
    for at_once in (1, 3):
        plan_id = _begin(world, project, order, at_once)
        entry, trials = _to_end(world, plan_id, iter(lambda: int(random.integers(100)), -1))
        assert entry.found is not None
        found.append((entry.found["best"], [(one.epochs_done, world.digest_of(one.run_id)) for one in trials]))
    assert found[0] == found[1]
    assert sorted(done for done, _ in found[0][1]) == [1, 1, 1, 2, 2, 4]


def test_a_worker_that_dies_between_trials_leaves_the_plan_to_the_sweep(world: World, project: int) -> None:
    plan_id = _begin(world, project, _search(3))
    for job_id in _waiting(world):
        # As if each worker had died right after its training ended: nobody asked what comes next.
        with world.context.database.session() as session:
            run_id = session.execute(text("select subject_id from job where id = :id"), {"id": job_id}).scalar()
            session.execute(text("update job set state = 'done' where id = :id"), {"id": job_id})
            end_run(session, int(run_id or 0), RunEnding.EPOCHS)
    assert _waiting(world) == []
    with world.context.database.session() as session:
        advance_idle(session, world.context.settings, world.context.store)
    assert len(_waiting(world)) == 1
    entry, trials = _to_end(world, plan_id)
    assert (entry.state, len(trials)) == ("ended", 3)


def test_one_that_died_at_a_rung_before_it_was_judged_is_judged_and_goes_on(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan_id = _begin(world, project, _search(2, 4, dropping=Dropping(factor=2, least=2)))
    first = _waiting(world)[0]

    def die(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr("vast_orchard.jobs.training.run_training.judge_model", die)
        with pytest.raises(KeyboardInterrupt):
            world.run(first)
    assert _plan(world, plan_id)[1][0].state == "resting"
    world.run(first)
    assert _plan(world, plan_id)[1][0].scores is not None
    entry, trials = _to_end(world, plan_id)
    assert sorted(one.epochs_done for one in trials) == [2, 4]
    assert entry.ended_by == "done"


def test_a_paused_plan_begins_nothing_and_goes_on_where_it_was(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan_id = _begin(world, project, _search(3))
    context, advance = world.context, Progress.advance

    def pause_within(progress: Progress, by: float = 1.0) -> None:
        advance(progress, by)
        with context.database.session() as session:
            if get_plan(session, plan_id).state == "running":
                pause_plan(session, plan_id)
        progress.report()

    with monkeypatch.context() as patched:
        patched.setattr(Progress, "advance", pause_within)
        world.run(_waiting(world)[0])
    entry, trials = _plan(world, plan_id)
    assert entry.state == "paused"
    assert trials[0].epochs_done < 4
    with context.database.session() as session:
        assert session.execute(text("select count(*) from run where held and state <> 'ended'")).scalar() == 2
        with pytest.raises(ConflictError, match="does not run"):
            pause_plan(session, plan_id)
    with context.database.session() as session:
        go_on_with_plan(session, plan_id, context.settings, context.store)
        assert session.execute(text("select count(*) from run where held")).scalar() == 0
    entry, trials = _to_end(world, plan_id)
    assert [one.epochs_done for one in trials] == [4, 4, 4]


def test_a_plan_that_is_stopped_keeps_what_it_found_and_can_be_given_more(world: World, project: int) -> None:
    order = _search(2)
    plan_id = _begin(world, project, order)
    world.run(_waiting(world)[0])
    with world.context.database.session() as session:
        stop_plan(session, plan_id)
        with pytest.raises(ConflictError, match="ended already"):
            stop_plan(session, plan_id)
    entry, trials = _to_end(world, plan_id)
    assert (entry.ended_by, [one.ended_by for one in trials]) == ("stopped", ["epochs", "stopped"])
    assert entry.found == {"best": 1, "optimism": None}
    values = draw_trials(SPACE, Way.SPREAD, 4, 1)
    with world.context.database.session() as session:
        with pytest.raises(ConflictError, match="nothing to add"):
            add_trials(session, plan_id, order.values, 0, world.context.settings, world.context.store)
        add_trials(session, plan_id, values, 0, world.context.settings, world.context.store)
    entry, trials = _to_end(world, plan_id)
    assert [one.ended_by for one in trials] == ["epochs", "stopped", "epochs", "epochs"]
    assert entry.ended_by == "done"


def test_when_its_time_is_spent_no_trial_begins_and_the_best_one_still_gets_the_whole_budget(
    world: World, project: int
) -> None:
    plan_id = _begin(world, project, _search(6, 6, dropping=Dropping(factor=2, least=2), minutes=1e-6))
    entry, trials = _to_end(world, plan_id)
    assert len(trials) == 2
    assert sorted(one.epochs_done for one in trials) == [2, 6]
    assert entry.ending is not None
    assert "minutes are spent" in entry.ending["what"]


def test_when_all_trials_fail_it_is_said_once_with_why(world: World, project: int) -> None:
    # After four halvings nothing is left of pictures as small as these.
    space = Space(knobs=(Knob(name="size", values=(8, 9, 10, 11, 12, 13, 14)),))
    recipe = recipe_of({**small_recipe(), "network": "residual 12"})
    order = replace(_search(7), space=space, recipe=recipe, values=tuple(draw_trials(space, Way.ALL, 7, 1)))
    entry, trials = _to_end(world, _begin(world, project, order))
    assert {one.ended_by for one in trials} == {"failed"}
    assert (entry.ended_by, len(trials)) == ("failed", 6)
    assert entry.ending is not None
    assert entry.ending["what"].startswith("All 6 trials that were begun failed. The first: ")
    assert entry.ending["mend"]


def test_a_trial_whose_values_do_not_fit_has_failed_and_the_others_go_on(world: World, project: int) -> None:
    space = Space(knobs=(Knob(name="size", values=(8, 16)),))
    recipe = recipe_of({**small_recipe(), "network": "residual 12"})
    order = replace(_search(2), space=space, recipe=recipe, values=({"size": 8}, {"size": 16}))
    entry, trials = _to_end(world, _begin(world, project, order))
    assert [one.ended_by for one in trials] == ["failed", "epochs"]
    assert entry.found is not None
    assert entry.found["best"] == 2


def test_folds_hold_out_every_picture_once_keep_copies_together_and_leave_the_test_set_out(
    world: World, project: int
) -> None:
    with world.context.database.session() as session:
        # Two pictures of a class that are copies of each other.
        pair = session.execute(text("select id from picture order by id limit 2")).scalars().all()
        session.execute(text("update picture set copy_group = 1 where id = any(:ids)"), {"ids": list(pair)})
    order = PlanOrder(
        kind=GroupKind.FOLDS, question="How sure", recipe=recipe_of(small_recipe()), folds=Folds(count=3, rounds=2)
    )
    plan_id = _begin(world, project, order)
    entry, trials = _to_end(world, plan_id)
    assert [(one.varied["round"], one.varied["fold"]) for one in trials] == [
        (1, 1), (1, 2), (1, 3), (2, 1), (2, 2), (2, 3),
    ]  # fmt: skip
    with world.context.database.session() as session:
        base = snapshot_pictures(session, entry.snapshot_id or 0)
        pool = {one.picture_id for one in base if one.set_name != "test"}
        assert any(one.set_name == "test" for one in base)
        for of_round in (trials[:3], trials[3:]):
            held: list[int] = []
            for one in of_round:
                members = snapshot_pictures(session, get_run(session, one.run_id).snapshot_id)
                own = {
                    name: {m.picture_id for m in members if m.set_name == name} for name in ("training", "validation")
                }
                assert own["training"] | own["validation"] == pool
                assert not own["training"] & own["validation"]
                assert len(set(pair) & own["validation"]) in (0, len(set(pair) & pool))
                held += own["validation"]
            assert sorted(held) == sorted(pool)
        # Nothing is fitted on what a fold is judged by; an ordinary run has its temperature by it.
        fitted = "select count(*), count(temperature) from model join run on run.id = run_id where varied is not null"
        assert tuple(session.execute(text(fitted)).one()) == (6, 0)
        assert session.scalar(text("select count(calibrated) from prediction")) == 0
    found = entry.found or {}
    assert np.array(found["confusion"]).sum() == 2 * len(pool)
    accuracies = [(one.scores or {})["accuracy"] for one in trials]
    assert found["accuracy"]["mean"] == pytest.approx(np.mean(accuracies))
    assert found["accuracy"]["interval"][0] <= found["accuracy"]["mean"] <= found["accuracy"]["interval"][1]


def test_a_fold_that_would_choose_its_epoch_by_what_it_is_judged_on_is_refused(world: World, project: int) -> None:
    recipe = recipe_of(small_recipe())
    chosen = replace(recipe, settings=replace(recipe.settings, keep=Keep.LOWEST_LOSS))
    with pytest.raises(SettingError, match="every score too good"):
        _begin(world, project, PlanOrder(kind=GroupKind.FOLDS, question="How sure", recipe=chosen, folds=Folds()))
    with pytest.raises(SplitError, match="folds at most"):
        _begin(
            world, project,
            PlanOrder(kind=GroupKind.FOLDS, question="How sure", recipe=recipe, folds=Folds(count=40)),
        )  # fmt: skip


def test_copies_say_how_far_the_seed_alone_moves_the_figures(world: World, project: int) -> None:
    order = PlanOrder(kind=GroupKind.COPIES, question="Only luck?", recipe=recipe_of(small_recipe(seed=5)), trials=3)
    entry, trials = _to_end(world, _begin(world, project, order))
    assert [_run(world, one.run_id).recipe["settings"]["seed"] for one in trials] == [5, 6, 7]
    losses = [one.figures["validation_loss"] for one in trials]
    assert entry.found is not None
    assert entry.found["validation_loss"]["deviation"] == pytest.approx(np.std(losses, ddof=1))


def test_final_training_takes_the_steps_of_the_chosen_run_on_all_pictures_and_looks_at_no_score(
    world: World, project: int
) -> None:
    entry, trials = _to_end(world, _begin(world, project, _search(2, go_on=True)))
    assert entry.found is not None
    best = next(one for one in trials if one.trial == entry.found["best"])
    chosen = _run(world, best.run_id)
    with world.context.database.session() as session:
        number = entry.found["final"]
        final_id = session.execute(text("select id from run where number = :n"), {"n": number}).scalar()
        final = get_run(session, int(final_id or 0))
        members = snapshot_pictures(session, final.snapshot_id)
        epochs = list_epochs(session, final.id)
        before = list_epochs(session, chosen.id)
    assert (final.state, final.ended_by, final.epochs_done) == ("ended", "epochs", chosen.epochs_done)
    assert final.counts["training"] == chosen.counts["training"] + chosen.counts["validation"]
    assert final.counts["test"] == chosen.counts["test"]
    assert {one.set_name for one in members} == {"training", "test"}
    assert final.repeats is not None
    assert final.repeats["steps"] == 4 * -(-chosen.counts["training"] // chosen.recipe["settings"]["batch_size"])
    assert [one.figures["learning_rate"] for one in epochs] == [one.figures["learning_rate"] for one in before]
    assert not any(name.startswith("validation") for one in epochs for name in one.figures)
    assert final.model is not None
    assert final.validation is None
    with world.context.database.session() as session:
        assert judgement_of(session, final.model.id, "validation") is None
        # It stops before the test set: nothing of it was looked at.
        assert session.execute(text("select count(*) from look")).scalar() == 0
        for run in (final, replace(chosen, state="training"), replace(chosen, ended_by="failed")):
            with pytest.raises(ConflictError):
                start_final(session, run, world.context.store)


def test_a_final_training_that_is_interrupted_comes_to_the_same_weights(
    world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id, job_id = world.run_job(project)
    world.run(job_id)
    finals = []
    for _ in range(2):
        with world.context.database.session() as session:
            finals.append(start_final(session, get_run(session, run_id), world.context.store).id)
    world.run(world.job_of(JobKind.TRAIN, finals[0]))
    stored = 0
    write = type(world.context.store).write

    def die_after_the_first(store: Any, path: str, data: bytes) -> None:
        nonlocal stored
        write(store, path, data)
        stored += path.startswith("runs/") and "last-" in path
        if stored == 2:
            raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr("vast_orchard.jobs.training.run_training._TOGETHER_S", 0.0)
        patched.setattr(type(world.context.store), "write", die_after_the_first)
        with pytest.raises(KeyboardInterrupt):
            world.run(world.job_of(JobKind.TRAIN, finals[1]))
    world.run(world.job_of(JobKind.TRAIN, finals[1]))
    assert world.digest_of(finals[0]) == world.digest_of(finals[1])


def test_folds_that_no_worker_came_to_divide_are_divided_by_the_sweep(world: World, project: int) -> None:
    order = PlanOrder(kind=GroupKind.FOLDS, question="How sure", recipe=recipe_of(small_recipe()), folds=Folds(count=3))
    plan_id = _begin(world, project, order)
    assert _plan(world, plan_id)[1] == []
    with world.context.database.session() as session:
        # The worker that took the job is gone, and the job with it.
        session.execute(text("update job set state = 'failed', ended_at = now() where kind = 'plan'"))
    with world.context.database.session() as session:
        advance_idle(session, world.context.settings, world.context.store)
    _, trials = _to_end(world, plan_id)
    assert [one.ended_by for one in trials] == ["epochs"] * 3


def test_a_class_in_fewer_groups_than_folds_ends_the_plan_with_what_to_do(world: World, project: int) -> None:
    with world.context.database.session() as session:
        session.execute(text("update picture set copy_group = 1 where class_id = (select min(id) from class)"))
    order = PlanOrder(kind=GroupKind.FOLDS, question="How sure", recipe=recipe_of(small_recipe()), folds=Folds(count=3))
    entry, trials = _to_end(world, _begin(world, project, order))
    assert (entry.ended_by, trials) == ("failed", [])
    assert entry.ending is not None
    assert "there is 1 picture or group" in entry.ending["what"]
    assert entry.ending["mend"]
