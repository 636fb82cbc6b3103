"""Puts work into the queue, in the transaction of its records; knows names only, so that the API stays small."""

from procrastinate import App, SyncPsycopgConnector
from sqlalchemy import text
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError
from vast_orchard.store.jobs import create_job
from vast_orchard.store.schema import JobKind

__all__ = ["QUEUES", "enqueue", "look_for_copies", "requeue_lost", "start_job"]

# Training has a worker of its own, so that an import or an export never waits for it.
QUEUES = {
    JobKind.READ: "data",
    JobKind.IMPORT: "data",
    JobKind.TAKE_OUT: "data",
    JobKind.BRING_BACK: "data",
    JobKind.EMPTY: "data",
    JobKind.COPIES: "data",
    JobKind.JUDGE: "data",
    JobKind.EXPORT: "data",
    JobKind.TRAIN: "train",
}

# Never opened: every deferral uses the connection of its session.
_app = App(connector=SyncPsycopgConnector())


def enqueue(session: Session, kind: JobKind, job_id: int) -> None:
    """Hand a job to the workers when this transaction commits."""
    connection = session.connection().connection.driver_connection
    _app.configure_task(kind.value, queue=QUEUES[kind], connection=connection).defer(job_id=job_id)


def start_job(session: Session, project_id: int | None, kind: JobKind, title: str, subject_id: int) -> int:
    """Record new work and hand it to the workers.

    Raises
    ------
    ConflictError
        The same work waits or runs already.
    """
    job_id = create_job(session, project_id, kind, title, subject_id)
    enqueue(session, kind, job_id)
    return job_id


def look_for_copies(session: Session, project_id: int) -> int | None:
    """Have new pictures compared with all others; None if that waits or goes on already, which sees them too."""
    try:
        return start_job(session, project_id, JobKind.COPIES, "Look for copies", project_id)
    except ConflictError:
        return None


def requeue_lost(session: Session, queue: str) -> int:
    """Enqueue again what our records call active and the queue has forgotten; returns how many.

    A worker that loses the database in the middle of a job can leave such a gap.
    """
    kinds = [kind.value for kind, name in QUEUES.items() if name == queue]
    lost = session.execute(
        text(
            "select job.id, job.kind from job where job.state in ('waiting', 'running') and job.kind = any(:kinds)"
            " and not exists (select 1 from procrastinate_jobs q where q.task_name = job.kind"
            " and (q.args->>'job_id')::int = job.id and q.status in ('todo', 'doing')) for update of job skip locked"
        ),
        {"kinds": kinds},
    ).all()
    for job_id, kind in lost:
        enqueue(session, JobKind(kind), job_id)
    return len(lost)
