"""The order in which runs are trained: what trains, what waits, whose turn is next. The runs hold it themselves."""

from collections.abc import Sequence
from enum import StrEnum
from typing import Any

from sqlalchemy import Row, Select, case, func, select, update
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError
from vast_orchard.store.database import tell
from vast_orchard.store.jobs import take_job
from vast_orchard.store.schema import Job, JobKind, JobState, Project, Run, Snapshot
from vast_orchard.store.values import JobValue, QueuedRun

__all__ = ["Move", "change_queue", "take_turn", "trainers", "training_queue"]


class Move(StrEnum):
    """What is done with a run that waits."""

    NEXT = "next"  # its turn comes at once: what trains waits again after its epoch
    FIRST = "first"
    EARLIER = "earlier"
    LATER = "later"
    LAST = "last"
    HOLD = "hold"
    LET_GO = "let-go"


# A number of our own for PostgreSQL's advisory locks.
_TURN_LOCK = 4_212
# Those that never got a place stand in the order in which they were started.
_PLACE = func.coalesce(Run.queue_place, Run.id)
_TRAINING = Job.kind == JobKind.TRAIN.value


def _waiting(*columns: Any) -> Select[Any]:
    query = select(*columns).select_from(Run).join(Job, (Job.subject_id == Run.id) & _TRAINING)
    return query.where(Job.state == JobState.WAITING.value).order_by(_PLACE, Run.id)


def take_turn(session: Session, job_id: int, owner: str, *, alive_s: float = 0.0) -> JobValue | None:
    """Become the owner of the training whose turn it is, when the queue hands one out; None if there is none.

    One that a worker began and left goes on, whosever turn it is.

    Parameters
    ----------
    alive_s : float
        Work that gave a sign of life within so many seconds was not left.
    """
    # One after the other: two workers that are woken at once would both choose the first, and the second go to sleep.
    session.execute(select(func.pg_advisory_xact_lock(_TURN_LOCK)))
    if session.scalar(select(Job.state).where(Job.id == job_id)) == JobState.RUNNING:
        left = take_job(session, job_id, owner, alive_s=alive_s)
        if left is not None:
            return left
        # It began on another's delivery, whose own work waits now.
    first = session.scalar(_waiting(Job.id).where(Run.held.is_(False)).limit(1))
    return None if first is None else take_job(session, first, owner)


def training_queue(session: Session) -> Sequence[QueuedRun]:
    """What trains and what waits, in the order of their turns; what is held stands at its place."""
    rows = session.execute(
        select(Run, Job, Project.name.label("project_name"), Snapshot.counts)
        .join(Snapshot, Snapshot.id == Run.snapshot_id)
        .join(Job, (Job.subject_id == Run.id) & _TRAINING)
        .join(Project, Project.id == Run.project_id)
        .where(Job.state.in_([JobState.WAITING.value, JobState.RUNNING.value]), Project.deleted_at.is_(None))
        .order_by(case((Job.state == JobState.RUNNING.value, 0), else_=1), _PLACE, Run.id)
    ).all()
    return [_value(row) for row in rows]


def _value(found: Row[Any]) -> QueuedRun:
    run, job = found.Run, found.Job
    return QueuedRun(
        run_id=run.id,
        job_id=job.id,
        number=run.number,
        name=run.name,
        project_id=run.project_id,
        project_name=found.project_name,
        training=job.state == JobState.RUNNING,
        held=run.held,
        epochs_done=run.epochs_done,
        recipe=run.recipe,
        counts=found.counts,
        left_s=job.left_s,
        pausing=job.pause_asked,
    )


def change_queue(session: Session, run_id: int, move: Move) -> int:
    """Move a run that waits, hold it or let it go; the id of its job.

    Raises
    ------
    ConflictError
        It does not wait.
    """
    # One change at a time, so that two windows never undo each other's half.
    order = session.execute(_waiting(Run.id, Job.id).with_for_update()).all()
    jobs = {row[0]: int(row[1]) for row in order}
    if run_id not in jobs:
        raise ConflictError("This run does not wait for its turn.", "Only what waits can be moved or held.")
    if move in (Move.HOLD, Move.LET_GO):
        _set(session, run_id, held=move is Move.HOLD)
        return jobs[run_id]
    ids = _moved([row[0] for row in order], run_id, move)
    if move is Move.NEXT:
        trains = select(Run.id, Job.id).join(Job, (Job.subject_id == Run.id) & _TRAINING)
        trains = trains.where(Job.state == JobState.RUNNING.value, Job.pause_asked.is_(False))
        # Of several that train the one that began last makes room.
        if paused := session.execute(trains.order_by(Run.id.desc()).limit(1)).first():
            session.execute(update(Job).where(Job.id == paused[1]).values(pause_asked=True))
            ids.insert(1, paused[0])  # it goes on right after it
        _set(session, run_id, held=False)
    # Below those of all that will be started later, which are their ids.
    for place, moved in enumerate(ids, start=-len(ids)):
        _set(session, moved, queue_place=place)
    return jobs[run_id]


def _moved(ids: list[int], run_id: int, move: Move) -> list[int]:
    at = ids.index(run_id)
    to = {Move.EARLIER: at - 1, Move.LATER: at + 1, Move.LAST: len(ids) - 1}.get(move, 0)
    others = [other for other in ids if other != run_id]
    others.insert(max(0, to), run_id)
    return others


def _set(session: Session, run_id: int, **values: Any) -> None:
    project = session.scalar(update(Run).where(Run.id == run_id).values(**values).returning(Run.project_id))
    tell(session, "runs", project or 0, run=run_id)


def trainers(session: Session, places: int, threads: int) -> list[dict[str, Any]]:
    """Where trainings go on, as many places as there are workers, with what does there and its last sign of life.

    Parameters
    ----------
    places : int
        Trainings side by side.
    threads : int
        Of each.
    """
    rows = session.execute(
        select(Job, Run.project_id, Project.name.label("project_name"))
        .join(Run, (Job.subject_id == Run.id) & _TRAINING)
        .join(Project, Project.id == Run.project_id)
        .where(Job.state == JobState.RUNNING.value)
        .order_by(Job.started_at, Job.id)
    ).all()
    now = session.scalar(select(func.now()))
    found: list[dict[str, Any]] = []
    for place in range(max(places, len(rows))):
        row = rows[place] if place < len(rows) else None
        job = row.Job if row else None
        found.append(
            {
                "place": place + 1,
                "threads": threads,
                "job_id": job.id if job else None,
                "run_id": job.subject_id if job else None,
                "project_id": row.project_id if row else None,
                "project_name": row.project_name if row else "",
                "title": job.title if job else "",
                "stage": job.stage if job else "",
                "done": job.done if job else 0.0,
                "total": job.total if job else 0.0,
                "since": job.started_at if job else None,
                "sign_at": job.sign_at if job else None,
                "now": now,
            }
        )
    return found
