"""The state machine of long work; every change is a WHERE on the state it leaves."""

import datetime as dt
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Row, func, select, true, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, LeaseLostError, MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.run_states import is_trial, settle_run
from vast_orchard.store.schema import Job, JobKind, JobState, Project
from vast_orchard.store.values import JobValue

__all__ = [
    "Asked",
    "ask_stop",
    "create_job",
    "end_deaf",
    "end_job",
    "get_job",
    "give_sign",
    "hold_lease",
    "job_of",
    "list_jobs",
    "put_away",
    "put_off",
    "report",
    "take_job",
]

_ACTIVE = (JobState.WAITING, JobState.RUNNING)


class Asked(NamedTuple):
    """What people want of work under way."""

    stop: bool
    pause: bool  # to wait again, as soon as it can go on later from where it is


def _value(row: Job, project_name: str) -> JobValue:
    return JobValue(
        id=row.id,
        project_id=row.project_id,
        project_name=project_name,
        kind=row.kind,
        title=row.title,
        subject_id=row.subject_id,
        part=row.part,
        options=row.options,
        state=row.state,
        stage=row.stage,
        done=row.done,
        total=row.total,
        left_s=row.left_s,
        line=row.line,
        error=row.error,
        stop_asked=row.stop_asked,
        created_at=row.created_at,
        started_at=row.started_at,
        ended_at=row.ended_at,
    )


def _tell(session: Session, job_id: int, project_id: int | None) -> None:
    tell(session, "jobs", project_id or 0, job=job_id)


def create_job(
    session: Session,
    project_id: int | None,
    kind: JobKind,
    title: str,
    subject_id: int,
    part: str = "",
    options: Mapping[str, Any] | None = None,
) -> int:
    """New work, waiting.

    Raises
    ------
    ConflictError
        The same work waits or runs already.
    """
    row = Job(
        project_id=project_id,
        kind=kind.value,
        title=title,
        subject_id=subject_id,
        part=part,
        options=dict(options or {}),
    )
    try:
        with session.begin_nested():
            session.add(row)
    except IntegrityError as error:
        raise ConflictError(f"{title} is under way already.", "Wait for it, or stop it in the tray.") from error
    _tell(session, row.id, project_id)
    return row.id


def take_job(session: Session, job_id: int, owner: str, *, alive_s: float = 0.0) -> JobValue | None:
    """Become the one owner of waiting or abandoned work; None if it has ended or was told to stop before it began.

    A worker that still believes to own it finds out at its next report.

    Parameters
    ----------
    alive_s : float
        Work that gave a sign of life within so many seconds is not abandoned: None.
    """
    row = session.scalar(select(Job).where(Job.id == job_id).with_for_update())
    if row is None or row.state not in _ACTIVE:
        return None
    now = session.scalar(select(func.now()))
    assert now is not None
    if row.state == JobState.RUNNING and row.sign_at and (now - row.sign_at).total_seconds() < alive_s:
        return None
    if row.stop_asked and row.state == JobState.WAITING:
        _end(session, row, JobState.STOPPED, None)
        return None
    row.state, row.owner, row.sign_at, row.pause_asked = JobState.RUNNING.value, owner, now, False
    row.started_at = row.started_at or now
    _tell(session, row.id, row.project_id)
    session.flush()
    return _value(row, "")


def report(
    session: Session,
    job_id: int,
    owner: str,
    *,
    stage: str,
    done: float,
    total: float,
    left_s: float | None,
    line: Sequence[float] = (),
) -> Asked:
    """Store progress; what people asked of it.

    Parameters
    ----------
    line : sequence of float
        Of a training: the losses of the epoch under way, as few points.

    Raises
    ------
    LeaseLostError
        Another worker took the work over.
    """
    row = session.execute(
        update(Job)
        .where(Job.id == job_id, Job.owner == owner, Job.state == JobState.RUNNING)
        .values(stage=stage, done=done, total=total, left_s=left_s, line=list(line), sign_at=func.now())
        .returning(Job.project_id, Job.stop_asked, Job.pause_asked)
        .execution_options(synchronize_session=False)
    ).first()
    if row is None:
        raise LeaseLostError(f"Job {job_id} belongs to another worker now.", "This one gives it up.")
    _tell(session, job_id, row.project_id)
    return Asked(stop=row.stop_asked, pause=row.pause_asked)


def hold_lease(session: Session, job_id: int, owner: str) -> None:
    """Keep the job ours until the end of this transaction.

    Raises
    ------
    LeaseLostError
        Another worker took it over.
    """
    held = select(Job.id).where(Job.id == job_id, Job.owner == owner).with_for_update()
    if session.scalar(held) is None:
        raise LeaseLostError(f"Job {job_id} belongs to another worker now.", "This one gives it up.")


