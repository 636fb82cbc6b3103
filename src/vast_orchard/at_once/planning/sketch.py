"""What a plan would come to before it begins, and whether it can."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.planning.cost import cost_of
from vast_orchard.at_once.planning.order import PlanOrder, order_from_json
from vast_orchard.at_once.planning.standing import best_trial
from vast_orchard.errors import SettingError, SplitError
from vast_orchard.store.classes import list_classes
from vast_orchard.store.splits import get_split, newest_split_id
from vast_orchard.store.values import PlanValue, TrialValue
from vast_orchard.types import SetName

__all__ = ["best_run", "check_time", "fold_pairs", "plan_sketch", "planned_knobs"]

_FIRST = 4
# Shares where no split is there yet, as *Train* would draw them.
_USUAL = {SetName.TRAINING.value: 0.7, SetName.VALIDATION.value: 0.15, SetName.TEST.value: 0.15}


def _counts(session: Session, project_id: int, split_id: int | None) -> dict[str, int]:
    split_id = split_id or newest_split_id(session, project_id)
    if split_id is None:
        pictures = sum(entry.count for entry in list_classes(session, project_id))
        return {name: round(share * pictures) for name, share in _USUAL.items()}
    found: dict[str, int] = {}
    for own in get_split(session, split_id, project_id).counts.values():
        for name, count in own.items():
            found[name] = found.get(name, 0) + count
    return found


def _classes(session: Session, project_id: int) -> int:
    return max(2, sum(1 for entry in list_classes(session, project_id) if entry.count))


def plan_sketch(
    session: Session, project_id: int, order: PlanOrder, pace: float | None, at_once: int
) -> dict[str, Any]:
    """Cost, combinations and first trials of a plan whose values are drawn."""
    counts = _counts(session, project_id, order.split_id)
    return {
        "failure": None,
        "cost": cost_of(order, counts, _classes(session, project_id), pace, at_once),
        "possible": order.space.count if order.space else None,
        "first": list(order.values[:_FIRST]),
    }


def check_time(session: Session, project_id: int, order: PlanOrder, pace: float | None) -> None:
    """Refuse a time in which not one trial could be trained, as far as that can be told.

    Raises
    ------
    SettingError
    """
    if not order.minutes or pace is None:
        return
    counts = _counts(session, project_id, order.split_id)
    one_s = cost_of(order, counts, _classes(session, project_id), pace, 1)["one_s"]
    if one_s is not None and one_s > 60 * order.minutes:
        raise SettingError(
            f"One trial takes about {one_s / 60:.1f} minutes, and all together may take {order.minutes:g}.",
            "Give it more time, or fewer epochs.",
        )


def planned_knobs(entry: PlanValue) -> tuple[list[dict[str, Any]], str, int, list[dict[str, Any]]]:
    """Of a search its space, way and seed, and the trials that are drawn; without space of any other plan."""
    plan = entry.plan
    return plan["space"], plan["way"], plan["seed"], plan["values"]


def best_run(entry: PlanValue, trials: Sequence[TrialValue]) -> int | None:
    """The run that is best of a plan so far."""
    best = best_trial(order_from_json(entry.plan), trials)
    return best.run_id if best else None


def fold_pairs(
    entry: PlanValue, trials: Sequence[TrialValue], other: PlanValue, others: Sequence[TrialValue]
) -> dict[str, Any]:
    """Accuracies of the folds that both plans have trained to their end, `first` of the other one, and their `share`.

    Raises
    ------
    SplitError
        They are not over the same folds, or have fewer than two in common.
    """
    folds, own = (plan.plan.get("folds") for plan in (entry, other))
    if not folds or not own or entry.snapshot_id != other.snapshot_id or folds["parts"] != own["parts"]:
        raise SplitError(
            "The two are over other pictures or other folds.", "Plan both with the same split, folds, rounds and seed."
        )
    known = {one.trial: one.scores["accuracy"] for one in trials if one.scores}
    there = {one.trial: one.scores["accuracy"] for one in others if one.scores}
    both = sorted(known.keys() & there.keys())
    if len(both) < 2:
        raise SplitError("They have fewer than two folds in common.", "Wait until both have trained some.")
    return {
        "first": [there[n] for n in both], "second": [known[n] for n in both], "share": 1 / (folds["count"] - 1),
    }  # fmt: skip
