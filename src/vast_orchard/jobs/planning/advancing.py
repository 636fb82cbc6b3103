"""What comes next in a plan: decided whenever one of its runs has ended or rests, by whoever comes first.

The records alone decide, under a lock on the plan, so that it does not matter which worker asks, nor whether one died.
"""

from collections.abc import Sequence

import structlog
from sqlalchemy.orm import Session

from vast_orchard.at_once.planning.order import PlanOrder, order_from_json, runs_of_order
from vast_orchard.at_once.planning.standing import scores_by_rung
from vast_orchard.core.planning.halving import promoted
from vast_orchard.errors import ConflictError, OrchardError
from vast_orchard.jobs.planning.dividing import divide_into_folds, undivided
from vast_orchard.jobs.planning.trials import start_trial
from vast_orchard.jobs.queue import start_job
from vast_orchard.settings import Settings, trainings_at_once
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.jobs import ask_stop
from vast_orchard.store.plans import (
    drop_resting,
    end_plan,
    idle_plans,
    lock_plan,
    plan_of_run,
    trials_of,
    working_jobs,
)
from vast_orchard.store.run_states import raise_run
from vast_orchard.store.schema import JobKind, PlanEnding, PlanState, RunEnding, RunState
from vast_orchard.store.values import PlanValue, TrialValue

__all__ = ["BEGINNING", "advance_after", "advance_idle", "advance_plan", "close_plan"]

_log = structlog.get_logger()
# The part of a plan's job that begins it, beside the one that reads what it found.
BEGINNING = "beginning"
# One more waits than is trained, so that a worker that is free has its next trial at hand.
_IN_HAND = 1
# When so many trials failed and none went well, the others would too.
_ENOUGH_FAILED = 5
_UNDER_WAY = (RunState.WAITING, RunState.TRAINING)


def advance_after(session: Session, run_id: int, settings: Settings, store: ByteStore) -> None:
    """Go on with the plan of a run, if it is of one."""
    plan_id = plan_of_run(session, run_id)
    if plan_id is not None:
        advance_plan(session, plan_id, settings, store)


def advance_idle(session: Session, settings: Settings, store: ByteStore) -> None:
    """Go on with every plan whose last worker died before it could."""
    for plan_id in idle_plans(session):
        advance_plan(session, plan_id, settings, store)


def advance_plan(session: Session, plan_id: int, settings: Settings, store: ByteStore) -> None:
    """Let as many trials of a plan wait as can be trained, and one more; end the plan when there is nothing to do."""
    # Trials whose values do not fit have failed as soon as they begin: the next ones take their place.
    while _step(session, plan_id, trainings_at_once(settings) + _IN_HAND, store):
        pass


def _step(session: Session, plan_id: int, room: int, store: ByteStore) -> bool:
    """One look at a plan that runs; whether another is due."""
    entry = lock_plan(session, plan_id)
    if entry.state != PlanState.RUNNING:
        return False
    order, trials = order_from_json(entry.plan), trials_of(session, plan_id)
    if undivided(order):
        try:
            order = divide_into_folds(session, entry, order)
        except OrchardError as error:
            close_plan(session, entry.id, PlanEnding.FAILED, {"what": error.what, "mend": error.mend})
            return False
    if _hopeless(order, trials):
        _give_up(session, entry, trials)
        return False
    under_way = sum(one.state in _UNDER_WAY for one in trials)
    free, begun = max(0, room - under_way), max((one.trial for one in trials), default=0)
    late = bool(order.minutes) and entry.train_s >= 60 * order.minutes
    left = 0 if late else runs_of_order(order) - begun
    going_on = _going_on(order, trials, begun=not left, late=late)
    # A rung that was judged as a whole goes on as a whole.
    raised = going_on if order.dropping and order.dropping.waits else going_on[:free]
    for one in raised:
        _raise(session, entry, order, one)
    more = range(begun + 1, begun + 1 + max(0, min(free - len(raised), left)))
    for trial in more:
        start_trial(session, entry, order, trial, store)
    if not raised and not more and not under_way:
        close_plan(session, entry.id, PlanEnding.DONE, {"what": _done_words(order, trials, late=late)})
    return bool(more)


def _going_on(order: PlanOrder, trials: Sequence[TrialValue], *, begun: bool, late: bool) -> list[TrialValue]:
    """Trials that rest and now go on."""
    if order.dropping is None:
        return []
    rungs = order.rungs
    reached = [scores_by_rung(one, rungs) for one in trials]
    heading = [
        len(rungs) - 1 if one.state == RunState.ENDED else rungs.index(one.until_epoch or rungs[-1]) for one in trials
    ]
    if late:
        # Its time is spent: only where nobody had the whole budget the best one still gets it.
        top = max((max(scores, default=-1) for scores in reached), default=-1)
        if top >= len(rungs) - 1:
            return []
    found = promoted(
        reached, heading, len(rungs), order.dropping.factor, waits=order.dropping.waits or late, begun=begun
    )
    if late:
        found = found[:1]
    return [trials[n] for n in found]


def _raise(session: Session, entry: PlanValue, order: PlanOrder, one: TrialValue) -> None:
    rung = order.rungs.index(one.until_epoch or 0) + 1
    raise_run(session, one.run_id, order.rungs[rung])
    start_job(session, entry.project_id, JobKind.TRAIN, f"{entry.question}: {one.name.lower()}", one.run_id)


def _hopeless(order: PlanOrder, trials: Sequence[TrialValue]) -> bool:
    ended = [one for one in trials if one.state == RunState.ENDED]
    failed = [one for one in ended if one.ended_by == RunEnding.FAILED]
    well = len(trials) - len(failed) - sum(one.state in _UNDER_WAY for one in trials)
    return not well and len(failed) >= min(_ENOUGH_FAILED, runs_of_order(order))


def _give_up(session: Session, entry: PlanValue, trials: Sequence[TrialValue]) -> None:
    """Said once, with why; what still waits is taken back."""
    for job_id in working_jobs(session, entry.id):
        ask_stop(session, job_id)
    failed = [one for one in trials if one.ended_by == RunEnding.FAILED]
    why = (failed[0].ending or {}) if failed else {}
    what = f"All {len(failed)} trials that were begun failed. The first: {why.get('what', '')}"
    close_plan(session, entry.id, PlanEnding.FAILED, {"what": what, "mend": why.get("mend", "")})


def _done_words(order: PlanOrder, trials: Sequence[TrialValue], *, late: bool) -> str:
    whole = sum(one.state == RunState.ENDED and one.ended_by in ("epochs", "condition") for one in trials)
    dropped = sum(one.state == RunState.RESTING for one in trials)
    found = f"{len(trials)} were begun, {whole} trained to their end"
    if order.dropping:
        found += f", {dropped} dropped early"
    return f"{found}; its {order.minutes:g} minutes are spent." if late else f"{found}."


def close_plan(session: Session, plan_id: int, by: PlanEnding, ending: dict[str, str]) -> None:
    """End a plan, drop what rests, and have what it found read out of its runs."""
    if not end_plan(session, plan_id, by, ending):
        return
    drop_resting(session, plan_id)
    entry = lock_plan(session, plan_id)
    try:
        start_job(session, entry.project_id, JobKind.PLAN, f"Read {entry.question}", plan_id)
    except ConflictError:
        _log.info("A plan is read already.", action="plan_read", plan=plan_id)
