"""How the trials of a plan stand to each other, at any moment of it."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from vast_orchard.at_once.planning.order import FIGURES, PlanOrder
from vast_orchard.core.planning.carried import FEWEST_TRIALS, carried_by
from vast_orchard.store.schema import GroupKind, RunEnding, RunState
from vast_orchard.store.values import TrialValue

__all__ = ["best_trial", "carried_values", "course_of", "natural", "scores_by_rung", "whole_trials"]


def scores_by_rung(one: TrialValue, rungs: Sequence[int]) -> dict[int, float]:
    """Of a trial its score at each rung that it has reached, the higher the better; −infinity where it failed."""
    kept = {int(rung): float(score) for rung, score in one.varied.get("scores", {}).items()}
    if one.state != RunState.ENDED:
        return kept
    if one.ended_by in (RunEnding.FAILED, RunEnding.STOPPED):
        heading = rungs.index(one.until_epoch) if one.until_epoch in rungs else len(rungs) - 1
        return {**kept, heading: -math.inf}
    if kept and not _dropped(one):
        # A condition of its own ended it: it will get no better by going on.
        kept |= {rung: kept[max(kept)] for rung in range(max(kept), len(rungs))}
    return kept


def _dropped(one: TrialValue) -> bool:
    return (one.ending or {}).get("by") == "dropped"


def whole_trials(order: PlanOrder, trials: Sequence[TrialValue]) -> list[TrialValue]:
    """Those that had the whole budget, or ended well before it by a condition of their own."""
    top = len(order.rungs) - 1
    return [one for one in trials if math.isfinite(scores_by_rung(one, order.rungs).get(top, math.nan))]


def best_trial(order: PlanOrder, trials: Sequence[TrialValue]) -> TrialValue | None:
    """The trial that was best of those with the whole budget; of equals the one with the lower loss, then the first.

    Of folds and copies there is no best one: the first stands for the set-up.
    """
    whole = whole_trials(order, trials)
    if order.kind is not GroupKind.TRIALS:
        return whole[0] if whole else None

    def rank(one: TrialValue) -> tuple[float, float, int]:
        return -(order.score(one.figures) or 0.0), one.figures.get("validation_loss", 0.0), one.trial

    return min(whole, key=rank, default=None)


def course_of(order: PlanOrder, trials: Sequence[TrialValue]) -> list[dict[str, float]]:
    """The best figure so far against the seconds that were trained until then, a step for each that was better."""
    spent, best, found = 0.0, -math.inf, []
    ended = sorted(
        (one for one in trials if one.train_s), key=lambda one: (one.ended_at is None, one.ended_at, one.trial)
    )
    whole = {one.trial for one in whole_trials(order, trials)}
    for one in ended:
        spent += one.train_s or 0.0
        score = order.score(one.figures)
        if one.trial in whole and score is not None and score > best:
            best = score
            found.append({"trial": one.trial, "spent_s": spent, "value": one.figures[order.by]})
    return found


def carried_values(order: PlanOrder, trials: Sequence[TrialValue]) -> dict[str, Any]:
    """Which settings carried the difference between trials of one budget, and of how many trials that is read.

    Where some are dropped all are compared at the first rung, which all have reached.
    """
    if order.kind is not GroupKind.TRIALS:
        return {"trials": 0, "epochs": 0, "fewest": FEWEST_TRIALS, "settings": []}
    reached = [scores_by_rung(one, order.rungs).get(0, math.nan) for one in trials]
    scores = np.array([score if math.isfinite(score) else math.nan for score in reached], np.float64)
    found = carried_by([one.varied.get("values", {}) for one in trials], scores)
    return {
        "trials": int(np.isfinite(scores).sum()),
        "epochs": order.rungs[0],
        "fewest": FEWEST_TRIALS,
        "settings": [
            {"name": one.name, "share": one.share, "chance": one.chance, "trials": one.trials} for one in found
        ],
    }


def natural(order: PlanOrder, score: float) -> float | None:
    """A score as the figure that it is of; None where there is none."""
    if not math.isfinite(score):
        return None
    return score if FIGURES[order.by] else -score
