"""Begins a plan, gives it more to do, stops it: what people ask of plans, within a request."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.dividing import split_for_training
from vast_orchard.at_once.planning.order import PlanOrder, check_order, order_from_json, order_to_json
from vast_orchard.core.pictures.area import area_from_json
from vast_orchard.errors import ConflictError, SettingError
from vast_orchard.jobs.new_files import NewFiles
from vast_orchard.jobs.planning.advancing import BEGINNING, advance_plan, close_plan
from vast_orchard.jobs.planning.dividing import check_many_enough, undivided
from vast_orchard.jobs.queue import enqueue, start_job
from vast_orchard.settings import Settings
from vast_orchard.store.areas import rules_now
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.jobs import ask_stop
from vast_orchard.store.plans import (
    add_to_plan,
    create_plan,
    get_plan,
    lock_plan,
    plan_start,
    resume_plan,
    working_jobs,
)
from vast_orchard.store.schema import GroupKind, JobKind, PlanEnding, PlanState
from vast_orchard.store.snapshots import take_snapshot
from vast_orchard.store.values import PlanValue

__all__ = ["add_trials", "begin_plan", "go_on_with_plan", "stop_plan"]


def begin_plan(
    session: Session,
    project_id: int,
    order: PlanOrder,
    settings: Settings,
    store: ByteStore,
    start_files: Mapping[str, bytes] = MappingProxyType({}),
) -> PlanValue:
    """Record a plan with the pictures as they are now, and let its first trials wait for their turn.

    Parameters
    ----------
    order : PlanOrder
        The values of its trials drawn already.
    start_files : mapping of str to bytes
        The models that its trials start from, by the digests of their weights; kept with the plan.

    Raises
    ------
    SettingError, DescriptionError
        It cannot be carried out.
    SplitError, ConflictError
        The pictures cannot be trained on, or not be divided into so many folds.
    """
    check_order(order)
    split_id = split_for_training(session, project_id, order.split_id, order.recipe.settings.seed)
    fresh = area_from_json(rules_now(session, project_id).fresh)
    recipe = replace(order.recipe, preprocessing=replace(order.recipe.preprocessing, area=fresh))
    snapshot = take_snapshot(session, project_id, split_id)
    if order.folds is not None:
        check_many_enough(session, project_id, snapshot.id, order.folds.count)
    order = replace(order, recipe=recipe)
    entry = create_plan(
        session, project_id, order.kind, order.question,
        plan=order_to_json(order), budget={"trials": order.trials, "minutes": order.minutes},
        snapshot_id=snapshot.id, split_id=split_id,
    )  # fmt: skip
    with NewFiles(store) as made:
        for digest, data in start_files.items():
            made.write(plan_start(entry.id, digest), data)
        if undivided(order):
            start_job(session, project_id, JobKind.PLAN, f"Divide for {order.question}", entry.id, BEGINNING)
        else:
            advance_plan(session, entry.id, settings, store)
        store.settle()
    return get_plan(session, entry.id)


def go_on_with_plan(session: Session, plan_id: int, settings: Settings, store: ByteStore) -> PlanValue:
    """Let a paused plan go on.

    Raises
    ------
    ConflictError
        It is not paused.
    """
    for job_id in resume_plan(session, plan_id):
        # While it was held, what was to wake a worker for it may have gone by.
        enqueue(session, JobKind.TRAIN, job_id)
    advance_plan(session, plan_id, settings, store)
    return get_plan(session, plan_id)


def add_trials(
    session: Session,
    plan_id: int,
    values: Sequence[dict[str, Any]],
    minutes: float,
    settings: Settings,
    store: ByteStore,
) -> PlanValue:
    """Give a search more to do: further trials, another time.

    Parameters
    ----------
    values : sequence of dict
        Of all its trials, those that there are first.

    Raises
    ------
    ConflictError, SettingError
        It is no search, or there is nothing to add.
    """
    entry = lock_plan(session, plan_id)
    order = order_from_json(entry.plan)
    if order.kind is not GroupKind.TRIALS:
        raise ConflictError("Only a search can be given more trials.", "Plan anew.")
    if minutes < 0:
        raise SettingError(f"{minutes:g} minutes are no time.", "Give minutes above 0, or 0 for no limit.")
    if list(order.values) != list(values[: len(order.values)]):
        raise ConflictError("The trials that there are would change.", "Add to them.")
    if len(values) == len(order.values) and minutes == order.minutes:
        raise ConflictError("There is nothing to add: the space holds no further combination.", "Plan anew.")
    order = replace(order, values=tuple(values), trials=len(values), minutes=minutes)
    add_to_plan(session, plan_id, order_to_json(order), {"trials": order.trials, "minutes": order.minutes})
    advance_plan(session, plan_id, settings, store)
    return get_plan(session, plan_id)


def stop_plan(session: Session, plan_id: int) -> PlanValue:
    """End a plan now: what trains stops, what waits is taken back, and what was found by then is read.

    Raises
    ------
    ConflictError
        It has ended.
    """
    entry = lock_plan(session, plan_id)
    if entry.state == PlanState.ENDED:
        raise ConflictError("The plan has ended already.", "There is nothing to stop.")
    for job_id in working_jobs(session, plan_id):
        ask_stop(session, job_id)
    close_plan(session, plan_id, PlanEnding.STOPPED, {"what": f"Stopped by hand after {entry.ended} had ended."})
    return get_plan(session, plan_id)
