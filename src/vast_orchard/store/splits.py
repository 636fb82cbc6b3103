"""Splits: which picture is in which set; made once, never changed."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.classes import list_classes
from vast_orchard.store.database import tell
from vast_orchard.store.schema import Appearance, Import, Picture, Project, Split, SplitMember
from vast_orchard.store.values import SplitValue
from vast_orchard.types import SetName

__all__ = ["create_split", "folder_sets", "get_split", "list_splits", "newest_split_id"]


def folder_sets(session: Session, project_id: int) -> dict[int, SetName]:
    """The set that each picture's first appearance with one named."""
    rows = session.execute(
        select(Appearance.picture_id, Appearance.set_name)
        .join(Picture, Picture.id == Appearance.picture_id)
        .join(Import, Import.id == Appearance.import_id)
        .where(
            Picture.project_id == project_id,
            Picture.deleted_at.is_(None),
            Appearance.set_name.is_not(None),
            Import.undone_at.is_(None),
        )
        .order_by(Appearance.id.desc())
    )
    return {picture: SetName(str(name)) for picture, name in rows}


def create_split(
    session: Session,
    project_id: int,
    *,
    method: str,
    shares: Mapping[str, Any],
    seed: int,
    members: Mapping[int, SetName],
) -> SplitValue:
    """Store a division as the project's next split.

    Parameters
    ----------
    members : mapping of int to SetName
        Set by picture id.
    """
    # The project's row is the turnstile for its numbers.
    session.execute(select(Project.id).where(Project.id == project_id).with_for_update())
    last = session.scalar(select(func.max(Split.number)).where(Split.project_id == project_id)) or 0
    row = Split(project_id=project_id, number=last + 1, method=method, shares=dict(shares), seed=seed)
    session.add(row)
    session.flush()
    if members:
        session.execute(
            insert(SplitMember),
            [{"split_id": row.id, "picture_id": picture, "set_name": name.value} for picture, name in members.items()],
        )
    tell(session, "splits", project_id)
    return _value(session, row)


def _value(session: Session, row: Split) -> SplitValue:
    rows = session.execute(
        select(Picture.class_id, SplitMember.set_name, func.count())
        .join(SplitMember, SplitMember.picture_id == Picture.id)
        .where(SplitMember.split_id == row.id, Picture.deleted_at.is_(None))
        .group_by(Picture.class_id, SplitMember.set_name)
    )
    counts: dict[int, dict[str, int]] = {}
    for class_id, set_name, count in rows:
        counts.setdefault(class_id or 0, {})[set_name] = count
    outside = session.scalar(
        select(func.count())
        .select_from(Picture)
        .where(
            Picture.project_id == row.project_id,
            Picture.class_id.is_not(None),
            Picture.deleted_at.is_(None),
            ~select(SplitMember.picture_id)
            .where(SplitMember.split_id == row.id, SplitMember.picture_id == Picture.id)
            .exists(),
        )
    )
    return SplitValue(
        id=row.id,
        number=row.number,
        method=row.method,
        shares=row.shares,
        seed=row.seed,
        created_at=row.created_at,
        counts=counts,
        in_no_set=outside or 0,
        warnings=_warnings(session, row.project_id, counts),
    )


def _warnings(session: Session, project_id: int, counts: Mapping[int, Mapping[str, int]]) -> list[str]:
    warnings = []
    for entry in list_classes(session, project_id):
        here = counts.get(entry.id, {})
        missing = [name.value for name in SetName if not here.get(name.value)]
        if entry.count and missing:
            pictures = "1 picture" if entry.count == 1 else f"{entry.count} pictures"
            warnings.append(f"{entry.name} ({pictures}) is missing from {' and '.join(missing)}.")
    return warnings


def get_split(session: Session, split_id: int) -> SplitValue:
    """One split.

    Raises
    ------
    MissingError
    """
    row = session.get(Split, split_id)
    if row is None:
        raise MissingError(f"There is no split {split_id}.", "Divide the pictures first.")
    return _value(session, row)


def list_splits(session: Session, project_id: int) -> Sequence[SplitValue]:
    """A project's splits, newest first."""
    rows = session.scalars(select(Split).where(Split.project_id == project_id).order_by(Split.number.desc()))
    return [_value(session, row) for row in rows]


def newest_split_id(session: Session, project_id: int) -> int | None:
    """The split that is meant where none is named."""
    return session.scalar(select(Split.id).where(Split.project_id == project_id).order_by(Split.number.desc()).limit(1))
