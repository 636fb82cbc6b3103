"""Plans of many runs and their trials."""

import datetime as dt
from dataclasses import dataclass
from typing import Any

__all__ = ["PlanValue", "TrialValue"]


@dataclass(frozen=True, kw_only=True)
class PlanValue:
    """A plan, and how far it is."""

    id: int
    project_id: int
    kind: str  # see `GroupKind`
    question: str
    budget: dict[str, Any]
    plan: dict[str, Any]  # what is to be done
    split_id: int | None
    snapshot_id: int | None
    counts: dict[str, int]  # pictures of the snapshot by set
    classes: list[dict[str, Any]]
    state: str
    ended_by: str | None
    ending: dict[str, Any] | None
    ended_at: dt.datetime | None
    found: dict[str, Any] | None
    created_at: dt.datetime
    runs: int
    ended: int  # of these
    failed: int  # of these
    train_s: float  # of all of them together


@dataclass(frozen=True, kw_only=True)
class TrialValue:
    """One run of a plan, as the plan shows it."""

    run_id: int
    number: int  # of the run
    trial: int
    name: str
    varied: dict[str, Any]  # what it varies, and its scores by the rungs that it reached
    state: str
    ended_by: str | None
    ending: dict[str, Any] | None
    ended_at: dt.datetime | None
    epochs_done: int
    until_epoch: int | None
    epochs: int  # of the whole budget
    figures: dict[str, float]  # of the kept epoch
    scores: dict[str, Any] | None  # on its validation pictures, once it is judged
    train_s: float | None
    parameters: int
    size_bytes: int  # of its weights
    listed: bool
    model_id: int | None
