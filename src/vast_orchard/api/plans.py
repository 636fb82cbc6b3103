"""Plans of many runs over HTTP: sketched, begun, looked at, paused, added to, stopped, and gone on with."""

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Path, Query
from fastapi import status as http
from sqlalchemy.orm import Session

from vast_orchard.api.dependencies import LARGEST_ID, Parts, PartsOf, ProjectOf, RunOf, SessionOf
from vast_orchard.api.schemas.jobs import JobRead
from vast_orchard.api.schemas.plans import (
    CombinationCreate,
    FinalCreate,
    FoldsBesideRead,
    KnobOffersCreate,
    KnobOffersRead,
    PlanAdd,
    RunPlanCreate,
    RunPlanRead,
    RunPlanSketchRead,
    RunPlanSummaryRead,
    TrainerRead,
)
from vast_orchard.api.schemas.runs import RunRead
from vast_orchard.api.starts import ordered, start_of
from vast_orchard.at_once.network_times import pace_here
from vast_orchard.at_once.planning.asking import asked_order, offered_knobs
from vast_orchard.at_once.planning.members import check_members
from vast_orchard.at_once.planning.order import PlanOrder
from vast_orchard.at_once.planning.sketch import best_run, check_time, fold_pairs, plan_sketch, planned_knobs
from vast_orchard.at_once.planning.starts import check_unlearnt, named_sources, start_in
from vast_orchard.at_once.planning.values import plan_summary, plan_values
from vast_orchard.errors import ConflictError, InputError
from vast_orchard.jobs.planning.creating import add_trials, begin_plan, go_on_with_plan, stop_plan
from vast_orchard.jobs.planning.finishing import start_final
from vast_orchard.jobs.queue import start_job
from vast_orchard.settings import training_threads, trainings_at_once
from vast_orchard.store import plans
from vast_orchard.store.jobs import get_job
from vast_orchard.store.pooled import pooled_run
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import JobKind
from vast_orchard.store.training_queue import trainers
from vast_orchard.store.values import JobValue, PlanValue, RunValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["plans"])


def _plan(session: SessionOf, plan_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> PlanValue:
    plan = plans.get_plan(session, plan_id)
    get_project(session, plan.project_id)  # one of a project in the bin is not shown
    return plan


PlanOf = Annotated[PlanValue, Depends(_plan)]


def _draw(parts: Parts) -> Any:
    def draw(space: list[dict[str, Any]], way: str, count: int, seed: int) -> Sequence[dict[str, Any]]:
        drawn: Sequence[dict[str, Any]] = parts.quick.run("draw_trials", space=space, way=way, count=count, seed=seed)
        return drawn

    return draw


def _asked(session: Session, parts: Parts, project_id: int, body: RunPlanCreate) -> tuple[PlanOrder, dict[str, bytes]]:
    """The order, and the weights that trials start from by their digests."""
    wish = ordered(session, parts, project_id, body.recipe)
    assert wish.recipe is not None, "a plan has a recipe"
    asked = {**body.model_dump(exclude={"recipe"}), "space": [knob.model_dump() for knob in body.space]}
    sources = named_sources(session, project_id, asked["space"])
    check_unlearnt(session, project_id, body.split_id, list(sources.values()))
    found = {name: start_of(session, parts, project_id, body.recipe, one) for name, one in sources.items()}
    starts = {name: start_in(recipe) for name, (recipe, _) in found.items()}
    order = asked_order(session, project_id, wish.recipe, asked, _draw(parts), starts)
    files = {starts[name].start.digest: data for name, (_, data) in found.items()}
    if order.recipe.start is not None and wish.start_file is not None:
        files[order.recipe.start.digest] = wish.start_file
    return order, files


def _values(session: Session, parts: Parts, plan_id: int) -> dict[str, Any]:
    settings = parts.settings
    entry, trials = plans.get_plan(session, plan_id), plans.trials_of(session, plan_id)
    told = plan_values(entry, trials, pace_here(settings), trainings_at_once(settings))
    return {**told, "answers_run": pooled_run(session, plan_id)}


@router.post("/projects/{project_id}/knobs", response_model=KnobOffersRead)
def list_knobs(session: SessionOf, parts: PartsOf, project: ProjectOf, body: KnobOffersCreate) -> dict[str, Any]:
    """Everything that a search can vary about a recipe, and what is proposed."""
    wish = ordered(session, parts, project.id, body.recipe)
    assert wish.recipe is not None, "a recipe was sent"
    return offered_knobs(session, project.id, wish.recipe)


@router.post("/projects/{project_id}/plan-sketch", response_model=RunPlanSketchRead)
def sketch_plan(session: SessionOf, parts: PartsOf, project: ProjectOf, body: RunPlanCreate) -> dict[str, Any]:
    """What a plan would come to, without beginning it."""
    settings = parts.settings
    try:
        order, _ = _asked(session, parts, project.id, body)
        check_time(session, project.id, order, pace_here(settings))
    except InputError as error:
        # Most of what is put together here is on its way to something that can be.
        return {"failure": {"what": error.what, "mend": error.mend}, "cost": None, "possible": None, "first": []}
    return plan_sketch(session, project.id, order, pace_here(settings), trainings_at_once(settings))


@router.get("/projects/{project_id}/plans", response_model=list[RunPlanSummaryRead])
def list_plans(session: SessionOf, project: ProjectOf) -> Sequence[dict[str, Any]]:
    """A project's plans, newest first."""
    return [plan_summary(entry) for entry in plans.list_plans(session, project.id)]


@router.post("/projects/{project_id}/plans", response_model=RunPlanRead, status_code=http.HTTP_202_ACCEPTED)
def create_plan(session: SessionOf, parts: PartsOf, project: ProjectOf, body: RunPlanCreate) -> dict[str, Any]:
    """Begin a plan; its runs are trained as their turn comes."""
    order, start_files = _asked(session, parts, project.id, body)
    settings = parts.settings
    check_time(session, project.id, order, pace_here(settings))
    entry = begin_plan(session, project.id, order, settings, parts.store, start_files)
    return _values(session, parts, entry.id)


@router.get("/plans/{plan_id}", response_model=RunPlanRead)
def read_plan(session: SessionOf, parts: PartsOf, plan: PlanOf) -> dict[str, Any]:
    """One plan with its trials, and what they say so far."""
    return _values(session, parts, plan.id)


@router.get("/plans/{plan_id}/curves", response_model=dict[int, list[float | None]])
def read_curves(
    session: SessionOf, plan: PlanOf, figure: Annotated[str, Query(pattern="^[a-z_0-9]{1,40}$")] = "validation_loss"
) -> dict[int, list[float | None]]:
    """A figure of every epoch of each trial, by its number."""
    return plans.trial_curves(session, plan.id, figure)


@router.get("/plans/{plan_id}/beside/{other_id}", response_model=FoldsBesideRead)
def read_beside(
    session: SessionOf, parts: PartsOf, plan: PlanOf, other_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]
) -> dict[str, Any]:
    """By how much a plan of folds is better than another one over the same folds."""
    other = _plan(session, other_id)
    try:
        pairs = fold_pairs(plan, plans.trials_of(session, plan.id), other, plans.trials_of(session, other.id))
    except InputError as error:
        return {"failure": str(error)}
    return {"difference": parts.quick.run("fold_difference", **pairs)}


