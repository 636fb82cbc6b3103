"""The score of a plan's run at the rung that it has reached."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.planning.order import PlanOrder, order_from_json
from vast_orchard.store.plans import get_plan
from vast_orchard.store.schema import PlanState
from vast_orchard.store.values import RunValue

__all__ = ["order_of", "with_score"]


def order_of(session: Session, run: RunValue) -> PlanOrder | None:
    """What the plan of a run is to do; None of a run that is no trial, or of a plan that has ended."""
    if run.trial is None or run.group_id is None:
        return None
    entry = get_plan(session, run.group_id)
    return None if entry.state == PlanState.ENDED else order_from_json(entry.plan)


def with_score(run: RunValue, order: PlanOrder, figures: Mapping[str, float]) -> dict[str, Any]:
    """What the run varies, and its score at the rung that it was to reach added; the last rung is the whole budget."""
    varied, rungs, score = run.varied or {}, order.rungs, order.score(figures)
    if score is None:
        return varied
    rung = rungs.index(run.until_epoch) if run.until_epoch in rungs else len(rungs) - 1
    return {**varied, "scores": {**varied.get("scores", {}), str(rung): score}}
