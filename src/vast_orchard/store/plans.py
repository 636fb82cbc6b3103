"""Plans of many runs: their record, their state machine, and their trials."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Row, Select, and_, case, func, select, update
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.projects import checked_name
from vast_orchard.store.run_states import end_run
from vast_orchard.store.schema import (
    Epoch,
    GroupKind,
    Job,
    JobKind,
    Judgement,
    Model,
    ModelKind,
    PlanEnding,
    PlanState,
    Prediction,
    Run,
    RunEnding,
    RunGroup,
    RunState,
    Snapshot,
)
from vast_orchard.store.values import PlanValue, TrialValue

__all__ = [
    "add_to_plan",
    "create_plan",
    "drop_resting",
    "end_plan",
    "get_plan",
    "hold_trials",
    "idle_plans",
    "list_plans",
    "list_trial",
    "lock_plan",
    "pause_plan",
    "plan_files",
    "plan_of_run",
    "plan_start",
    "resume_plan",
    "set_found",
    "trial_answers",
    "trial_curves",
    "trials_of",
    "working_jobs",
]

_BYTES_A_WEIGHT = 4  # float32
_ACTIVE = ("waiting", "running")


def plan_start(plan_id: int, digest: str) -> str:
    """Where weights lie that trials of a plan start from."""
    return f"plans/{plan_id}/start-{digest}.safetensors"


def plan_files(session: Session, project_id: int) -> list[str]:
    """Where weights lie that trials of a project's plans start from."""
    rows = session.execute(select(RunGroup.id, RunGroup.plan["start_digests"]).where(RunGroup.project_id == project_id))
    return [plan_start(number, digest) for number, digests in rows for digest in digests or ()]


def create_plan(
    session: Session,
    project_id: int,
    kind: GroupKind,
    question: str,
    *,
    plan: Mapping[str, Any],
    budget: Mapping[str, Any],
    snapshot_id: int,
    split_id: int,
) -> PlanValue:
    """A new plan that runs, without runs yet.

    Raises
    ------
    InputError
        The question is empty or too long.
    """
    row = RunGroup(
        project_id=project_id,
        kind=kind.value,
        question=checked_name(question, "question"),
        budget=dict(budget),
        plan=dict(plan),
        snapshot_id=snapshot_id,
        split_id=split_id,
        state=PlanState.RUNNING.value,
    )
    session.add(row)
    session.flush()
    _tell(session, row)
    return get_plan(session, row.id)


def _tell(session: Session, row: RunGroup) -> None:
    tell(session, "plans", row.project_id, plan=row.id)


def _in_order(column: Any, order: Any) -> Any:
    return func.array_agg(aggregate_order_by(column, order))


def _query() -> Select[Any]:
    failed = and_(Run.state == RunState.ENDED, Run.ended_by == RunEnding.FAILED)
    return (
        select(
            RunGroup,
            Snapshot.counts,
            Snapshot.classes,
            func.count(Run.id).label("runs"),
            func.count(Run.id).filter(Run.state == RunState.ENDED).label("ended"),
            func.count(Run.id).filter(failed).label("failed"),
            func.coalesce(func.sum(Run.train_s), 0.0).label("train_s"),
        )
        .outerjoin(Snapshot, Snapshot.id == RunGroup.snapshot_id)
        .outerjoin(Run, and_(Run.group_id == RunGroup.id, Run.trial.is_not(None), Run.deleted_at.is_(None)))
        # A group that was filled by hand has none, and is no plan.
        .where(RunGroup.snapshot_id.is_not(None))
        .group_by(RunGroup.id, Snapshot.id)
    )


def _value(found: Row[Any]) -> PlanValue:
    row: RunGroup = found[0]
    own = (
        "id", "project_id", "kind", "question", "budget", "plan", "split_id", "snapshot_id", "state", "ended_by",
        "ending", "ended_at", "found", "created_at",
    )  # fmt: skip
    return PlanValue(
        **{name: getattr(row, name) for name in own},
        counts=found.counts or {},
        classes=found.classes or [],
        runs=found.runs,
        ended=found.ended,
        failed=found.failed,
        train_s=float(found.train_s),
    )


def get_plan(session: Session, plan_id: int) -> PlanValue:
    """One plan.

    Raises
    ------
    MissingError
    """
    found = session.execute(_query().where(RunGroup.id == plan_id)).first()
    if found is None:
        raise MissingError(f"There is no plan {plan_id}.", "Open the list of plans for those there are.")
    return _value(found)