@router.post("/plans/{plan_id}/pause", response_model=RunPlanRead)
def pause_plan(session: SessionOf, parts: PartsOf, plan: PlanOf) -> dict[str, Any]:
    """Let nothing more of it begin; what trains waits after its epoch."""
    plans.pause_plan(session, plan.id)
    return _values(session, parts, plan.id)


@router.post("/plans/{plan_id}/go-on", response_model=RunPlanRead)
def go_on(session: SessionOf, parts: PartsOf, plan: PlanOf) -> dict[str, Any]:
    """Let a paused plan go on."""
    go_on_with_plan(session, plan.id, parts.settings, parts.store)
    return _values(session, parts, plan.id)


@router.post("/plans/{plan_id}/stop", response_model=RunPlanRead)
def stop(session: SessionOf, parts: PartsOf, plan: PlanOf) -> dict[str, Any]:
    """End it now; what was found by then is kept and read."""
    stop_plan(session, plan.id)
    return _values(session, parts, plan.id)


@router.post("/plans/{plan_id}/add", response_model=RunPlanRead, status_code=http.HTTP_202_ACCEPTED)
def add(session: SessionOf, parts: PartsOf, plan: PlanOf, body: PlanAdd) -> dict[str, Any]:
    """Give a search further trials, or another time; one that has ended runs again."""
    space, way, seed, there = planned_knobs(plan)
    count = len(there) + body.trials
    values = _draw(parts)(space, way, count, seed) if space and body.trials else there
    minutes = plan.plan["minutes"] if body.minutes is None else body.minutes
    add_trials(session, plan.id, values, minutes, parts.settings, parts.store)
    return _values(session, parts, plan.id)


@router.post("/plans/{plan_id}/final-training", response_model=RunRead, status_code=http.HTTP_202_ACCEPTED)
def finish_plan(session: SessionOf, parts: PartsOf, plan: PlanOf, body: FinalCreate) -> RunValue:
    """The set-up that was chosen once more, on training and validation pictures together."""
    run_id = body.run_id or best_run(plan, plans.trials_of(session, plan.id))
    if run_id is None:
        raise ConflictError("No trial of the plan had its whole budget yet.", "Wait for one.")
    return start_final(session, get_run(session, run_id), parts.store)


@router.post("/runs/{run_id}/final-training", response_model=RunRead, status_code=http.HTTP_202_ACCEPTED)
def finish_run(session: SessionOf, parts: PartsOf, run: RunOf) -> RunValue:
    """The same of any run that has ended."""
    return start_final(session, run, parts.store)


@router.post("/runs/{run_id}/list", response_model=RunRead)
def list_run(session: SessionOf, run: RunOf) -> RunValue:
    """Let a run of a plan stand in the plain Ledger too."""
    plans.list_trial(session, run.id)
    return get_run(session, run.id)


@router.post("/projects/{project_id}/combinations", response_model=JobRead, status_code=http.HTTP_202_ACCEPTED)
def combine(session: SessionOf, project: ProjectOf, body: CombinationCreate) -> JobValue:
    """Let several models answer as one, as a job; what comes of it is a run like any other."""
    check_members(session, project.id, body.model_ids)
    title = body.name or f"{len(body.model_ids)} models together"
    job = start_job(session, project.id, JobKind.COMBINE, title, project.id, options=body.model_dump())
    return get_job(session, job)


@router.get("/trainers", response_model=list[TrainerRead])
def list_trainers(session: SessionOf, parts: PartsOf) -> list[dict[str, Any]]:
    """Where trainings go on in this application, and what does there."""
    return trainers(session, trainings_at_once(parts.settings), training_threads(parts.settings))
