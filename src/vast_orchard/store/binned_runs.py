"""Runs in the bin: put there with all that hangs on them, taken out again, or removed for good."""

from collections.abc import Sequence

from sqlalchemy import delete, exists, func, select, update
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.bin import pack_files, weight_files
from vast_orchard.store.database import tell
from vast_orchard.store.ledger import one_run
from vast_orchard.store.offers import in_use
from vast_orchard.store.runs import link_runs
from vast_orchard.store.schema import (
    Export,
    Job,
    JobKind,
    Judgement,
    Model,
    Picture,
    Run,
    RunState,
    Snapshot,
    SnapshotPicture,
    Split,
)
from vast_orchard.store.values import BinnedRun, RunHoldings, RunValue

__all__ = ["bin_run", "count_binned_runs", "delete_binned_runs", "holdings_of", "list_binned_runs", "restore_run"]


def holdings_of(session: Session, run_id: int) -> RunHoldings:
    """What hangs on a run, and would go with it."""
    of_run = Model.run_id == run_id
    sets = session.scalars(
        select(Judgement.set_name).join(Model, Model.id == Judgement.model_id).where(of_run).distinct()
    )
    project = session.get_one(Run, run_id).project_id
    return RunHoldings(
        weights=weight_files(session, project, run_id),
        exports=pack_files(session, project, run_id),
        judged=sorted(sets),
        looks=session.scalar(select(func.coalesce(func.sum(Model.looks), 0)).where(of_run)) or 0,
    )


def bin_run(session: Session, run_id: int) -> None:
    """Put a run into the bin, with its model and all that hangs on that.

    Raises
    ------
    MissingError, ConflictError
        It is not there, or it has not ended.
    """
    row = session.get(Run, run_id, with_for_update=True)
    if row is None or row.deleted_at is not None:
        raise MissingError(f"There is no run {run_id}.", "It may lie in the bin already.")
    if row.state != RunState.ENDED:
        raise ConflictError(f"Run {row.number} has not ended.", "Stop it first, or wait.")
    if names := in_use(session, run_id):
        raise ConflictError(f"The model of run {row.number} is in use as {names[0]}.", "Put it away in Release first.")
    row.deleted_at = session.scalar(select(func.now()))
    session.flush()
    link_runs(session, row.project_id)
    tell(session, "runs", row.project_id)


def restore_run(session: Session, run_id: int) -> RunValue:
    """Take a run out of the bin, as it was.

    Raises
    ------
    MissingError
        It does not lie there.
    """
    row = session.get(Run, run_id, with_for_update=True)
    if row is None or row.deleted_at is None:
        raise MissingError(f"There is no run {run_id} in the bin.", "Look at the bin again.")
    row.deleted_at = None
    session.flush()
    link_runs(session, row.project_id)
    tell(session, "runs", row.project_id)
    found = one_run(session, run_id)
    assert found is not None
    return found


def count_binned_runs(session: Session, project_id: int) -> int:
    """Runs in a project's bin."""
    binned = Run.project_id == project_id, Run.deleted_at.is_not(None)
    return session.scalar(select(func.count()).select_from(Run).where(*binned)) or 0


def list_binned_runs(session: Session, project_id: int) -> Sequence[BinnedRun]:
    """Runs in a project's bin, last thrown away first."""
    rows = session.scalars(
        select(Run).where(Run.project_id == project_id, Run.deleted_at.is_not(None)).order_by(Run.deleted_at.desc())
    )
    return [
        BinnedRun(
            id=row.id,
            number=row.number,
            name=row.name,
            accuracy=row.figures.get("validation_accuracy"),
            deleted_at=row.deleted_at,
            holdings=holdings_of(session, row.id),
        )
        for row in rows
        if row.deleted_at is not None
    ]


def delete_binned_runs(session: Session, project_id: int) -> tuple[list[str], list[str]]:
    """Remove the records of a project's binned runs for good; looks at the test set stay counted with their split.

    Returns
    -------
    files : list of str
        Weights, states and packs that are nobody's now.
    contents : list of str
        Pictures that a run remembered and the project has no more: their bytes may be nobody's.
    """
    runs = list(session.scalars(select(Run).where(Run.project_id == project_id, Run.deleted_at.is_not(None))))
    files: list[str] = []
    for row in runs:
        held = holdings_of(session, row.id)
        files += [*held.weights, *held.exports]
        session.execute(
            update(Split).where(Split.id == row.split_id).values(past_looks=Split.past_looks + held.looks),
        )
        packs = select(Export.id).join(Model, Model.id == Export.model_id).where(Model.run_id == row.id)
        session.execute(delete(Job).where(Job.kind == JobKind.EXPORT, Job.subject_id.in_(packs)))
        session.execute(delete(Job).where(Job.kind == JobKind.TRAIN, Job.subject_id == row.id))
        session.execute(delete(Run).where(Run.id == row.id))
    contents = _forget_snapshots(session, project_id) if runs else []
    link_runs(session, project_id)
    tell(session, "runs", project_id)
    return files, contents


def _forget_snapshots(session: Session, project_id: int) -> list[str]:
    """Remove snapshots that no run stands on; returns what they held and the project does not."""
    unused = select(Snapshot.id).where(
        Snapshot.project_id == project_id, ~exists().where(Run.snapshot_id == Snapshot.id)
    )
    present = exists().where(Picture.project_id == project_id, Picture.sha256 == SnapshotPicture.sha256)
    contents = session.scalars(
        select(SnapshotPicture.sha256).where(SnapshotPicture.snapshot_id.in_(unused), ~present).distinct()
    ).all()
    session.execute(delete(Snapshot).where(Snapshot.id.in_(unused)), execution_options={"synchronize_session": False})
    return list(contents)
