"""The runs of a plan: made one by one as their turn comes, all over the same pictures as they were."""

from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.catalogue import PROGRAM
from vast_orchard.at_once.planning.order import PlanOrder
from vast_orchard.core.network.plan import plan
from vast_orchard.core.training.recipe import recipe_to_json, resolved_recipe
from vast_orchard.errors import OrchardError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.plans import plan_start
from vast_orchard.store.run_states import end_run
from vast_orchard.store.runs import START_FILE, create_run, set_parameters, set_start
from vast_orchard.store.schema import GroupKind, JobKind, RunEnding
from vast_orchard.store.snapshots import fold_snapshot
from vast_orchard.store.values import PlanValue

__all__ = ["start_trial", "trial_words"]


def trial_words(order: PlanOrder, trial: int) -> str:
    """What a trial is called."""
    if order.kind is GroupKind.FOLDS and order.folds:
        fold, of_round = (trial - 1) % order.folds.count + 1, (trial - 1) // order.folds.count + 1
        again = f", round {of_round}" if order.folds.rounds > 1 else ""
        return f"Fold {fold} of {order.folds.count}{again}"
    if order.kind is GroupKind.COPIES:
        return f"Seed {order.recipe.settings.seed + trial - 1}"
    return f"Trial {trial}"


def _snapshot_of(session: Session, entry: PlanValue, order: PlanOrder, trial: int) -> int:
    assert entry.snapshot_id is not None, "a plan has pictures"
    if order.kind is not GroupKind.FOLDS or order.folds is None:
        return entry.snapshot_id
    held = chr(ord("0") + (trial - 1) % order.folds.count)
    return fold_snapshot(session, entry.snapshot_id, order.folds.parts[(trial - 1) // order.folds.count], held)


def _varied(order: PlanOrder, trial: int) -> dict[str, Any]:
    if order.kind is GroupKind.FOLDS and order.folds:
        return {"fold": (trial - 1) % order.folds.count + 1, "round": (trial - 1) // order.folds.count + 1}
    if order.kind is GroupKind.COPIES:
        return {"seed": order.recipe.settings.seed + trial - 1}
    return {"values": order.values[trial - 1]}


def start_trial(session: Session, entry: PlanValue, order: PlanOrder, trial: int, store: ByteStore) -> None:
    """Record a run of the plan and hand it to the workers; one whose values do not fit each other has failed at once.

    What it starts from, where it starts from something, is copied from what the plan keeps.
    """
    classes = len(entry.classes)
    wrong: OrchardError | None = None
    try:
        recipe = resolved_recipe(order.recipe_of(trial), classes)
        parameters = plan(recipe.network, classes).parameters
    except OrchardError as error:
        recipe, parameters, wrong = resolved_recipe(order.recipe, classes), 0, error
    words, first = trial_words(order, trial), order.rungs[0] if order.dropping else None
    run = create_run(
        session, entry.project_id, entry.split_id or 0, recipe_to_json(recipe),
        program=PROGRAM,
        group_id=entry.id,
        name=words,
        snapshot_id=_snapshot_of(session, entry, order, trial),
        place={"trial": trial, "varied": _varied(order, trial), "until_epoch": first},
    )  # fmt: skip
    set_parameters(session, run.id, recipe_to_json(recipe), parameters)
    if wrong is not None:
        end_run(session, run.id, RunEnding.FAILED, {"what": wrong.what, "mend": wrong.mend})
        return
    if recipe.start is not None:
        place = f"runs/{run.id}/{START_FILE}"
        set_start(session, run.id, place)
        store.write(place, store.read(plan_start(entry.id, recipe.start.digest)))
        store.settle()
    start_job(session, entry.project_id, JobKind.TRAIN, f"{entry.question}: {words.lower()}", run.id)
