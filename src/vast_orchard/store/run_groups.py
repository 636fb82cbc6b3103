"""Groups of runs: what one plan varies, and how far it is."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from vast_orchard.store.database import tell
from vast_orchard.store.projects import checked_name
from vast_orchard.store.schema import GroupKind, Run, RunGroup, RunState
from vast_orchard.store.values import RunGroupValue

__all__ = ["create_group", "list_groups"]


def create_group(
    session: Session, project_id: int, kind: GroupKind, question: str, budget: Mapping[str, Any]
) -> RunGroupValue:
    """A new group, without runs.

    Raises
    ------
    InputError
        The question is empty or too long.
    """
    row = RunGroup(
        project_id=project_id, kind=kind.value, question=checked_name(question, "question"), budget=dict(budget)
    )
    session.add(row)
    session.flush()
    tell(session, "runs", project_id)
    return next(entry for entry in list_groups(session, project_id) if entry.id == row.id)


def list_groups(session: Session, project_id: int) -> Sequence[RunGroupValue]:
    """A project's groups, newest first, with how many of their runs have ended."""
    rows = session.execute(
        select(
            RunGroup,
            func.count(Run.id).label("runs"),
            func.count(Run.id).filter(Run.state == RunState.ENDED).label("ended"),
        )
        .outerjoin(Run, Run.group_id == RunGroup.id)
        .where(RunGroup.project_id == project_id)
        .group_by(RunGroup.id)
        .order_by(RunGroup.id.desc())
    )
    return [
        RunGroupValue(
            id=row.id,
            project_id=row.project_id,
            kind=row.kind,
            question=row.question,
            budget=row.budget,
            created_at=row.created_at,
            runs=runs,
            ended=ended,
        )
        for row, runs, ended in rows
    ]