def give_sign(session: Session, job_id: int, owner: str) -> bool:
    """Say that the job's own work goes on; False if it is another worker's, or has ended."""
    held = update(Job).where(Job.id == job_id, Job.owner == owner, Job.state == JobState.RUNNING)
    return session.execute(held.values(sign_at=func.now()).returning(Job.id)).first() is not None


def put_off(session: Session, job_id: int, owner: str, why: str) -> bool:
    """Let running work that is still ours wait for what it lacks; True if it does, and is to be handed out again.

    It ends instead if a person wants it stopped.
    """
    row = session.scalar(select(Job).where(Job.id == job_id, Job.owner == owner).with_for_update())
    if row is None or row.state != JobState.RUNNING:
        return False
    if row.stop_asked:
        _end(session, row, JobState.STOPPED, None)
        return False
    row.state, row.owner, row.stage, row.left_s = JobState.WAITING.value, None, why, None
    _tell(session, row.id, row.project_id)
    return True


def end_deaf(session: Session, kinds: Sequence[JobKind], limit_s: float) -> int:
    """End work that was asked to stop that long ago and has not; its worker finds out. Returns how many."""
    deaf = select(Job).where(
        Job.state == JobState.RUNNING,
        Job.kind.in_(kinds),
        Job.stop_asked,
        Job.stop_asked_at < func.now() - dt.timedelta(seconds=limit_s),
    )
    rows = session.scalars(deaf.with_for_update(skip_locked=True)).all()
    for row in rows:
        _end(session, row, JobState.STOPPED, None)
    return len(rows)


def _end(session: Session, row: Job, state: JobState, error: str | None) -> None:
    row.state, row.error, row.owner, row.left_s = state.value, error, None, None
    if state is JobState.DONE:
        row.done = row.total
    row.ended_at = session.scalar(select(func.clock_timestamp()))
    if row.kind == JobKind.TRAIN:
        # Of a trial its plan tells how it ended, so that a search does not fill the tray.
        row.seen = row.seen or is_trial(session, row.subject_id)
        settle_run(session, row.subject_id, state, error)
    _tell(session, row.id, row.project_id)


def end_job(session: Session, job_id: int, owner: str, state: JobState, error: str | None = None) -> None:
    """End running work that is still ours; nothing happens if it is not."""
    row = session.scalar(select(Job).where(Job.id == job_id, Job.owner == owner).with_for_update())
    if row is not None and row.state == JobState.RUNNING:
        _end(session, row, state, error)


def ask_stop(session: Session, job_id: int) -> None:
    """Ask running work to stop; waiting work ends at once.

    Raises
    ------
    MissingError, ConflictError
    """
    row = session.scalar(select(Job).where(Job.id == job_id).with_for_update())
    if row is None:
        raise MissingError(f"There is no job {job_id}.", "Look at the tray again.")
    if row.state not in _ACTIVE:
        raise ConflictError(f"{row.title} has ended already ({row.state}).", "There is nothing to stop.")
    row.stop_asked, row.stop_asked_at = True, session.scalar(select(func.now()))
    if row.state == JobState.WAITING:
        _end(session, row, JobState.STOPPED, None)
    _tell(session, row.id, row.project_id)


def put_away(session: Session, job_id: int, *, when_done: bool = False) -> None:
    """Take ended work out of the tray; with `when_done` also work that goes on, as soon as it ends."""
    ended = true() if when_done else Job.state.not_in(_ACTIVE)
    session.execute(update(Job).where(Job.id == job_id, ended).values(seen=True))


def _rows(session: Session, *conditions: ColumnElement[bool]) -> Sequence[Row[Job, str]]:
    query = (
        select(Job, func.coalesce(Project.name, "")).outerjoin(Project, Project.id == Job.project_id).order_by(Job.id)
    )
    return session.execute(query.where(*conditions)).all()


def get_job(session: Session, job_id: int) -> JobValue:
    """One job.

    Raises
    ------
    MissingError
    """
    for row, name in _rows(session, Job.id == job_id):
        return _value(row, name)
    raise MissingError(f"There is no job {job_id}.", "Look at the tray again.")


def job_of(session: Session, kind: JobKind, subject_id: int, part: str = "") -> JobValue | None:
    """The newest job on a subject, or on a part of it."""
    found = _rows(session, Job.kind == kind.value, Job.subject_id == subject_id, Job.part == part)
    return _value(*found[-1]) if found else None


def list_jobs(session: Session) -> Sequence[JobValue]:
    """What the tray shows: everything active, and what ended and was not put away, of projects not in the bin."""
    shown = Job.state.in_(_ACTIVE) | Job.seen.is_(False)
    return [_value(row, name) for row, name in _rows(session, shown, Project.deleted_at.is_(None))][-50:]
