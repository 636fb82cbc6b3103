"""What the Sift's flags of copies mean, in SQL."""

from typing import Any

from sqlalchemy import ColumnElement, Select, and_, distinct, func, select
from sqlalchemy.orm import aliased

from vast_orchard.store.copies import copy_groups
from vast_orchard.store.schema import Picture
from vast_orchard.store.set_codes import SetCodes, set_code

__all__ = ["copy_flags"]


def copy_flags(project_id: int, sets: SetCodes | None) -> dict[str, ColumnElement[bool]]:
    """Conditions by flag; groups are open while two of their pictures or more are not excluded."""
    groups = copy_groups(project_id)
    unsettled = select(groups.c.number).where(groups.c.standing > 1)
    grouped = Picture.copy_group.is_not(None)
    return {
        "copies": and_(grouped, Picture.copy_group.in_(unsettled)),
        "exact-copies": and_(grouped, Picture.copy_exact, Picture.copy_group.in_(unsettled)),
        "differing-copies": and_(grouped, Picture.copy_group.in_(unsettled.where(groups.c.labels > 1))),
        "parted-copies": and_(grouped, Picture.copy_group.in_(_parted(project_id, sets))),
    }


def _parted(project_id: int, sets: SetCodes | None) -> Select[Any]:
    """Groups of copies that stand in more than one set of the split; what is excluded does no harm."""
    other = aliased(Picture)
    code = set_code(other.id.expression, sets)
    return (
        select(other.copy_group)
        .where(
            other.project_id == project_id,
            other.copy_group.is_not(None),
            other.deleted_at.is_(None),
            ~other.excluded,
            code != 0,
        )
        .group_by(other.copy_group)
        .having(func.count(distinct(code)) > 1)
    )