def list_plans(session: Session, project_id: int) -> Sequence[PlanValue]:
    """A project's plans, newest first."""
    query = _query().where(RunGroup.project_id == project_id)
    return [_value(row) for row in session.execute(query.order_by(RunGroup.id.desc()))]


def lock_plan(session: Session, plan_id: int) -> PlanValue:
    """The plan, which nobody else changes until this transaction ends: whoever decides what comes next does it alone.

    Raises
    ------
    MissingError
    """
    session.execute(select(RunGroup.id).where(RunGroup.id == plan_id).with_for_update())
    return get_plan(session, plan_id)


def trials_of(session: Session, plan_id: int) -> Sequence[TrialValue]:
    """A plan's runs in the order of their numbers there; those in the bin are left out."""
    rows = session.execute(
        select(
            Run.id, Run.number, Run.trial, Run.name, Run.varied, Run.state, Run.ended_by, Run.ending, Run.ended_at,
            Run.epochs_done, Run.until_epoch, Run.figures, Run.train_s, Run.parameters, Run.listed,
            Run.recipe["settings"]["epochs"].as_integer().label("epochs"),
            Model.id.label("model_id"),
            Judgement.scores.op("-")("classes").label("scores"),
        )
        .outerjoin(Model, and_(Model.run_id == Run.id, Model.kind == ModelKind.RUN))
        .outerjoin(Judgement, and_(Judgement.model_id == Model.id, Judgement.set_name == "validation"))
        .where(Run.group_id == plan_id, Run.trial.is_not(None), Run.deleted_at.is_(None))
        .order_by(Run.trial)
    )  # fmt: skip
    return [
        TrialValue(
            run_id=row.id,
            **{
                name: getattr(row, name)
                for name in TrialValue.__dataclass_fields__
                if name not in ("run_id", "size_bytes", "varied")
            },
            varied=row.varied or {},
            size_bytes=_BYTES_A_WEIGHT * row.parameters,
        )
        for row in rows
    ]


def trial_curves(session: Session, plan_id: int, figure: str) -> dict[int, list[float | None]]:
    """A figure of every epoch of each trial, by the trial's number."""
    rows = session.execute(
        select(Run.trial, Epoch.figures[figure].as_float())
        .join(Epoch, Epoch.run_id == Run.id)
        .where(Run.group_id == plan_id, Run.trial.is_not(None), Run.deleted_at.is_(None))
        .order_by(Run.trial, Epoch.number)
    )
    found: dict[int, list[float | None]] = {}
    for trial, value in rows:
        found.setdefault(int(trial or 0), []).append(value)
    return found


def trial_answers(session: Session, plan_id: int) -> dict[int, tuple[list[int], list[int], list[float]]]:
    """Of each trial the true class, whether it was right (1) and the loss of each validation picture, by its number.

    The pictures of all trials stand in the same order.
    """
    order = Prediction.picture_id
    right = case((Prediction.true_class == Prediction.predicted_class, 1), else_=0)
    rows = session.execute(
        select(
            Run.trial,
            _in_order(Prediction.true_class, order),
            _in_order(right, order),
            _in_order(Prediction.loss, order),
        )
        .join(Model, and_(Model.run_id == Run.id, Model.kind == ModelKind.RUN))
        .join(Prediction, and_(Prediction.model_id == Model.id, Prediction.set_name == "validation"))
        .where(Run.group_id == plan_id, Run.trial.is_not(None), Run.deleted_at.is_(None))
        .group_by(Run.id)
        .order_by(Run.trial)
    )
    return {int(trial or 0): (true, was_right, loss) for trial, true, was_right, loss in rows}


def plan_of_run(session: Session, run_id: int) -> int | None:
    """The plan that a run is a trial of, if it is of one that has something to do."""
    return session.scalar(
        select(RunGroup.id)
        .join(Run, Run.group_id == RunGroup.id)
        .where(Run.id == run_id, Run.trial.is_not(None), RunGroup.state != PlanState.ENDED)
    )


def idle_plans(session: Session) -> Sequence[int]:
    """Plans that run, and of which nothing waits or trains: whoever was to go on with them died."""
    active = (
        select(Job.id)
        .join(Run, Run.id == Job.subject_id)
        .where(Job.kind == JobKind.TRAIN.value, Job.state.in_(_ACTIVE), Run.group_id == RunGroup.id)
    )
    return session.scalars(select(RunGroup.id).where(RunGroup.state == PlanState.RUNNING, ~active.exists())).all()


