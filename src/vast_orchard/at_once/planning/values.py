"""A plan as plain values for the page: its order, its cost, its trials, what it found."""

from collections.abc import Sequence
from typing import Any

from vast_orchard.at_once.planning.asking import knob_values
from vast_orchard.at_once.planning.cost import cost_of, cost_under_way
from vast_orchard.at_once.planning.order import FIGURES, PlanOrder, order_from_json, runs_of_order
from vast_orchard.at_once.planning.standing import (
    best_trial,
    carried_values,
    course_of,
    natural,
    scores_by_rung,
    whole_trials,
)
from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.store.values import PlanValue, TrialValue

__all__ = ["plan_summary", "plan_values"]

_TOLD = (
    "id", "project_id", "kind", "question", "state", "ended_by", "created_at", "ended_at", "runs", "ended", "failed",
    "train_s",
)  # fmt: skip


def plan_summary(entry: PlanValue) -> dict[str, Any]:
    """A plan in the list of plans."""
    found = entry.found or {}
    return {
        **{name: getattr(entry, name) for name in _TOLD},
        "ending": (entry.ending or {}).get("what", ""),
        "mend": (entry.ending or {}).get("mend", ""),
        "total": runs_of_order(order_from_json(entry.plan)),
        "best": found.get("best"),
        **_outcome(found),
    }


def _outcome(found: dict[str, Any]) -> dict[str, Any]:
    """The figure that a plan came to, and how far it may be from the truth: of a search what remains of its best."""
    if optimism := found.get("optimism"):
        return {"value": optimism["corrected"], "interval": optimism["interval"]}
    if folds := found.get("accuracy"):
        return {"value": folds["mean"], "interval": folds["interval"]}
    if copies := found.get("validation_accuracy"):
        return {"value": copies["mean"], "interval": [copies["low"], copies["high"]]}
    return {"value": None, "interval": None}


def plan_values(entry: PlanValue, trials: Sequence[TrialValue], pace: float | None, at_once: int) -> dict[str, Any]:
    """Everything about a plan but the curves of its trials."""
    order = order_from_json(entry.plan)
    best, whole = best_trial(order, trials), {one.trial for one in whole_trials(order, trials)}
    return {
        **plan_summary(entry),
        "by": order.by,
        "rising": FIGURES[order.by],
        "way": order.way,
        "seed": order.seed,
        "minutes": order.minutes,
        "go_on": order.go_on,
        "space": [knob_values(knob) for knob in order.space.knobs] if order.space else [],
        "dropping": entry.plan["dropping"],
        "folds": {"count": order.folds.count, "rounds": order.folds.rounds} if order.folds else None,
        "rungs": list(order.rungs),
        "network": order.recipe.network.name,
        "epochs": order.recipe.settings.epochs,
        "counts": entry.counts,
        "classes": entry.classes,
        "cost": cost_of(order, entry.counts, len(entry.classes), pace, at_once),
        **cost_under_way(order, trials, entry.train_s, at_once),
        "best": best.trial if best else None,
        "course": course_of(order, trials),
        "carried": carried_values(order, trials),
        "found": entry.found,
        "trials": [_trial(order, one, whole=one.trial in whole) for one in trials],
    }


def _trial(order: PlanOrder, one: TrialValue, *, whole: bool) -> dict[str, Any]:
    scores = one.scores or {}
    ending = one.ending or {}
    judged = "right" in scores and scores.get("count")
    return {
        "trial": one.trial,
        "run_id": one.run_id,
        "number": one.number,
        "name": one.name,
        "values": one.varied.get("values", {}),
        "fold": one.varied.get("fold"),
        "round": one.varied.get("round"),
        "state": one.state,
        "ended_by": one.ended_by,
        "ending": ending.get("what", ""),
        "mend": ending.get("mend", ""),
        "epochs_done": one.epochs_done,
        "until": one.until_epoch or one.epochs,
        "epochs": one.epochs,
        "whole": whole,
        "value": one.figures.get(order.by),
        "figures": one.figures,
        "rungs": {rung: natural(order, score) for rung, score in scores_by_rung(one, order.rungs).items()},
        "count": scores.get("count"),
        "right": scores.get("right"),
        "interval": wilson_interval(scores["right"], scores["count"]) if judged else None,
        "train_s": one.train_s,
        "parameters": one.parameters,
        "listed": one.listed,
        "model_id": one.model_id,
    }
