"""What a plan that has ended found: read out of its runs once, and stored with it."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

import numpy as np

from vast_orchard.at_once.planning.order import PlanOrder, order_from_json
from vast_orchard.at_once.planning.standing import best_trial, whole_trials
from vast_orchard.core.judging.fold_scores import fold_scores
from vast_orchard.core.judging.scores import judged_matrix
from vast_orchard.core.planning.optimism import optimism_of, picture_scores, told_optimism
from vast_orchard.errors import OrchardError
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.planning.finishing import start_final
from vast_orchard.jobs.planning.pooling import pool_answers
from vast_orchard.jobs.queue import look_for_findings
from vast_orchard.store.findings import finding_report
from vast_orchard.store.plans import get_plan, set_found, trial_answers, trials_of
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import GroupKind, PlanEnding
from vast_orchard.store.values import TrialValue

__all__ = ["read_plan"]


def read_plan(context: WorkContext, plan_id: int, progress: Progress) -> None:
    """Read what a plan found, and go on to final training if it was asked to."""
    progress.stage("Reading what the trials found", 1)
    with context.database.session() as session:
        entry = get_plan(session, plan_id)
        order, trials = order_from_json(entry.plan), trials_of(session, plan_id)
        answers = trial_answers(session, plan_id) if order.kind is GroupKind.TRIALS else {}
    found: dict[str, Any] = {}
    match order.kind:
        case GroupKind.TRIALS:
            found = _search_found(order, trials, answers)
        case GroupKind.FOLDS:
            found = _folds_found(order, trials)
        case GroupKind.COPIES:
            found = _copies_found(trials)
    with context.database.session() as session:
        best = best_trial(order, trials)
        if order.kind is GroupKind.FOLDS:
            pool_answers(session, entry, order, [one for one in whole_trials(order, trials) if one.scores])
            if finding_report(session, entry.project_id) is not None:
                look_for_findings(session, entry.project_id)
        if order.go_on and entry.ended_by == PlanEnding.DONE and best is not None:
            try:
                found["final"] = start_final(session, get_run(session, best.run_id), context.store).number
            except OrchardError as error:
                found["final_error"] = str(error)
        set_found(session, plan_id, found)
    progress.advance()


def _search_found(
    order: PlanOrder, trials: Sequence[TrialValue], answers: dict[int, tuple[list[int], list[int], list[float]]]
) -> dict[str, Any]:
    """By how much the best one looks better than it is."""
    best = best_trial(order, trials)
    if best is None or best.trial not in answers:
        return {"best": None, "optimism": None}
    length = len(answers[best.trial][0])
    known = sorted(trial for trial, (true, _, _) in answers.items() if len(true) == length and length > 1)
    if len(known) < 2:
        return {"best": best.trial, "optimism": None}
    scores = [
        picture_scores(order.by, np.array(true), np.array(right), np.array(losses))
        for true, right, losses in (answers[trial] for trial in known)
    ]
    told = told_optimism(optimism_of(np.stack(scores)), order.by)
    return {"best": best.trial, "optimism": {**asdict(told), "chosen": known[told.chosen]}}


def _folds_found(order: PlanOrder, trials: Sequence[TrialValue]) -> dict[str, Any]:
    """A mean with its interval, and the matrix over all pictures."""
    whole = [one for one in whole_trials(order, trials) if one.scores]
    if len(whole) < 2 or order.folds is None:
        return {"folds": len(whole)}
    scores = [one.scores or {} for one in whole]
    share = 1 / (order.folds.count - 1)
    confusion = np.sum([np.array(one["confusion"]) for one in scores], axis=0)
    loss = float(np.average([one["loss"] for one in scores], weights=[one["count"] for one in scores]))
    return {
        "folds": len(whole),
        "accuracy": asdict(fold_scores(np.array([one["accuracy"] for one in scores]), share)),
        "macro_f1": asdict(fold_scores(np.array([one["macro_f1"] for one in scores]), share)),
        "loss": loss,
        "confusion": confusion.tolist(),
        "recalls": [one.recall for one in judged_matrix(confusion, loss).classes],
    }


def _copies_found(trials: Sequence[TrialValue]) -> dict[str, Any]:
    """How far the seed alone moves the figures."""
    found: dict[str, Any] = {}
    for name in ("validation_accuracy", "validation_macro_f1", "validation_loss"):
        values = np.array([one.figures[name] for one in trials if name in one.figures])
        if len(values) > 1:
            found[name] = {
                "mean": float(values.mean()), "deviation": float(values.std(ddof=1)),
                "low": float(values.min()), "high": float(values.max()),
            }  # fmt: skip
    return found
