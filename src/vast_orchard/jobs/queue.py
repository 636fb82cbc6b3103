"""Puts work into the queue, in the transaction of its records; knows names only, so that the API stays small."""

from collections.abc import Mapping
from typing import Any

from procrastinate import App, SyncPsycopgConnector
from sqlalchemy import text
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError
from vast_orchard.store.jobs import create_job
from vast_orchard.store.schema import JobKind

__all__ = ["QUEUES", "enqueue", "kinds_of", "look_for_copies", "look_for_findings", "requeue_lost", "start_job"]

# Training has a worker of its own, so that an import or an export never waits for it.
QUEUES = {
    JobKind.READ: "data",
    JobKind.IMPORT: "data",
    JobKind.TAKE_OUT: "data",
    JobKind.BRING_BACK: "data",
    JobKind.DUPLICATE: "data",
    JobKind.SAMPLE: "data",
    JobKind.EMPTY: "data",
    JobKind.COPIES: "data",
    JobKind.FINDINGS: "data",
    JobKind.JUDGE: "data",
    JobKind.EXPORT: "data",
    JobKind.TELL: "data",
    JobKind.PLAN: "data",
    JobKind.COMBINE: "data",
    JobKind.TRAIN: "train",
}

# Never opened: every deferral uses the connection of its session.
_app = App(connector=SyncPsycopgConnector())


def enqueue(session: Session, kind: JobKind, job_id: int, *, in_s: int = 0) -> None:
    """Hand a job to the workers when this transaction commits, or some seconds later."""
    connection = session.connection().connection.driver_connection
    when = {"seconds": in_s} if in_s else None
    _app.configure_task(kind.value, queue=QUEUES[kind], connection=connection, schedule_in=when).defer(job_id=job_id)


def start_job(
    session: Session,
    project_id: int | None,
    kind: JobKind,
    title: str,
    subject_id: int,
    part: str = "",
    options: Mapping[str, Any] | None = None,
) -> int:
    """Record new work and hand it to the workers.

    Raises
    ------
    ConflictError
        The same work waits or runs already.
    """
    job_id = create_job(session, project_id, kind, title, subject_id, part, options)
    enqueue(session, kind, job_id)
    return job_id


def look_for_copies(session: Session, project_id: int) -> int | None:
    """Have new pictures compared with all others; None if that waits or goes on already, which sees them too."""
    try:
        return start_job(session, project_id, JobKind.COPIES, "Look for copies", project_id)
    except ConflictError:
        return None


def look_for_findings(session: Session, project_id: int) -> int | None:
    """Have everything looked at that may be wrong with pictures; None if that waits or goes on already."""
    try:
        return start_job(session, project_id, JobKind.FINDINGS, "Look for findings", project_id)
    except ConflictError:
        return None


def kinds_of(queue: str) -> list[JobKind]:
    """The kinds of work that a queue carries."""
    return [kind for kind, name in QUEUES.items() if name == queue]


# Our own table says what is active, and its work itself when it was last at it. The queue's word is asked for only
# whether a delivery stands out, or has just been made: of what it calls under way it may be wrong for ever, when the
# worker lost its connection while it handed a failed delivery back.
_LOST = text(
    "select job.id, job.kind from job where job.state in ('waiting', 'running') and job.kind = any(:kinds)"
    " and not exists (select 1 from run where job.kind = 'train' and run.id = job.subject_id and run.held)"
    " and coalesce(job.sign_at, job.created_at) < now() - make_interval(secs => :limit_s)"
    " and not exists (select 1 from procrastinate_jobs q where q.task_name = job.kind"
    " and (q.args->>'job_id')::int = job.id and (q.status = 'todo' or (q.status = 'doing' and exists"
    " (select 1 from procrastinate_events e where e.job_id = q.id and e.type = 'started'"
    " and e.at > now() - make_interval(secs => :limit_s))))) for update of job skip locked"
)


def requeue_lost(session: Session, queue: str, limit_s: float) -> int:
    """Enqueue again what is active and gave no sign of life within the limit; returns how many."""
    kinds = [kind.value for kind in kinds_of(queue)]
    lost = session.execute(_LOST, {"kinds": kinds, "limit_s": limit_s}).all()
    for job_id, kind in lost:
        enqueue(session, JobKind(kind), job_id)
    return len(lost)
