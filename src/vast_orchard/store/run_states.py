"""The state machine of a run; every change is a WHERE on the state it leaves."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError
from vast_orchard.store.database import tell
from vast_orchard.store.schema import JobState, Model, Run, RunEnding, RunState

__all__ = ["begin_run", "end_run", "is_trial", "raise_run", "reopen_run", "rest_run", "settle_run"]


def begin_run(session: Session, run_id: int) -> None:
    """Waiting becomes training; what trains already, taken over from another worker, or has ended stays as it is."""
    project = session.scalar(
        update(Run)
        .where(Run.id == run_id, Run.state == RunState.WAITING)
        .values(state=RunState.TRAINING, queue_place=None, held=False)
        .returning(Run.project_id)
    )
    if project is not None:
        tell(session, "runs", project, run=run_id)


def end_run(
    session: Session, run_id: int, by: RunEnding, facts: Mapping[str, Any] | None = None, train_s: float | None = None
) -> bool:
    """End a run that has not ended, and freeze its model; False if it had ended before.

    Parameters
    ----------
    by : RunEnding
    facts : mapping, optional
        The numbers of its ending, besides how many epochs were `done` of how many `epochs`.
    train_s : float, optional
        Seconds that it trained; what was stored last by default.
    """
    more = {} if train_s is None else {"train_s": train_s}
    row = session.execute(
        update(Run)
        .where(Run.id == run_id, Run.state != RunState.ENDED)
        .values(state=RunState.ENDED, ended_by=by, ended_at=func.now(), **more)
        .returning(Run.project_id, Run.recipe, Run.epochs_done)
    ).first()
    if row is None:
        return False
    ending = {"done": row.epochs_done, "epochs": row.recipe["settings"]["epochs"], **(facts or {})}
    session.execute(update(Run).where(Run.id == run_id).values(ending=ending))
    session.execute(update(Model).where(Model.run_id == run_id, Model.frozen_at.is_(None)).values(frozen_at=func.now()))
    tell(session, "runs", row.project_id, run=run_id)
    return True


def rest_run(session: Session, run_id: int, varied: Mapping[str, Any], train_s: float) -> None:
    """A run of a plan that trains has reached an epoch at which its plan decides; what it varies now says how well."""
    row = session.scalar(
        update(Run)
        .where(Run.id == run_id, Run.state == RunState.TRAINING)
        .values(state=RunState.RESTING, varied=dict(varied), train_s=train_s)
        .returning(Run.project_id)
    )
    if row is not None:
        tell(session, "runs", row, run=run_id)


def raise_run(session: Session, run_id: int, until_epoch: int) -> None:
    """Let a run that rests wait for its turn again, to train on until another epoch."""
    row = session.scalar(
        update(Run)
        .where(Run.id == run_id, Run.state == RunState.RESTING)
        .values(state=RunState.WAITING, until_epoch=until_epoch)
        .returning(Run.project_id)
    )
    if row is not None:
        tell(session, "runs", row, run=run_id)


def reopen_run(session: Session, run_id: int) -> None:
    """Let a run that was stopped or failed wait again: it goes on after the last epoch that it stored.

    What it kept stays its model until it keeps another state; looks at the test set stay counted.

    Raises
    ------
    ConflictError
        It has not ended, or has ended well.
    """
    row = session.execute(
        update(Run)
        .where(
            Run.id == run_id,
            Run.state == RunState.ENDED,
            Run.ended_by.in_([RunEnding.STOPPED, RunEnding.FAILED]),
            Run.deleted_at.is_(None),
        )
        .values(state=RunState.WAITING, ended_by=None, ending=None, ended_at=None)
        .returning(Run.project_id)
    ).first()
    if row is None:
        raise ConflictError(
            "Only a run that was stopped or failed can go on.", "Train on from its model, as a new run."
        )
    session.execute(update(Model).where(Model.run_id == run_id).values(frozen_at=None))
    tell(session, "runs", row.project_id, run=run_id)


def is_trial(session: Session, run_id: int) -> bool:
    """Whether it is a run of a plan."""
    return session.scalar(select(Run.trial).where(Run.id == run_id)) is not None


def settle_run(session: Session, run_id: int, state: JobState, error: str | None) -> None:
    """End a run whose job ended without saying why: it was stopped before it began, taken away, or broke."""
    if state is JobState.DONE and session.scalar(select(Run.state).where(Run.id == run_id)) == RunState.RESTING:
        return
    if state is JobState.FAILED:
        end_run(session, run_id, RunEnding.FAILED, {"what": error or "", "mend": ""})
    else:
        end_run(session, run_id, RunEnding.STOPPED)
