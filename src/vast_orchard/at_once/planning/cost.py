"""What a plan costs, before it begins and as it goes on."""

from collections.abc import Mapping, Sequence
from typing import Any

from vast_orchard.at_once.planning.order import PlanOrder, runs_of_order
from vast_orchard.core.planning.cost import search_cost
from vast_orchard.core.training.duration import recipe_time
from vast_orchard.core.training.recipe import Recipe, resolved_recipe
from vast_orchard.errors import OrchardError
from vast_orchard.store.schema import RunState
from vast_orchard.store.values import TrialValue
from vast_orchard.types import SetName

__all__ = ["cost_of", "cost_under_way"]

# Trials whose time is worked out, evenly over all of them; the mean of these stands for all.
_LOOKED_AT = 16


def _sets(order: PlanOrder, counts: Mapping[str, int]) -> tuple[int, int]:
    """Pictures that a run learns from, and those that it is validated on."""
    training, validation = counts.get(SetName.TRAINING, 0), counts.get(SetName.VALIDATION, 0)
    if order.folds is None:
        return training, validation
    held = (training + validation) // order.folds.count
    return training + validation - held, held


def _epoch_s(order: PlanOrder, recipe: Recipe, counts: Mapping[str, int], classes: int, pace: float) -> float | None:
    """Seconds of an epoch; None of what cannot be trained."""
    try:
        return recipe_time(resolved_recipe(recipe, classes), pace, *_sets(order, counts)).epoch_s
    except OrchardError:
        return None


def cost_of(
    order: PlanOrder, counts: Mapping[str, int], classes: int, pace: float | None, at_once: int
) -> dict[str, Any]:
    """Runs, epochs and time of a plan, whose values are drawn.

    Parameters
    ----------
    order : PlanOrder
    counts : mapping of str to int
        Pictures by set.
    classes : int
    pace : float or None
        Of this machine with as many threads as each training has; None: no time is told.
    at_once : int
        Trainings side by side.
    """
    total = runs_of_order(order)
    shown = range(1, total + 1, max(1, -(-total // _LOOKED_AT)))
    known = [] if pace is None else [_epoch_s(order, order.recipe_of(n), counts, classes, pace) for n in shown]
    times = [time for time in known if time is not None]
    epoch_s = sum(times) / len(times) if times else None
    factor = order.dropping.factor if order.dropping else 2
    cost = search_cost(max(1, total), order.rungs, factor, epoch_s, at_once)
    one_s = None if epoch_s is None else epoch_s * order.recipe.settings.epochs
    return {
        "trials": cost.trials,
        "rungs": list(cost.rungs),
        "at_rungs": list(cost.at_rungs),
        "epochs": cost.epochs,
        "seconds": min(cost.seconds, 60 * order.minutes) if cost.seconds and order.minutes else cost.seconds,
        "one_s": one_s,
    }


def cost_under_way(order: PlanOrder, trials: Sequence[TrialValue], train_s: float, at_once: int) -> dict[str, Any]:
    """How much of a plan is done, and what is left of it by the pace so far."""
    total = runs_of_order(order)
    factor = order.dropping.factor if order.dropping else 2
    epochs = search_cost(max(1, total), order.rungs, factor, None, at_once).epochs
    done = sum(one.epochs_done for one in trials)
    # A trial that trains has spent time that no record tells yet; it counts at the pace of those that rest or ended.
    known = [one for one in trials if one.state in (RunState.ENDED, RunState.RESTING) and one.train_s]
    finished = sum(one.epochs_done for one in known)
    pace = sum(one.train_s or 0.0 for one in known) / finished if finished else None
    left = max(0, epochs - done)
    seconds = None if pace is None else pace * left / min(at_once, max(1, total))
    if seconds is not None and order.minutes:
        seconds = min(seconds, max(0.0, 60 * order.minutes - train_s) / at_once)
    return {"epochs_done": done, "epochs_planned": max(done, epochs), "left_s": seconds}