def _move(session: Session, plan_id: int, before: Sequence[PlanState], **values: Any) -> bool:
    row = session.scalar(
        update(RunGroup).where(RunGroup.id == plan_id, RunGroup.state.in_(before)).values(**values).returning(RunGroup)
    )
    if row is not None:
        _tell(session, row)
        tell(session, "runs", row.project_id)
    return row is not None


def hold_trials(session: Session, plan_id: int, *, held: bool) -> Sequence[int]:
    """Hold what waits of a plan or let it go, and let what trains wait after its epoch; the jobs that wait."""
    of_plan = select(Run.id).where(Run.group_id == plan_id)
    waiting = Run.state.in_([RunState.WAITING, RunState.TRAINING])
    session.execute(update(Run).where(Run.group_id == plan_id, waiting).values(held=held))
    own = (Job.kind == JobKind.TRAIN.value, Job.subject_id.in_(of_plan))
    session.execute(update(Job).where(*own, Job.state == "running").values(pause_asked=held))
    return session.scalars(select(Job.id).where(*own, Job.state == "waiting").order_by(Job.id)).all()


def working_jobs(session: Session, plan_id: int) -> Sequence[int]:
    """The trainings of a plan that wait or go on."""
    own = Job.kind == JobKind.TRAIN.value, Job.state.in_(_ACTIVE)
    query = select(Job.id).join(Run, Run.id == Job.subject_id).where(*own, Run.group_id == plan_id)
    return session.scalars(query.order_by(Job.id)).all()


def pause_plan(session: Session, plan_id: int) -> None:
    """Nothing of it begins any more; what trains waits after its epoch.

    Raises
    ------
    ConflictError
        It does not run.
    """
    if not _move(session, plan_id, [PlanState.RUNNING], state=PlanState.PAUSED.value):
        raise ConflictError("The plan does not run.", "There is nothing to pause.")
    hold_trials(session, plan_id, held=True)


def resume_plan(session: Session, plan_id: int) -> Sequence[int]:
    """Let a paused plan go on; the jobs that waited meanwhile.

    Raises
    ------
    ConflictError
        It is not paused.
    """
    if not _move(session, plan_id, [PlanState.PAUSED], state=PlanState.RUNNING.value):
        raise ConflictError("The plan is not paused.", "There is nothing to go on with.")
    return hold_trials(session, plan_id, held=False)


def add_to_plan(session: Session, plan_id: int, plan: Mapping[str, Any], budget: Mapping[str, Any]) -> None:
    """Give a plan more to do; one that has ended runs again."""
    again = {"state": PlanState.RUNNING.value, "ended_by": None, "ending": None, "ended_at": None, "found": None}
    _move(session, plan_id, [PlanState.ENDED], **again)
    session.execute(update(RunGroup).where(RunGroup.id == plan_id).values(plan=dict(plan), budget=dict(budget)))
    tell(session, "plans", get_plan(session, plan_id).project_id, plan=plan_id)


def end_plan(session: Session, plan_id: int, by: PlanEnding, ending: Mapping[str, Any]) -> bool:
    """End a plan that has not ended; False if it had."""
    before = [PlanState.RUNNING, PlanState.PAUSED]
    return _move(
        session, plan_id, before,
        state=PlanState.ENDED.value, ended_by=by.value, ending=dict(ending), ended_at=func.now(),
    )  # fmt: skip


def drop_resting(session: Session, plan_id: int) -> None:
    """End the trials that still rest: they were not among those that go on."""
    rows = session.execute(
        select(Run.id, Run.epochs_done, Run.until_epoch).where(
            Run.group_id == plan_id, Run.state == RunState.RESTING, Run.deleted_at.is_(None)
        )
    ).all()
    for run_id, done, _ in rows:
        what = f"Its plan dropped it after epoch {done}: others were better there."
        end_run(session, run_id, RunEnding.CONDITION, {"by": "dropped", "epoch": done, "what": what})


def set_found(session: Session, plan_id: int, found: Mapping[str, Any]) -> None:
    """Store what was read out of a plan's runs."""
    row = session.get_one(RunGroup, plan_id)
    row.found = dict(found)
    session.flush()
    _tell(session, row)


def list_trial(session: Session, run_id: int) -> None:
    """Let a run of a plan stand in the plain Ledger too.

    Raises
    ------
    ConflictError
        It does so already.
    """
    project = session.scalar(
        update(Run)
        .where(Run.id == run_id, Run.group_id.is_not(None), ~Run.listed)
        .values(listed=True)
        .returning(Run.project_id)
    )
    if project is None:
        raise ConflictError("The run stands in the Ledger already.", "There is nothing to do.")
    tell(session, "runs", project)
